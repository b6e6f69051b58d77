import type { Reading } from './reading.ts';

/** What was written, as the app has it now. */
export const readBack: Reading<'readBack'> = async ({ context, lane }, { target, id }) => {
  const connector = await context.connections.connector(target.connection);
  const read = await context.slots.request(target.connection, lane, () => connector.fetch(target.path, id));
  context.seams.reach('read-back:after');
  return { kind: 'read', record: read && read.id === id ? read.record : null };
};

import { ask, type Reading } from './reading.ts';

/** What was written, as the app has it now. */
export const readBack: Reading<'readBack'> = async (asker, { target, id }) => {
  const { context } = asker;
  const connector = await context.connections.connector(target.connection);
  const read = await ask(asker, target.connection, connector, () => connector.fetch(target.path, id));
  context.seams.reach('read-back:after');
  return { kind: 'read', record: read && read.id === id ? read.record : null };
};

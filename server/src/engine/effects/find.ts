import { NotThere } from '@golden/connectors';
import { withLastWrites } from '../last-written.ts';
import { ask, type Reading } from './reading.ts';

/** The records that hold a value in a field; one that is just being made there is waited for. */
export const find: Reading<'find'> = async (asker, { target, by }) => {
  const { context, lane, accounts } = asker;
  const { connection, path } = target;
  await context.comings.withKey(target, by.path, by.value);
  const connector = await context.connections.connector(connection);
  const found = await ask(asker, connection, connector, () => connector.find(path, by)).catch((error: unknown) => {
    // A place that is made with its first record holds none before.
    if (error instanceof NotThere && target.likeLast) return [];
    throw error;
  });
  return { kind: 'found', matches: await withLastWrites(context.db, lane, accounts.of(connection), path, found ?? []) };
};

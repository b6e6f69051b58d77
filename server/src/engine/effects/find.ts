import { type Connector, NotThere } from '@golden/connectors';
import type { Found } from '@golden/core';
import { ask, type Reading, withWhatIsKnown } from './reading.ts';

/** The records that hold a value in a field; one that is just being made there is waited for. */
export const find: Reading<'find'> = async (asker, { target, by, all }) => {
  const { context, accounts } = asker;
  const { connection, path } = target;
  await context.comings.withKey(target, by.path, by.value);
  const connector = await context.connections.connector(connection);
  const found = await ask(asker, connection, connector, () => findIn(connector, path, by, all)).catch(
    (error: unknown) => {
      // A place that is made with its first record holds none before.
      if (error instanceof NotThere && target.likeLast) return [];
      throw error;
    },
  );
  const place = { account: accounts.of(connection), path };
  return { kind: 'found', matches: await withWhatIsKnown(asker, place, found ?? []) };
};

/** What a place holds with a value: all of it where all is wanted. */
export const findIn = (
  connector: Connector,
  path: readonly string[],
  by: Parameters<Connector['find']>[1],
  all: number | undefined,
): Promise<readonly Found[]> =>
  all !== undefined && connector.findAll ? connector.findAll(path, by, all) : connector.find(path, by);

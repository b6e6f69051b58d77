import type { Start } from '@golden/core';
import type { Connections } from '../connections.ts';
import type { Trx } from '../db/group-commit.ts';
import type { Db } from '../db/open.ts';
import type { IntakeRow } from '../db/schema.ts';
import type { Seams } from '../seams.ts';

/** What makes and finds intakes. */
export interface IngestWorld {
  readonly connections: Pick<Connections, 'accountOf'>;
  readonly seams: Pick<Seams, 'id' | 'now'>;
}

/** From when a place is listed the first time. */
export type FromWhen = Start['fromWhen'];

/**
 * How far a workflow has listed the place of a start, in the account that its connection leads to now.
 * Found again when the workflow goes back there; undefined where it was never listed.
 */
export async function findIngestState(
  db: Db | Trx,
  { connections }: Pick<IngestWorld, 'connections'>,
  workflowId: string,
  start: Start,
): Promise<IntakeRow | undefined> {
  const { account, place, identity } = keyOf(connections, start);
  // Under the name that it has, else under those that it had, the last first.
  const names = [place, ...(start.source?.formerly ?? []).map((path) => JSON.stringify(path)).reverse()];
  for (const name of names) {
    const known = await db
      .selectFrom('intake')
      .selectAll()
      .where('workflow_id', '=', workflowId)
      .where('account', '=', account)
      .where('place', '=', name)
      .where('identity', '=', identity)
      .executeTakeFirst();
    if (known) return known;
  }
  return undefined;
}

/** The same, made where there is none. */
export async function ingestStateOf(
  trx: Db | Trx,
  world: IngestWorld,
  workflowId: string,
  start: Start,
  fromWhen?: FromWhen,
): Promise<IntakeRow> {
  const known = await findIngestState(trx, world, workflowId, start);
  const { place } = keyOf(world.connections, start);
  if (known && known.place !== place) {
    await trx.updateTable('intake').set({ place, listed: null }).where('id', '=', known.id).execute();
    return { ...known, place, listed: null };
  }
  if (known) return known;
  const made: IntakeRow = {
    id: world.seams.id(),
    workflow_id: workflowId,
    ...keyOf(world.connections, start),
    phase: 'first',
    since: null,
    from_when: fromWhen ? JSON.stringify(fromWhen) : null,
    epoch: 0,
    listed: null,
    listed_at: null,
    made_at: world.seams.now(),
  };
  await trx.insertInto('intake').values(made).execute();
  return made;
}

/** From when is carried out anew: what an earlier run still does to it counts no more. */
export async function beginAnew(trx: Trx, intake: IntakeRow): Promise<void> {
  await trx
    .updateTable('intake')
    .set({ phase: 'first', since: null, from_when: null, listed: null, listed_at: null, epoch: intake.epoch + 1 })
    .where('id', '=', intake.id)
    .execute();
}

function keyOf(
  connections: Pick<Connections, 'accountOf'>,
  { source, identity }: Start,
): Pick<IntakeRow, 'account' | 'place' | 'identity'> {
  return {
    account: source ? connections.accountOf(source.connection) : '',
    place: JSON.stringify(source?.path ?? []),
    identity: identity ?? '',
  };
}

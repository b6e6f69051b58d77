import { sql } from 'kysely';
import type { Trx } from '../db/group-commit.ts';
import { prepared } from '../db/prepared.ts';
import type { ItemRow } from '../db/schema.ts';
import { letsPass } from './parks.ts';

// Later changes of a record stand behind the earlier ones: none overtakes another.

const behind = 'An earlier change of this record needs you. This one continues after it.';
const behindWaiting = 'An earlier change of this record is waiting. This one continues after it.';

/** Later changes of a record go where the earlier one is, so that a run's books show them there. */
export async function markBehind(trx: Trx, workflowId: string): Promise<void> {
  for (const [state, message] of [
    ['unsettled', behind],
    ['waiting', behindWaiting],
  ] as const)
    await sql`UPDATE item SET state = ${state}, cause = 'behind', message = ${message}
    WHERE workflow_id = ${workflowId} AND state = 'running' AND claimed = 0 AND EXISTS (
      SELECT 1 FROM item AS earlier WHERE earlier.intake_id = item.intake_id AND earlier.source_id = item.source_id
      AND earlier.seq < item.seq AND earlier.state = ${state} AND NOT ${letsPass('earlier')})`.execute(trx);
}

const openOf = prepared((trx, { intake, source }: { intake: string; source: string }) =>
  trx
    .selectFrom('item')
    .select(['id', 'state', 'cause'])
    .where('intake_id', '=', intake)
    .where('source_id', '=', source)
    .where('state', 'in', ['running', 'unsettled', 'waiting'])
    .where((eb) => eb.not(letsPass('item')))
    .orderBy('seq'),
);

/**
 * What stands behind a record's item goes on when that has ended, or stays with it: to be done
 * whenever one has come to rest. True when something can be claimed now.
 */
export async function releaseBehind(trx: Trx, item: Pick<ItemRow, 'intake_id' | 'source_id'>): Promise<boolean> {
  const open = await openOf(trx, { intake: item.intake_id, source: item.source_id });
  const [first, ...later] = open;
  if (!first) return false;
  if (first.cause === 'behind') {
    await trx
      .updateTable('item')
      .set({ state: 'running', cause: null, message: null })
      .where('id', '=', first.id)
      .execute();
    return true;
  }
  // One that waited behind needs a person when the first does, and the other way round.
  const stray = later.filter((one) => one.cause === 'behind' && one.state !== first.state && first.state !== 'running');
  for (const { id } of stray)
    await trx
      .updateTable('item')
      .set({ state: first.state, message: first.state === 'unsettled' ? behind : behindWaiting })
      .where('id', '=', id)
      .execute();
  return first.state === 'running' || later.length > 0;
}

import { type ItemState, isPlaced, layOut } from '@golden/core';
import { sql } from 'kysely';
import type { Db } from '../db/open.ts';
import type { ItemRow } from '../db/schema.ts';
import { ItemAccounts } from '../engine/item-accounts.ts';
import type { RecordKey } from '../records/identities.ts';
import type { RecordIndex } from '../records/record-index.ts';
import type { Workflows } from '../workflows.ts';

/** What another record of ours has made of one since it was written. */
export interface UsedBy {
  readonly itemId: string;
  readonly workflowId: string;
  readonly workflow: string;
  readonly runId: string;
  readonly title: string;
  /** It wrote to it too, was begun by it, or found it when it looked for a match. */
  readonly how: 'wrote' | 'began' | 'found';
}

/** So many are told of one record. */
const mostTold = 3;
/** Items that mention a record's id and are looked at. */
const mostLooked = 60;

type Parts = { readonly db: Db; readonly workflows: Workflows; readonly recordIndex: RecordIndex };

/**
 * What other items have made of a record since it was written: they wrote to it as well, began with it, or found it in a
 * lookup. Those that are undone themselves count no more.
 *
 * @param besides - items that go back together with it
 */
export async function usedSince(
  parts: Parts,
  record: RecordKey,
  besides: (item: Pick<ItemRow, 'id' | 'run_id'>) => boolean,
): Promise<UsedBy[]> {
  const found = new Map<string, readonly [ItemRow, UsedBy['how']]>();
  const add = (items: readonly ItemRow[], how: UsedBy['how']): void => {
    for (const item of items) if (!besides(item) && !found.has(item.id)) found.set(item.id, [item, how]);
  };
  add(await writtenBy(parts.db, record), 'wrote');
  add(await begunBy(parts.db, record), 'began');
  if (found.size < mostTold) add(await foundBy(parts, record), 'found');
  const told: UsedBy[] = [];
  for (const [item, how] of [...found.values()].slice(0, mostTold)) {
    const { draft } = await parts.workflows.get(item.workflow_id);
    const { id: itemId, workflow_id: workflowId, run_id: runId, title } = item;
    told.push({ itemId, workflowId, workflow: draft.name, runId, title, how });
  }
  return told;
}

function writtenBy(db: Db, { account, place, id }: RecordKey): Promise<ItemRow[]> {
  return db
    .selectFrom('write')
    .innerJoin('item', 'item.id', 'write.item_id')
    .selectAll('item')
    .distinct()
    .where('write.account', '=', account)
    .where('write.place', '=', place)
    .where('write.remote_id', '=', id)
    .where('write.status', '=', 'done')
    .where('write.purpose', '=', 'deliver')
    .where('item.state', 'not in', ['undone', 'cancelled'])
    .orderBy('item.seq', 'desc')
    .limit(mostLooked)
    .execute();
}

function begunBy(db: Db, { account, place, id }: RecordKey): Promise<ItemRow[]> {
  return db
    .selectFrom('item')
    .innerJoin('intake', 'intake.id', 'item.intake_id')
    .selectAll('item')
    .where('intake.account', '=', account)
    .where('intake.place', '=', place)
    .where('item.source_id', '=', id)
    .where('item.state', 'in', ['running', 'delivered', 'unsettled', 'waiting'])
    .orderBy('item.seq', 'desc')
    .limit(mostLooked)
    .execute();
}

/** Items whose lookups found it; those that mention its id are looked at, the newest first. */
async function foundBy({ db, workflows, recordIndex }: Parts, record: RecordKey): Promise<ItemRow[]> {
  const { seqs } = await recordIndex.find(record.id, mostLooked);
  if (seqs.length === 0) return [];
  const items = await db
    .selectFrom('item')
    .selectAll()
    .where('seq', 'in', [...seqs])
    .where('state', 'in', ['running', 'delivered', 'unsettled', 'waiting'])
    // Most mention the id by chance, and have looked nothing up.
    .where(sql<boolean>`instr(item_state, '"kind":"found"') > 0`)
    .orderBy('seq', 'desc')
    .execute();
  const found: ItemRow[] = [];
  for (const item of items) {
    const version = await workflows.readableVersion(item.workflow_id, item.version);
    if (!version) continue;
    const state = JSON.parse(item.item_state) as ItemState;
    const accounts = new ItemAccounts(item, version.content);
    const isFound = layOut(version.content, state.values).some(({ id, step }) => {
      const result = state.steps[id];
      if (result?.kind !== 'found' || result.id !== record.id || !isPlaced(step) || !step.target) return false;
      const { connection, path } = step.target;
      return accounts.of(connection) === record.account && JSON.stringify(path) === record.place;
    });
    if (isFound) found.push(item);
  }
  return found;
}

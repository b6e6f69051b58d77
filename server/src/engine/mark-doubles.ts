import {
  doublesOf,
  type ItemState,
  readPointer,
  recordTitle,
  startId,
  toText,
  type WorkflowContent,
  type WorkflowVersion,
} from '@golden/core';
import type { Trx } from '../db/group-commit.ts';
import { isGathered, isWaiting } from '../db/item-states.ts';
import type { ItemRow } from '../db/schema.ts';
import type { EngineContext } from './context.ts';

/**
 * Tells the items of a run that are the same person or firm before any of them is begun. Done again
 * after a stop it comes to the same: what has begun stays as it is.
 */
export async function markDoubles(
  context: EngineContext,
  runId: string,
  { content }: Pick<WorkflowVersion, 'content'>,
): Promise<void> {
  const { start } = content;
  const setMarked = (trx: Trx): Promise<unknown> =>
    trx.updateTable('run').set({ is_marked: 1 }).where('id', '=', runId).execute();
  if (!start.doubles) {
    await context.commits.run(setMarked);
    return;
  }
  const items = await context.db
    .selectFrom('item')
    .select(columns)
    .where('run_id', '=', runId)
    .where('id', 'not in', (eb) => eb.selectFrom('park').select('item_id').where(isGathered))
    .orderBy('seq')
    .execute();
  await context.commits.run(async (trx) => {
    await setMarked(trx);
    await mark(trx, content, items);
  });
}

/** The same for what was gathered, over as many runs as it came by, before it is let go; gives all that was. */
export async function markGathered(
  trx: Trx,
  workflowId: string,
  version: number,
  content: WorkflowContent,
): Promise<string[]> {
  const items = await trx
    .selectFrom('item')
    .innerJoin('park', 'park.item_id', 'item.id')
    .select(columns)
    .where('workflow_id', '=', workflowId)
    .where('version', '=', version)
    .where(isWaiting)
    .where(isGathered)
    .orderBy('seq')
    .execute();
  if (content.start.doubles) await mark(trx, content, items);
  return items.map(({ id }) => id);
}

const columns = ['id', 'source_id', 'intake_id', 'state', 'item_state', 'effect'] as const;

async function mark(
  trx: Trx,
  { start }: WorkflowContent,
  items: readonly Pick<ItemRow, (typeof columns)[number]>[],
): Promise<void> {
  // Two changes of one record are no doubles: they go one after the other.
  const newest = [...new Map(items.map((item) => [item.source_id, item])).values()];
  const states = new Map(newest.map((item) => [item.id, JSON.parse(item.item_state) as ItemState]));
  const updatedAt = start.source?.described.updated;
  const { later, golden } = doublesOf(
    newest.map((item) => {
      const record = states.get(item.id)?.values[startId] ?? {};
      const updated = updatedAt ? toText(readPointer(record, updatedAt)) : '';
      return { id: item.source_id, record, ...(updated && { updated }) };
    }),
    start,
  );
  for (const item of newest) {
    const state = states.get(item.id) as ItemState;
    const isFresh = (item.state === 'running' || item.state === 'waiting') && item.effect === null;
    const double = later.get(item.source_id);
    const whole = golden.get(item.source_id);
    if (!isFresh || state.phase !== 'ready' || state.at !== 0 || (!double && !whole)) continue;
    const next: ItemState = double
      ? { ...state, double }
      : { ...state, values: { ...state.values, [startId]: whole ?? {} } };
    await trx
      .updateTable('item')
      .set({ item_state: JSON.stringify(next), title: recordTitle(next.values[startId] ?? {}) })
      .where('id', '=', item.id)
      .execute();
  }
}

import {
  doublesOf,
  type ItemState,
  readPointer,
  recordTitle,
  startId,
  toText,
  type WorkflowVersion,
} from '@golden/core';
import type { Trx } from '../db/group-commit.ts';
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
    .select(['id', 'source_id', 'state', 'item_state', 'effect'])
    .where('run_id', '=', runId)
    .orderBy('seq')
    .execute();
  const states = new Map(items.map((item) => [item.id, JSON.parse(item.item_state) as ItemState]));
  const updatedAt = start.source?.described.updated;
  const { later, golden } = doublesOf(
    items.map((item) => {
      const record = states.get(item.id)?.values[startId] ?? {};
      const updated = updatedAt ? toText(readPointer(record, updatedAt)) : '';
      return { id: item.source_id, record, ...(updated && { updated }) };
    }),
    start,
  );
  await context.commits.run(async (trx) => {
    await setMarked(trx);
    for (const item of items) {
      const state = states.get(item.id) as ItemState;
      const isFresh = item.state === 'running' && item.effect === null && state.phase === 'ready' && state.at === 0;
      const double = later.get(item.source_id);
      const whole = golden.get(item.source_id);
      if (!isFresh || (!double && !whole)) continue;
      const next: ItemState = double
        ? { ...state, double }
        : { ...state, values: { ...state.values, [startId]: whole ?? {} } };
      await trx
        .updateTable('item')
        .set({ item_state: JSON.stringify(next), title: recordTitle(next.values[startId] ?? {}) })
        .where('id', '=', item.id)
        .execute();
    }
  });
}

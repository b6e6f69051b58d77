import type { ReconcileSetting } from '@golden/core';
import type { ReconcileRowTable } from '../db/schema.ts';
import type { Services } from '../services.ts';
import { foundOf } from './reconcile-table.ts';

const said: Readonly<Record<string, string>> = {
  running: 'on its way',
  unsettled: 'needs you',
  waiting: 'waiting',
  left_out: 'left out',
  dismissed: 'dismissed',
  cancelled: 'cancelled',
  undone: 'undone',
  delivered: 'was delivered, and isn’t there any more',
};

/**
 * For records that are only here, what the workflow that should have brought them there knows of each: where it stands,
 * that it was already known when the workflow began, or that it never came in. Nothing where no workflow is meant.
 */
export async function whyNotThere(
  { db }: Pick<Services, 'db'>,
  { workflow }: ReconcileSetting,
  rows: readonly ReconcileRowTable[],
): Promise<ReadonlyMap<number, string>> {
  const why = new Map<number, string>();
  if (workflow === undefined) return why;
  const only = rows
    .filter(({ kind }) => kind === 'only_left')
    .map((row) => ({ at: row.at, id: foundOf(row).left[0]?.id ?? '' }));
  if (only.length === 0) return why;
  const ids = only.map(({ id }) => id);
  const items = await db
    .selectFrom('item')
    .select(['source_id', 'state', 'message', 'seq'])
    .where('workflow_id', '=', workflow)
    .where('source_id', 'in', ids)
    .orderBy('seq')
    .execute();
  const last = new Map(items.map((item) => [item.source_id, item]));
  const seen = await db
    .selectFrom('seen')
    .innerJoin('intake', 'intake.id', 'seen.intake_id')
    .select(['source_id'])
    .where('intake.workflow_id', '=', workflow)
    .where('source_id', 'in', ids)
    .execute();
  const known = new Set(seen.map(({ source_id }) => source_id));
  for (const { at, id } of only) {
    const item = last.get(id);
    const state = item && (said[item.state] ?? item.state);
    why.set(
      at,
      state
        ? `${state}${item.message && item.state !== 'delivered' ? `: ${item.message}` : ''}`
        : known.has(id)
          ? 'already known when the workflow began'
          : 'not taken in yet',
    );
  }
  return why;
}

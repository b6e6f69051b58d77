import { emptied, emptiedWrite, type ItemState, type StepResult } from '@golden/core';
import { sql } from 'kysely';
import type { Trx } from '../db/group-commit.ts';
import { isFull } from '../db/item-states.ts';
import type { Db } from '../db/open.ts';
import type { ItemRow } from '../db/schema.ts';
import type { Undoing } from '../undo/undoing.ts';
import type { Workflows } from '../workflows.ts';

/** How far a sweep has come: items are looked at in the order in which they ended. */
export interface Reached {
  readonly at: string;
  readonly seq: number;
}

/** What a piece of a sweep is to do. */
export interface Wish {
  /** What ended, or came, before this instant is emptied. */
  readonly before: string;
  readonly now: string;
  readonly from: Reached;
  /** So many are looked at. */
  readonly most: number;
}

/** What a piece of a sweep came to. */
export interface Emptied {
  readonly reached: Reached;
  readonly count: number;
}

export const atTheStart: Reached = { at: '', seq: 0 };

/** Lines of the journal that only say how it came about; what people decided, and what was undone, stays. */
const howItCame = ['find', 'match', 'fetch', 'write', 'readBack', 'handOver', 'handedBack', 'woken'];

/**
 * Added to a row's number and taken away again: a row that only becomes shorter leaves its page half empty, and no page
 * is given back. Taken out of their pages together and put back, the rows of a piece need fewer of them.
 */
const far = 1_000_000_000_000;

type FullItem = Pick<ItemRow, 'id' | 'seq' | 'workflow_id' | 'version' | 'item_state'> & { readonly at: string };

/**
 * Takes out what the next few records held that ended before a time: their items' values, what was written and what it
 * replaced, and how each step came about. What became of them, by which ids, stays; so do links, what was written last
 * and decisions, which lie elsewhere. Left whole is what something else still needs: a record that was handed over and
 * whose giver waits, one with a write that may be done, and those of a run that is being undone.
 *
 * @returns how far it came and how many were emptied; undefined once there are no more
 */
export async function emptyItems(
  trx: Trx,
  workflows: Pick<Workflows, 'readableVersion'>,
  { before, now, from, most }: Wish,
): Promise<Emptied | undefined> {
  const { rows } = await sql<FullItem & { readonly isNeeded: number }>`
    SELECT id, seq, workflow_id, version, item_state, coalesce(ended_at, taken_at) AS at,
      (claimed = 1
        OR EXISTS (SELECT 1 FROM write WHERE write.item_id = item.id AND write.status = 'intent')
        OR EXISTS (SELECT 1 FROM handed JOIN item AS parent ON parent.id = handed.parent_id
          WHERE handed.child_id = item.id AND parent.state IN ('running', 'waiting', 'unsettled'))
        OR EXISTS (SELECT 1 FROM undo WHERE undo.run_id = item.run_id AND undo.state IN ('looking', 'undoing', 'waiting'))
      ) AS isNeeded
    FROM item INDEXED BY item_full
    WHERE ${isFull}
      AND coalesce(ended_at, taken_at) < ${before} AND (coalesce(ended_at, taken_at), seq) > (${from.at}, ${from.seq})
    ORDER BY coalesce(ended_at, taken_at), seq LIMIT ${most}`.execute(trx);
  const last = rows.at(-1);
  if (!last) return undefined;
  let count = 0;
  for (const item of rows) if (item.isNeeded === 0 && (await emptyItem(trx, workflows, item, now))) count += 1;
  await sql`UPDATE item SET seq = seq - ${far} WHERE seq >= ${far}`.execute(trx);
  await sql`UPDATE write SET rowid = rowid - ${far} WHERE rowid >= ${far}`.execute(trx);
  return { reached: { at: last.at, seq: last.seq }, count };
}

/** How many ended records from before a time hold their values still; so many are counted at the most. */
export async function countFull(db: Db, before: string, most: number): Promise<number> {
  const { rows } = await sql<{ readonly n: number }>`SELECT count(*) AS n FROM (SELECT 1 FROM item INDEXED BY item_full
    WHERE ${isFull}
    AND coalesce(ended_at, taken_at) < ${before} LIMIT ${most})`.execute(db);
  return rows[0]?.n ?? 0;
}

/** Gives whether it was emptied. */
async function emptyItem(
  trx: Trx,
  workflows: Pick<Workflows, 'readableVersion'>,
  item: FullItem,
  now: string,
): Promise<boolean> {
  const version = await workflows.readableVersion(item.workflow_id, item.version, trx);
  // What an earlier release wrote and this one can't read is left as it is.
  if (!version) return false;
  const state = emptied(version.content, JSON.parse(item.item_state) as ItemState);
  await sql`UPDATE item SET item_state = ${JSON.stringify(state)}, effect = NULL, emptied_at = ${now}, seq = seq + ${far}
    WHERE seq = ${item.seq}`.execute(trx);
  const writes = await trx
    .selectFrom('write')
    .select(['token', 'intent', 'purpose'])
    .where('item_id', '=', item.id)
    .execute();
  for (const { token, intent, purpose } of writes) {
    const left = purpose === 'deliver' ? emptiedWrite(JSON.parse(intent)) : emptiedUndoing(JSON.parse(intent));
    await sql`UPDATE write SET intent = ${JSON.stringify(left)}, read = NULL, rowid = rowid + ${far}
      WHERE token = ${token}`.execute(trx);
  }
  // It is found by its name and ids from now on.
  await sql`INSERT OR IGNORE INTO record_due VALUES (${item.seq})`.execute(trx);
  await trx.deleteFrom('journal').where('item_id', '=', item.id).where('kind', 'in', howItCame).execute();
  await emptyAsked(trx, item.id);
  return true;
}

/** An undoing is known by the writes that went back with it. */
const emptiedUndoing = ({ kind, id, tokens }: Undoing): Pick<Undoing, 'kind' | 'id' | 'tokens'> => ({
  kind,
  id,
  ...(tokens && { tokens }),
});

/** What a person was asked about a match teaches by how its fields compared, without what stood in them. */
async function emptyAsked(trx: Trx, itemId: string): Promise<void> {
  const asked = await trx
    .selectFrom('journal')
    .select(['id', 'content'])
    .where('item_id', '=', itemId)
    .where('kind', '=', 'unclear')
    .execute();
  for (const { id, content } of asked) {
    const result = JSON.parse(content) as Extract<StepResult, { kind: 'unsettled' }>;
    const { known: _known, candidates = [], ...rest } = result;
    const kept = {
      ...rest,
      fields: [],
      candidates: candidates.map(({ id, probability, evidence }) => ({ id, record: {}, probability, evidence })),
    };
    await trx
      .updateTable('journal')
      .set({ content: JSON.stringify(kept) })
      .where('id', '=', id)
      .execute();
  }
}

import { readPointer, toText } from '@golden/core';
import type { ByteStore } from '../arrivals/byte-store.ts';
import { readBody } from '../arrivals/read-body.ts';
import type { Trx } from '../db/group-commit.ts';
import type { Db } from '../db/open.ts';
import { chunks } from './change-detection.ts';

// Events that only tell of a record. The record is fetched, and known by its source's own revision: so an event and a
// listing don't double. An app may tell of a change a little before it shows it: what is as it was is fetched again.

/** Milliseconds after which a record that was told of, and is as it was, is fetched again. */
const pauses = [5000, 60_000, 600_000];

/** An event may come so much later than its change, in milliseconds, before that counts as never posted. */
const patience = 15 * 60_000;

/** Events that are looked at in one go. */
const atOnce = 500;

/** What a workflow was told of. */
export interface ToldOf {
  /** The records, each once. */
  readonly ids: readonly string[];
  /** The newest of the events. */
  readonly seq: number;
  /** Of the records, those that only are fetched again. */
  readonly again: ReadonlySet<string>;
  /** Events that don't say of which record they tell. */
  readonly without: readonly number[];
}

/** What events have told a workflow since it was looked at, with what is due to be fetched again. */
export async function toldSince(
  db: Db,
  bytes: Pick<ByteStore, 'get'>,
  given: {
    readonly workflow: string;
    readonly inbox: string;
    readonly id: string;
    readonly after: number;
    readonly now: string;
  },
): Promise<ToldOf> {
  const events = await db
    .selectFrom('arrival')
    .selectAll()
    .where('inbox_id', '=', given.inbox)
    .where('seq', '>', given.after)
    .where('refused', 'is', null)
    .where('is_test', '=', 0)
    .orderBy('seq')
    .limit(atOnce)
    .execute();
  const told = new Set<string>();
  const without: number[] = [];
  for (const row of events) {
    const reading = await readBody(row.media_type, row.body ?? (await bytes.get(row.hash)));
    const id = reading.ok ? toText(readPointer(reading.record, given.id)).trim() : '';
    if (id === '') without.push(row.seq);
    else told.add(id);
  }
  const due = await db
    .selectFrom('told')
    .select('record_id')
    .where('workflow_id', '=', given.workflow)
    .where('due_at', '<=', given.now)
    .limit(atOnce)
    .execute();
  const again = new Set(due.map(({ record_id }) => record_id).filter((id) => !told.has(id)));
  return { ids: [...told, ...again], seq: events.at(-1)?.seq ?? given.after, again, without };
}

/** Stores what a workflow was told of; a run that fetches it is stored beside. */
export async function storeTold(trx: Trx, workflow: string, { ids, seq, again, without }: ToldOf, now: string) {
  for (const id of ids) {
    if (again.has(id))
      await trx
        .updateTable('told')
        .set({ due_at: null })
        .where('workflow_id', '=', workflow)
        .where('record_id', '=', id)
        .execute();
    else
      await trx
        .insertInto('told')
        .values({ workflow_id: workflow, record_id: id, at: now, tries: 0, due_at: null })
        .onConflict((conflict) =>
          conflict.columns(['workflow_id', 'record_id']).doUpdateSet({ at: now, tries: 0, due_at: null }),
        )
        .execute();
  }
  for (const some of chunks(without, 400))
    await trx
      .updateTable('arrival')
      .set({ refused: 'It doesn’t say of which record it tells: the field for its id is empty.' })
      .where('seq', 'in', some)
      .execute();
  await trx.updateTable('trigger_state').set({ told_seq: seq }).where('workflow_id', '=', workflow).execute();
}

/**
 * Records that were fetched and are as they were, or aren't there, are fetched again a little later, three times.
 * Gives those that will not be.
 */
export async function fetchAgainLater(
  trx: Trx,
  workflow: string,
  ids: readonly string[],
  now: string,
): Promise<string[]> {
  const over: string[] = [];
  for (const id of ids) {
    const known = await trx
      .selectFrom('told')
      .select('tries')
      .where('workflow_id', '=', workflow)
      .where('record_id', '=', id)
      .executeTakeFirst();
    if (!known) continue;
    const pause = pauses[known.tries];
    if (pause === undefined) over.push(id);
    const due_at = pause === undefined ? null : new Date(Date.parse(now) + pause).toISOString();
    await trx
      .updateTable('told')
      .set({ tries: known.tries + 1, due_at })
      .where('workflow_id', '=', workflow)
      .where('record_id', '=', id)
      .execute();
  }
  return over;
}

/** How many of the records that a listing took in no event had told of, though there was time for one. */
export async function neverPosted(
  trx: Trx,
  workflow: string,
  records: readonly { readonly id: string; readonly updated?: string }[],
  now: string,
): Promise<number> {
  let count = 0;
  const latest = new Date(Date.parse(now) - patience).toISOString();
  for (const some of chunks(records, 400)) {
    const rows = await trx
      .selectFrom('told')
      .select(['record_id', 'at'])
      .where('workflow_id', '=', workflow)
      .where(
        'record_id',
        'in',
        some.map(({ id }) => id),
      )
      .execute();
    const told = new Map(rows.map((row) => [row.record_id, row.at]));
    for (const { id, updated } of some) {
      const changed = updated === undefined ? undefined : instantOf(updated);
      // Its event may still be on the way.
      if (changed !== undefined && changed > latest) continue;
      const at = told.get(id);
      const isTold = at !== undefined && (changed === undefined || Date.parse(at) >= Date.parse(changed) - patience);
      if (!isTold) count += 1;
    }
  }
  return count;
}

function instantOf(text: string): string | undefined {
  const at = Date.parse(text);
  return Number.isNaN(at) ? undefined : new Date(at).toISOString();
}

import type { BatchWriter, Connector } from '@golden/connectors';
import { isSameJson, isSameValue, type JsonRecord, type PlannedWrite, readPointer } from '@golden/core';
import { sql } from 'kysely';
import type { WriteRow } from '../db/schema.ts';
import type { EngineContext } from './context.ts';
import { writeOf } from './intents.ts';

/** What is known of a write that has an intent and no result. */
export type Settled =
  | { readonly kind: 'done'; readonly id: string; readonly record?: JsonRecord }
  /** Certainly not done, and certainly not done any more: it may be planned anew under a new token. */
  | { readonly kind: 'not_done' }
  /** The same may be sent again under the same token: the app does it once. `isNew` when it certainly never left. */
  | { readonly kind: 'again'; readonly isNew?: boolean }
  /** The place changed so that the write has to be planned anew. */
  | { readonly kind: 'stale' }
  /** It isn't there, but may still come: looked for again after so many milliseconds. */
  | { readonly kind: 'later'; readonly wait: number }
  | { readonly kind: 'unknown'; readonly message: string };

/** What is said where nothing can be found out. */
export const cannotTell =
  'It can’t be found out whether this was written. Look in the destination, then retry or accept what stands.';

const mayStillCome =
  'It isn’t there, but the app may still be working on it. Look in the destination after a while, then send it again or accept it.';

/**
 * Finds out whether a write that was sent one by one was done: by its idempotency key, as long as the
 * app remembers it (the same may then be sent again), by our reference, or by looking. What isn't
 * there counts as not done only once the app's own time-out has passed since it was sent.
 *
 * @param age - milliseconds since the request may have left
 * @throws AppError when the app can't be asked now
 */
export async function settleDirect(connector: Connector, row: WriteRow, age: number): Promise<Settled> {
  const write = writeOf(row);
  const { settleBy, keepsKeysFor, settlesWithin } = connector;
  // What was removed shows by its absence; to ask for it once more would only be refused.
  if (write.kind !== 'remove' && settleBy === 'idempotency_key' && age < (keepsKeysFor ?? Number.POSITIVE_INFINITY))
    return { kind: 'again' };
  const seen = await look(connector, write, row.token);
  if (seen.kind !== 'not_done') return seen;
  if (settlesWithin !== undefined && age < settlesWithin) return { kind: 'later', wait: settlesWithin - age };
  // Setting the same values once more does no harm; making the same record once more does.
  if (settlesWithin === undefined && write.kind === 'create') return { kind: 'unknown', message: mayStillCome };
  return seen;
}

async function look(connector: Connector, write: PlannedWrite, token: string): Promise<Settled> {
  const path = write.target.path;
  if (write.kind === 'remove') return lookForRemoved(connector, write);
  if (connector.settleBy === 'reference' && connector.findByToken) {
    const found = await connector.findByToken(path, token);
    if (found) return { kind: 'done', id: found.id, record: found.record };
    if (write.kind === 'create') return { kind: 'not_done' };
  }
  if (write.kind === 'update' && write.id !== undefined) {
    const there = await connector.fetch(path, write.id);
    if (!there) return { kind: 'stale' };
    return judgeUpdate(write, write.id, there.record);
  }
  return lookForCreated(connector, write);
}

async function lookForRemoved(connector: Connector, { target, id = '', before }: PlannedWrite): Promise<Settled> {
  const there = await connector.fetch(target.path, id);
  if (!there) return { kind: 'done', id };
  return isSameJson(there.record, before ?? null) ? { kind: 'not_done' } : { kind: 'stale' };
}

function judgeUpdate(write: PlannedWrite, id: string, there: JsonRecord): Settled {
  if (holds(write, there)) return { kind: 'done', id, record: there };
  const isAsBefore = Object.keys(write.values).every((path) =>
    isSameValue(readPointer(there, path), readPointer(write.before ?? {}, path), write.types[path] ?? 'text'),
  );
  return isAsBefore ? { kind: 'not_done' } : { kind: 'stale' };
}

async function lookForCreated(connector: Connector, write: PlannedWrite): Promise<Settled> {
  if (!write.key) return { kind: 'unknown', message: cannotTell };
  const found = await connector.find(write.target.path, write.key);
  const [only] = found;
  if (found.length === 0 || !only) return { kind: 'not_done' };
  if (found.length === 1 && holds(write, only.record)) return { kind: 'done', id: only.id, record: only.record };
  return { kind: 'stale' };
}

/** True when a record holds every value that a write would put there. */
export function holds(write: PlannedWrite, record: JsonRecord): boolean {
  return Object.entries(write.values).every(([path, value]) =>
    isSameValue(readPointer(record, path), value, write.types[path] ?? 'text'),
  );
}

/** How the whole of a file stands towards the replacements that were made for a write. */
export type FileStanding = 'done' | 'not_done' | 'changed' | 'never_prepared';

/** Compares a file's hash with those of the replacements that a write was part of. */
export async function standingOfFile(
  context: EngineContext,
  batch: BatchWriter,
  write: WriteRow,
): Promise<{ standing: FileStanding; row?: string }> {
  const since = await replacementsSince(context, batch, write);
  const ours: { readonly hash_before: string; readonly hash_after: string; readonly row: string }[] = [];
  for (const one of since) {
    const row = (await rowsOf(context, one.id))[write.token];
    if (row !== undefined) ours.push({ ...one, row });
  }
  if (ours.length === 0) return { standing: 'never_prepared' };
  const now = await batch.hashNow(batch.groupOf(JSON.parse(write.place)));
  const done = ours.find((one) => one.hash_after === now);
  if (done) return { standing: 'done', row: done.row };
  // A later replacement that was made from ours shows that ours was in place.
  const followed = ours.find((one) => since.some((later) => later.hash_before === one.hash_after));
  if (followed) return { standing: 'done', row: followed.row };
  const isBefore = ours[0]?.hash_before === now;
  return { standing: isBefore ? 'not_done' : 'changed', ...(ours[0] && { row: ours[0].row }) };
}

/** The rows of the replacements that were looked at last: thousands of writes of one are found out about in turn. */
const lastRows = new Map<string, Readonly<Record<string, string>>>();
const mostLast = 8;

/** The row that each write of a replacement has in the file, by its token. */
async function rowsOf({ db }: EngineContext, id: string): Promise<Readonly<Record<string, string>>> {
  const known = lastRows.get(id);
  if (known) return known;
  const stored = await db.selectFrom('replacement').select('rows').where('id', '=', id).executeTakeFirst();
  const rows = JSON.parse(stored?.rows ?? '{}') as Readonly<Record<string, string>>;
  lastRows.set(id, rows);
  for (const oldest of lastRows.keys()) if (lastRows.size > mostLast) lastRows.delete(oldest);
  return rows;
}

/** The replacements of its file from the first that a write was part of on, the newest first. */
async function replacementsSince({ db }: EngineContext, batch: BatchWriter, write: WriteRow) {
  const { replacement_id: first } = write;
  // Which one it is part of is stored with the replacement: without any it never was.
  if (first === null) return [];
  return (
    db
      .selectFrom('replacement')
      .select(['id', 'hash_before', 'hash_after'])
      .where('account', '=', write.account)
      .where('file', '=', batch.groupOf(JSON.parse(write.place)))
      // In the order they were stored: a step of the clock must not hide one.
      .where(sql`rowid`, '>=', sql`(SELECT rowid FROM replacement WHERE id = ${first})`)
      .orderBy(sql`rowid`, 'desc')
      .execute()
  );
}

/**
 * Finds out whether a write that was gathered into a replacement of a file was done. One that wasn't
 * is sent again under its own token: should the first replacement come late after all, it shows by
 * its hash.
 */
export async function settleBatched(
  context: EngineContext,
  connector: Connector,
  batch: BatchWriter,
  write: WriteRow,
): Promise<Settled> {
  const planned = writeOf(write);
  const { standing, row } = await standingOfFile(context, batch, write);
  if (standing === 'never_prepared' || standing === 'not_done')
    return { kind: 'again', isNew: standing === 'never_prepared' };
  if (standing === 'done' && row !== undefined) return { kind: 'done', id: row };
  // Somebody saved the file since: on top of ours, or instead of it. The rows themselves tell, where they can.
  if (planned.key || planned.kind === 'update') {
    const settled = await look(connector, planned, write.token);
    return settled.kind === 'not_done' ? { kind: 'stale' } : settled;
  }
  const there = row === undefined ? null : await connector.fetch(planned.target.path, row);
  if (there && row !== undefined && holds(planned, there.record))
    return { kind: 'done', id: row, record: there.record };
  return { kind: 'unknown', message: cannotTell };
}

import { createHash } from 'node:crypto';
import type { SourceRecord } from '@golden/connectors';
import { canonicalText, type JsonRecord, keyText, readInstant, readPointer, type Start } from '@golden/core';
import type { Trx } from '../db/group-commit.ts';
import type { Db } from '../db/open.ts';
import type { SeenTable } from '../db/schema.ts';

// What of a source's records is news: compared with what was seen of each last.

/** The digest by which a change of a record is told where its app keeps no version. */
export function fingerprintOf(record: JsonRecord): string {
  return createHash('sha256').update(canonicalText(record)).digest('hex');
}

/** True when a record that has changed is still the news that was taken in: added once, or of the value that it came to. */
export function isSameChange(record: SourceRecord, last: SeenTable, start: Start): boolean {
  if (start.on === 'added') return last.is_gone === 0;
  return start.on === 'becomes' && last.is_gone === 0 && last.kept === startValue(record, start);
}

/** What a later listing compares with: the value that may become another, or the record that may go. */
export function keptOf(record: SourceRecord, start: Start): string | null {
  if (start.on === 'removed') return JSON.stringify(record.record);
  return start.on === 'becomes' ? startValue(record, start) : null;
}

const startValue = (record: SourceRecord, start: Start): string =>
  keyText(readPointer(record.record, start.becomes?.path ?? ''));

const hasBecome = (record: SourceRecord, start: Start): boolean =>
  startValue(record, start) === keyText(start.becomes?.value ?? '');

/** Whether a record that is there at the start belongs to "from when". */
export function isFromTheStart(record: SourceRecord, start: Start): boolean {
  if (start.fromWhen.kind === 'now' || start.on === 'removed') return false;
  if (start.on === 'becomes' && !hasBecome(record, start)) return false;
  if (start.fromWhen.kind === 'all') return true;
  return isSince(record, start.on, start.fromWhen.at);
}

/** Whether a record was added (or, where asked, changed) at or after an instant. */
export function isSince(record: SourceRecord, on: Start['on'], at: string): boolean {
  const told = on === 'added' ? (record.created ?? record.updated) : (record.updated ?? record.created);
  const instant = told ? readInstant(told, 'utc') : undefined;
  const from = readInstant(at, 'utc');
  return instant !== undefined && from !== undefined && instant >= from;
}

/** Whether a record as it is now is what the start waits for, given how it was seen last. */
export function isChange(record: SourceRecord, last: SeenTable | undefined, isSeen: boolean, start: Start): boolean {
  switch (start.on) {
    case 'added':
      return last === undefined;
    case 'added_or_changed':
      return !isSeen;
    case 'removed':
      return false;
    case 'becomes':
      // It fires on the change only. What was never looked at for its value is noted first.
      return (
        hasBecome(record, start) &&
        (last === undefined || (last.kept !== null && last.kept !== startValue(record, start)))
      );
  }
}

/** How records were seen last, by their ids. */
export async function loadSeen(
  trx: Db | Trx,
  intakeId: string,
  records: readonly SourceRecord[],
): Promise<Map<string, SeenTable>> {
  const seen = new Map<string, SeenTable>();
  for (const chunk of chunks(records, 400)) {
    const ids = chunk.map((record) => record.id);
    const rows = await trx
      .selectFrom('seen')
      .selectAll()
      .where('intake_id', '=', intakeId)
      .where('source_id', 'in', ids)
      .execute();
    for (const row of rows) seen.set(row.source_id, row);
  }
  return seen;
}

/** Keeps what was seen last of each record. */
export async function saveSeen(trx: Trx, seen: readonly SeenTable[]): Promise<void> {
  const newest = [...new Map(seen.map((one) => [one.source_id, one])).values()];
  for (const chunk of chunks(newest, 100)) {
    await trx
      .insertInto('seen')
      .values(chunk)
      .onConflict((conflict) =>
        conflict.columns(['intake_id', 'source_id']).doUpdateSet((eb) => ({
          revision: eb.ref('excluded.revision'),
          fingerprint: eb.ref('excluded.fingerprint'),
          counter: eb.ref('excluded.counter'),
          is_taken: eb.ref('excluded.is_taken'),
          run_id: eb.ref('excluded.run_id'),
          kept: eb.ref('excluded.kept'),
          is_gone: eb.ref('excluded.is_gone'),
          seen_at: eb.ref('excluded.seen_at'),
        })),
      )
      .execute();
  }
}

/** A list in parts of a size. */
export function chunks<T>(all: readonly T[], size: number): T[][] {
  return Array.from({ length: Math.ceil(all.length / size) }, (_, at) => all.slice(at * size, (at + 1) * size));
}

import { createHash } from 'node:crypto';
import type { SourceRecord } from '@golden/connectors';
import {
  beginItem,
  canonicalText,
  type JsonRecord,
  type LastSeen,
  readInstant,
  recordTitle,
  revisionOf,
  type Start,
  type WorkflowVersion,
} from '@golden/core';
import type { Insertable } from 'kysely';
import type { Trx } from '../db/group-commit.ts';
import type { ItemTable, RunTable, SeenTable } from '../db/schema.ts';
import type { EngineContext } from './context.ts';

/** Polls overlap by this much, in milliseconds: an app may show a change a little after its own time for it. */
const overlap = 120_000;

/**
 * Lists what the source has for a run and takes in what is new. Each page's items, what was seen
 * and the cursor are stored in one transaction, so that a stop in the middle neither loses nor
 * doubles a record, and the run's counts stay exact.
 */
export async function takeIn(
  context: EngineContext,
  run: RunTable,
  version: WorkflowVersion,
  isStopped: () => boolean,
): Promise<void> {
  const { start } = version.content;
  const { source } = start;
  if (!source) return;
  const connector = await context.connections.connector(source.connection);
  let cursor: string | null = run.cursor;
  for (let isFirst = run.cursor === null; isFirst || cursor !== null; isFirst = false) {
    const page = await connector.list({
      path: source.path,
      ...(run.since && { since: run.since }),
      ...(cursor && { cursor }),
      ...(start.identity && { identity: start.identity }),
    });
    context.seams.reach('take-in:before-store');
    await context.commits.run((trx) => storePage(context, trx, run, version, page.records, page.cursor));
    context.seams.reach('take-in:after-store');
    context.events.tell({ topic: 'run', workflow: run.workflow_id, id: run.id });
    cursor = page.cursor;
    if (isStopped()) return;
  }
}

/** A record as an item at the beginning of its way through a version. */
export function newItem(
  id: string,
  run: Pick<RunTable, 'id' | 'workflow_id' | 'version'>,
  record: SourceRecord,
  revision: string,
  now: string,
): Insertable<ItemTable> {
  return {
    id,
    workflow_id: run.workflow_id,
    run_id: run.id,
    version: run.version,
    source_id: record.id,
    revision,
    title: recordTitle(record.record),
    state: 'running',
    cause: null,
    message: null,
    waits_for: null,
    item_state: JSON.stringify(beginItem(record.record, now)),
    effect: null,
    token: null,
    taken_at: now,
    ended_at: null,
  };
}

/** The digest by which a change of a record is told where its app keeps no version. */
export function fingerprintOf(record: JsonRecord): string {
  return createHash('sha256').update(canonicalText(record)).digest('hex');
}

/** How one record of a page is counted, and what is remembered of it. */
interface Reading {
  readonly kind: 'taken' | 'noted' | 'repeat';
  readonly record: SourceRecord;
  readonly seen: SeenTable;
}

async function storePage(
  context: EngineContext,
  trx: Trx,
  run: RunTable,
  version: WorkflowVersion,
  records: readonly SourceRecord[],
  cursor: string | null,
): Promise<void> {
  const known = await loadSeen(trx, run.workflow_id, records);
  const readings: Reading[] = [];
  for (const record of records) {
    const reading = read(record, known.get(record.id), run, version);
    known.set(record.id, reading.seen);
    readings.push(reading);
  }
  const taken = readings.filter((reading) => reading.kind === 'taken');
  const now = context.seams.now();
  for (const chunk of chunks(taken, 100)) {
    await trx
      .insertInto('item')
      .values(chunk.map(({ record, seen }) => newItem(context.seams.id(), run, record, seen.revision, now)))
      .execute();
  }
  await saveSeen(
    trx,
    readings.filter((reading) => reading.kind !== 'repeat').map((reading) => reading.seen),
  );
  const noted = readings.filter((reading) => reading.kind === 'noted').length;
  run.high_water = highest([run.high_water, ...records.map((record) => record.updated)]);
  await trx
    .updateTable('run')
    .set((eb) => ({
      in_source: eb('in_source', '+', taken.length + noted),
      noted_earlier: eb('noted_earlier', '+', noted),
      taken_in: eb('taken_in', '+', taken.length),
      repeats: eb('repeats', '+', readings.length - taken.length - noted),
      cursor,
      high_water: run.high_water,
      ...(cursor === null && { state: 'working' as const }),
    }))
    .where('id', '=', run.id)
    .execute();
}

function read(record: SourceRecord, last: SeenTable | undefined, run: RunTable, version: WorkflowVersion): Reading {
  const { start } = version.content;
  const fingerprint = fingerprintOf(record.record);
  const { revision, counter } = revisionOf(
    { version: record.version, updated: record.updated, fingerprint },
    last as LastSeen | undefined,
  );
  const isSeen = last?.revision === revision;
  if (isSeen && last.run_id === run.id) return { kind: 'repeat', record, seen: last };
  const isTaken =
    run.kind === 'first' ? !(isSeen && last.is_taken) && isFromTheStart(record, start) : isNews(last, isSeen, start);
  const seen: SeenTable = {
    workflow_id: run.workflow_id,
    source_id: record.id,
    revision,
    fingerprint,
    counter,
    is_taken: isTaken || (isSeen && last.is_taken) ? 1 : 0,
    run_id: run.id,
  };
  return { kind: isTaken ? 'taken' : 'noted', record, seen };
}

/** Whether a record that is there at the start belongs to "from when". */
function isFromTheStart(record: SourceRecord, start: Start): boolean {
  if (start.fromWhen.kind === 'all') return true;
  if (start.fromWhen.kind === 'now') return false;
  return isSince(record, start.on, start.fromWhen.at);
}

/** Whether a record was added (or, where asked, changed) at or after an instant. */
export function isSince(record: SourceRecord, on: Start['on'], at: string): boolean {
  const told = on === 'added' ? (record.created ?? record.updated) : (record.updated ?? record.created);
  const instant = told ? readInstant(told, 'utc') : undefined;
  const from = readInstant(at, 'utc');
  return instant !== undefined && from !== undefined && instant >= from;
}

function isNews(last: SeenTable | undefined, isSeen: boolean, start: Start): boolean {
  return start.on === 'added' ? last === undefined : !isSeen;
}

async function loadSeen(
  trx: Trx,
  workflowId: string,
  records: readonly SourceRecord[],
): Promise<Map<string, SeenTable>> {
  const seen = new Map<string, SeenTable>();
  for (const chunk of chunks(records, 400)) {
    const ids = chunk.map((record) => record.id);
    const rows = await trx
      .selectFrom('seen')
      .selectAll()
      .where('workflow_id', '=', workflowId)
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
        conflict.columns(['workflow_id', 'source_id']).doUpdateSet((eb) => ({
          revision: eb.ref('excluded.revision'),
          fingerprint: eb.ref('excluded.fingerprint'),
          counter: eb.ref('excluded.counter'),
          is_taken: eb.ref('excluded.is_taken'),
          run_id: eb.ref('excluded.run_id'),
        })),
      )
      .execute();
  }
}

/** The instant from which the next listing asks. */
export function sinceAfter(highWater: string | null, before: string | null): string | null {
  const instant = highWater ? readInstant(highWater, 'utc') : undefined;
  return instant ? new Date(Date.parse(instant) - overlap).toISOString() : before;
}

function highest(instants: readonly (string | null | undefined)[]): string | null {
  const given = instants.filter((one): one is string => Boolean(one));
  return given.reduce<string | null>(
    (most, one) => (most === null || Date.parse(one) > Date.parse(most) ? one : most),
    null,
  );
}

function chunks<T>(all: readonly T[], size: number): T[][] {
  return Array.from({ length: Math.ceil(all.length / size) }, (_, at) => all.slice(at * size, (at + 1) * size));
}

import type { SourceRecord } from '@golden/connectors';
import { comesByItself, fetchedFields, isSameJson, type JsonRecord, type PlannedWrite, type Start } from '@golden/core';
import { sql } from 'kysely';
import type { Trx } from '../db/group-commit.ts';
import type { Db, IntakeRow, SeenTable } from '../db/schema.ts';
import { chunks, fingerprintOf } from './change-detection.ts';
import type { EngineContext } from './context.ts';
import { pickFields, wholeOf } from './source-pages.ts';

// What workflows of ours wrote is told from what people did by what stands there: a record is as we left it, and
// nothing but that write lies between how a start saw it last and how it is now.

/** The mark of a record as a write left it. */
export const leftAs = (record: JsonRecord): string => fingerprintOf(record);

/** The mark of a record that was taken out as it stood there. */
export const leftGone = (record: JsonRecord): string => goneMark(fingerprintOf(record));
const goneMark = (fingerprint: string): string => `gone ${fingerprint}`;

type Looked = Pick<IntakeRow, 'account' | 'place' | 'listed_at'>;

/** Milliseconds between two looks at writes that are under way, and how many looks are taken. */
const look = 50;
const mostLooks = 1200;

/** So many of our writes may lie between two looks at one record; more than that are looked at as a person's. */
const mostBetween = 50;

/** True where what we write ourselves starts a workflow like any other change. */
export const takesOwn = (start: Start): boolean =>
  start.takesOwn === true || start.takes === 'everything' || comesByItself(start);

/**
 * Those of a page's records that stand as workflows of ours left them, with nothing done by anybody else since
 * they were seen last: their ids. Writes to the place whose results aren't known yet are waited for, for the page
 * may show them already.
 *
 * @param known - how each record was seen last
 * @param isStopped - ends the waiting
 */
export async function ownAmong(
  { db, seams }: Pick<EngineContext, 'db' | 'seams'>,
  start: Start,
  intake: Looked,
  page: { readonly path?: readonly string[]; readonly records: readonly SourceRecord[] },
  known: ReadonlyMap<string, SeenTable>,
  isStopped: () => boolean = () => false,
): Promise<ReadonlySet<string>> {
  const changed = page.records.filter(({ id, record }) => {
    const last = known.get(id);
    return !last || last.is_gone === 1 || last.fingerprint !== fingerprintOf(record);
  });
  if (changed.length === 0) return new Set();
  const place = { ...intake, place: page.path ? JSON.stringify(page.path) : intake.place };
  await untilKnown({ db, seams }, place, isStopped);
  const own = new Set<string>();
  for (const some of chunks(changed, 400)) {
    const marks = some.map(({ record }) => leftAs(wholeOf(record)));
    const written = await writesThatLeft(db, place, marks);
    if (written.size === 0) continue;
    for (const [at, { id }] of some.entries())
      if (await isOwn({ db, start, place }, marks[at] as string, known.get(id), written)) own.add(id);
  }
  return own;
}

/**
 * Waits for what of our writes to a place is on its way at this moment: what was listed just now may show them
 * already. It doesn't wait for ever: what isn't known by then is looked at like a change by a person.
 */
export async function untilKnown(
  { db, seams }: Pick<EngineContext, 'db' | 'seams'>,
  place: Looked,
  isStopped: () => boolean,
): Promise<void> {
  const now = seams.now();
  for (let looks = 0; looks < mostLooks && !isStopped() && (await isUnderWay(db, place, now)); looks++)
    await seams.pause(look);
}

/**
 * Whether a record was taken out by us as it was seen last, and after that. Of a start that looks at further places,
 * or at some fields only, nobody knows; then it is looked at like a removal by a person.
 */
export async function isTakenOut(trx: Db | Trx, place: Looked, last: SeenTable): Promise<boolean> {
  const mark = goneMark(last.fingerprint);
  const written = await writesThatLeft(trx, place, [mark]);
  return (written.get(mark) ?? []).some((write) => isSince(write, last.seen_at ?? always));
}

interface OwnWrite {
  readonly change: Pick<PlannedWrite, 'kind' | 'before' | 'values'>;
  readonly read: JsonRecord;
  readonly doneAt: string;
}

/** True while a write to the place that was begun by then is on its way, or has arrived and isn't read back yet. */
async function isUnderWay(db: Db, { account, place }: Looked, then: string): Promise<boolean> {
  const found = await db
    .selectFrom('write')
    .innerJoin('item', 'item.id', 'write.item_id')
    .select('write.token')
    .where('write.account', '=', account)
    .where('write.place', '=', place)
    .where('write.left', 'is', null)
    .where('write.at', '<=', then)
    .where((eb) => eb.or([eb('item.state', '=', 'running'), eb('item.claimed', '=', 1)]))
    .executeTakeFirst();
  return found !== undefined;
}

/** The writes of ours that left records so, by the mark. */
async function writesThatLeft(
  db: Db | Trx,
  { account, place }: Looked,
  marks: readonly string[],
): Promise<Map<string, OwnWrite[]>> {
  const rows = await db
    .selectFrom('write')
    .select(['left', 'intent', 'read', 'done_at', 'purpose'])
    .where('account', '=', account)
    .where('place', '=', place)
    .where('left', 'in', [...new Set(marks)])
    // Told once more for the sake of the index, which leaves out what nobody knows.
    .where(sql<boolean>`left > ''`)
    .where('status', '=', 'done')
    .execute();
  const written = new Map<string, OwnWrite[]>();
  for (const { left, intent, read, done_at, purpose } of rows) {
    if (left === null || read === null || done_at === null) continue;
    const change = purpose === 'deliver' ? (JSON.parse(intent) as PlannedWrite) : undoneOf(intent);
    written.set(left, [
      ...(written.get(left) ?? []),
      { change, read: JSON.parse(read) as JsonRecord, doneAt: done_at },
    ]);
  }
  return written;
}

/** What bringing former values back changed. */
function undoneOf(intent: string): OwnWrite['change'] {
  const { former, read } = JSON.parse(intent) as { former: PlannedWrite['values']; read: JsonRecord | null };
  return { kind: 'update', values: former, ...(read && { before: read }) };
}

interface Where {
  readonly db: Db;
  readonly start: Start;
  readonly place: Looked;
}

/** Whether writes of ours, and nothing else, lead from how a record was seen last to how it stands there now. */
async function isOwn(
  { db, start, place }: Where,
  now: string,
  last: SeenTable | undefined,
  found: ReadonlyMap<string, readonly OwnWrite[]>,
): Promise<boolean> {
  const from = lookedAt(place, last);
  const before = last && last.is_gone === 0 ? last.fingerprint : undefined;
  const met = new Set([now]);
  let marks = [now];
  let written = found;
  while (marks.length > 0 && met.size <= mostBetween) {
    const writes = marks.flatMap((mark) => written.get(mark) ?? []).filter((write) => isSince(write, from));
    // A record that wasn't there begins with a write that made it; one that we took out meanwhile does so again.
    const isMade = writes.some(({ change }) => change.kind === 'create');
    if (isMade && (!before || (last && (await isTakenOut(db, place, last))))) return true;
    const formers = writes.flatMap((write) => formerOf(write, start));
    if (before && formers.some((former) => seenAs(former, start) === before)) return true;
    marks = formers.map(leftAs).filter((mark) => !met.has(mark));
    for (const mark of marks) met.add(mark);
    written = marks.length > 0 ? await writesThatLeft(db, place, marks) : new Map();
  }
  return false;
}

/** The record before a change of ours, where nobody else changed it at the same time. */
function formerOf({ change: { kind, before, values }, read }: OwnWrite, start: Start): JsonRecord[] {
  if (kind === 'create' || !before) return [];
  const stamp = start.source?.described.updated;
  return isAllOurs(before, read, [...Object.keys(values), ...(stamp === undefined ? [] : [stamp])]) ? [before] : [];
}

/** The digest by which a start knows a record: of the fields that it fetches. */
const seenAs = (record: JsonRecord, start: Start): string =>
  fingerprintOf(start.fields ? pickFields(record, fetchedFields(start)) : record);

/** From when a change may be the one that is news: what was done before was seen already. */
function lookedAt({ listed_at }: Looked, last: SeenTable | undefined): string {
  const seenAt = last ? (last.seen_at ?? always) : '';
  return seenAt > (listed_at ?? '') ? seenAt : (listed_at ?? '');
}

/** Later than everything. */
const always = '9999';

const isSince = ({ doneAt }: OwnWrite, from: string): boolean => doneAt >= from;

/**
 * True when a write changed nothing but what it sent: where somebody saved the record between our look and our
 * write, what they did is news. What the app itself reckons anew counts as such, which costs a look and loses nothing.
 */
function isAllOurs(before: JsonRecord, read: JsonRecord, sent: readonly string[]): boolean {
  return differences(before, read, '').every((path) => sent.some((one) => path === one || path.startsWith(`${one}/`)));
}

/** The pointers (RFC 6901) at which two values differ, the outermost that tell it. */
function differences(one: unknown, other: unknown, at: string): string[] {
  if (isTree(one) || isTree(other)) {
    const [left, right] = [isTree(one) ? one : {}, isTree(other) ? other : {}];
    const names = new Set([...Object.keys(left), ...Object.keys(right)]);
    return [...names].flatMap((name) =>
      differences(left[name], right[name], `${at}/${name.replaceAll('~', '~0').replaceAll('/', '~1')}`),
    );
  }
  return isSameJson(one, other) ? [] : [at];
}

const isTree = (value: unknown): value is Record<string, unknown> =>
  typeof value === 'object' && value !== null && !Array.isArray(value);

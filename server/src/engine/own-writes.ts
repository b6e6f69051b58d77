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

/** For whom something isn't news: workflows whose writes are an echo, and the place that they all lead to. */
export interface Echo {
  readonly workflows: ReadonlySet<string>;
  readonly to: PlaceOfAccount;
}

/** A place of an account, as what has passed through it says so. */
export interface PlaceOfAccount {
  readonly account: string;
  readonly place: string;
}

/** What of a page workflows of ours did themselves. */
export interface OwnChanges {
  /** Records of which nothing is news. */
  readonly ids: ReadonlySet<string>;
  /** Those that are news all the same, with the places that it has passed through. */
  readonly passed: ReadonlyMap<string, readonly PlaceOfAccount[]>;
}

/** Nothing of a page. */
export const noOwnChanges: OwnChanges = { ids: new Set(), passed: new Map() };

/**
 * Those of a page's records that stand as workflows of ours left them, with nothing done by anybody else since
 * they were seen last. Writes to the place whose results aren't known yet are waited for, for the page may show them
 * already.
 *
 * For one direction of a pair in step what was written is an echo only where it comes from the place that this
 * direction leads to: a change that another workflow brought goes on.
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
  echo?: Echo,
): Promise<OwnChanges> {
  const changed = page.records.filter(({ id, record }) => {
    const last = known.get(id);
    return !last || last.is_gone === 1 || last.fingerprint !== fingerprintOf(record);
  });
  if (changed.length === 0) return noOwnChanges;
  const place = { ...intake, place: page.path ? JSON.stringify(page.path) : intake.place };
  await untilKnown({ db, seams }, place, isStopped);
  const ids = new Set<string>();
  const passed = new Map<string, readonly PlaceOfAccount[]>();
  for (const some of chunks(changed, 400)) {
    const marks = some.map(({ record }) => leftAs(wholeOf(record)));
    const written = await writesThatLeft(db, place, marks);
    if (written.size === 0) continue;
    for (const [at, { id }] of some.entries()) {
      const writes = await ownWrites({ db, start, place }, marks[at] as string, known.get(id), written);
      if (!writes) continue;
      if (!echo || writes.every((write) => isEcho(write, echo))) ids.add(id);
      else passed.set(id, passedByAll(writes));
    }
  }
  return { ids, passed };
}

const isSamePlace = (one: PlaceOfAccount, other: PlaceOfAccount): boolean =>
  one.account === other.account && one.place === other.place;

const isEcho = ({ workflow, passed }: OwnWrite, echo: Echo): boolean =>
  echo.workflows.has(workflow) || passed.some((one) => isSamePlace(one, echo.to));

/** Of several writes only what all of them came through has been passed by all that is news. */
function passedByAll(writes: readonly OwnWrite[]): PlaceOfAccount[] {
  const [first, ...others] = writes;
  return (first?.passed ?? []).filter((one) =>
    others.every(({ passed }) => passed.some((other) => isSamePlace(one, other))),
  );
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
 * Those of the records that are gone which workflows of ours took out as they were seen last, and after that. Of a start
 * that looks at further places, or at some fields only, nobody knows; then they are looked at like removed by a person.
 */
export async function ownRemovals(
  trx: Db | Trx,
  place: Looked,
  gone: readonly SeenTable[],
  echo?: Echo,
): Promise<OwnChanges> {
  const ids = new Set<string>();
  const passed = new Map<string, readonly PlaceOfAccount[]>();
  for (const last of gone) {
    const writes = await takenOutBy(trx, place, last);
    if (writes.length === 0) continue;
    if (!echo || writes.every((write) => isEcho(write, echo))) ids.add(last.source_id);
    else passed.set(last.source_id, passedByAll(writes));
  }
  return { ids, passed };
}

/** The writes of ours that took a record out as it was seen last, and after that. */
async function takenOutBy(trx: Db | Trx, place: Looked, last: SeenTable): Promise<OwnWrite[]> {
  const mark = goneMark(last.fingerprint);
  const written = await writesThatLeft(trx, place, [mark]);
  return (written.get(mark) ?? []).filter((write) => isSince(write, last.seen_at ?? always));
}

interface OwnWrite {
  readonly change: Pick<PlannedWrite, 'kind' | 'before' | 'values'>;
  readonly read: JsonRecord;
  readonly doneAt: string;
  readonly workflow: string;
  /** The places that what it wrote had come through, the source of its item last. */
  readonly passed: readonly PlaceOfAccount[];
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
    .innerJoin('item', 'item.id', 'write.item_id')
    .innerJoin('intake', 'intake.id', 'item.intake_id')
    .select(['write.left', 'write.intent', 'write.read', 'write.done_at', 'write.purpose'])
    .select(['item.workflow_id', 'item.passed', 'intake.account', 'intake.place'])
    .where('write.account', '=', account)
    .where('write.place', '=', place)
    .where('write.left', 'in', [...new Set(marks)])
    // Told once more for the sake of the index, which leaves out what nobody knows.
    .where(sql<boolean>`write.left > ''`)
    .where('write.status', '=', 'done')
    .execute();
  const written = new Map<string, OwnWrite[]>();
  for (const { left, intent, read, done_at, purpose, workflow_id, passed, ...from } of rows) {
    if (left === null || read === null || done_at === null) continue;
    const change = purpose === 'deliver' ? (JSON.parse(intent) as PlannedWrite) : undoneOf(intent);
    // What is brought back into the source itself comes from elsewhere.
    const isBroughtBack = isSamePlace(from, { account, place });
    const before = passed === null ? [] : (JSON.parse(passed) as PlaceOfAccount[]);
    const one: OwnWrite = {
      change,
      read: JSON.parse(read) as JsonRecord,
      doneAt: done_at,
      workflow: workflow_id,
      passed: isBroughtBack ? [] : [...before, from],
    };
    written.set(left, [...(written.get(left) ?? []), one]);
  }
  return written;
}

/** What bringing former values back changed, or made again. */
function undoneOf(intent: string): OwnWrite['change'] {
  const { kind, former, read } = JSON.parse(intent) as {
    kind: 'remove' | 'restore' | 'recreate';
    former: PlannedWrite['values'];
    read: JsonRecord | null;
  };
  if (kind === 'recreate') return { kind: 'create', values: former };
  return { kind: 'update', values: former, ...(read && { before: read }) };
}

interface Where {
  readonly db: Db;
  readonly start: Start;
  readonly place: Looked;
}

/**
 * The writes of ours that lead, with nothing else between, from how a record was seen last to how it stands there now;
 * undefined where others had a hand in it.
 */
async function ownWrites(
  { db, start, place }: Where,
  now: string,
  last: SeenTable | undefined,
  found: ReadonlyMap<string, readonly OwnWrite[]>,
): Promise<readonly OwnWrite[] | undefined> {
  const from = lookedAt(place, last);
  const before = last && last.is_gone === 0 ? last.fingerprint : undefined;
  const met = new Set([now]);
  const all: OwnWrite[] = [];
  let marks = [now];
  let written = found;
  while (marks.length > 0 && met.size <= mostBetween) {
    const writes = marks.flatMap((mark) => written.get(mark) ?? []).filter((write) => isSince(write, from));
    all.push(...writes);
    // A record that wasn't there begins with a write that made it; one that we took out meanwhile does so again.
    const isMade = writes.some(({ change }) => change.kind === 'create');
    if (isMade && (!before || (last && (await takenOutBy(db, place, last)).length > 0))) return all;
    const formers = writes.flatMap((write) => formerOf(write, start));
    if (before && formers.some((former) => seenAs(former, start) === before)) return all;
    marks = formers.map(leftAs).filter((mark) => !met.has(mark));
    for (const mark of marks) met.add(mark);
    written = marks.length > 0 ? await writesThatLeft(db, place, marks) : new Map();
  }
  return undefined;
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

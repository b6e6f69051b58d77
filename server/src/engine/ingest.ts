import type { Connector, Page, SourceRecord } from '@golden/connectors';
import {
  beginItem,
  comesByItself,
  handedMark,
  type ItemState,
  type JsonRecord,
  type LastSeen,
  mayComeToFit,
  readInstant,
  recordTitle,
  revisionOf,
  type Start,
  tellingOf,
  usesWaitLinks,
  type WorkflowContent,
  type WorkflowVersion,
} from '@golden/core';
import type { Insertable } from 'kysely';
import type { Trx } from '../db/group-commit.ts';
import type { IntakeRow, ItemTable, RunRow, SeenTable } from '../db/schema.ts';
import { noteTakenIn } from '../handing/keep-handed.ts';
import { echoFor } from '../in-step/echo.ts';
import { neverListed } from '../in-step/never-listed.ts';
import { businessFor } from '../settings.ts';
import {
  chunks,
  fingerprintOf,
  isChange,
  isFromTheStart,
  isSameChange,
  keptOf,
  loadSeen,
  saveSeen,
} from './change-detection.ts';
import type { EngineContext } from './context.ts';
import { gatheredMessage, gatheredUntil, gatherItems } from './gathered.ts';
import { accountsNow } from './item-accounts.ts';
import {
  type Echo,
  noOwnChanges,
  type OwnChanges,
  ownAmong,
  ownRemovals,
  type PlaceOfAccount,
  takesOwn,
  untilKnown,
} from './own-writes.ts';
import { isListedWhole } from './since.ts';
import { checkSource, sourcePages } from './source-pages.ts';
import { type Consent, consentOf, lookBeforeTaking, mostExamples, NeedsLook } from './surge-guard.ts';
import { fetchAgainLater, neverPosted } from './told-of.ts';
import { keepListed, listedBefore, markNow, mayLeaveOut, storeUnchanged } from './unchanged.ts';
import { waitLinkMaker } from './wait-link-parts.ts';
import { type Wanted, type WantedPage, wantedOf, wantedPages } from './wanted.ts';

/**
 * How a listing ended: at its end, at the most that a run may take, stopped by a person, or because its
 * source leads to another account by now.
 */
export type TakenIn = 'complete' | 'limited' | 'stopped' | 'elsewhere';

/**
 * Lists what the source has for a run and takes in what is new. Each page's items, what was seen
 * and the cursor are stored in one transaction, so that a stop in the middle neither loses nor
 * doubles a record, and the run's counts stay exact.
 */
export async function ingest(
  context: EngineContext,
  run: RunRow,
  version: WorkflowVersion,
  isStopped: () => boolean,
): Promise<TakenIn> {
  const { source } = version.content.start;
  if (!source) return 'complete';
  const intake = await context.db
    .selectFrom('intake')
    .selectAll()
    .where('id', '=', run.intake_id)
    .executeTakeFirstOrThrow();
  const { connector, account } = await context.connections.opened(source.connection);
  if (account !== intake.account) return 'elsewhere';
  await checkSource(connector, version.content);
  const start = startOf(version, intake, run);
  const echo = await echoFor(context, run.workflow_id);
  const wanted = wantedOf(run);
  if (wanted)
    return takeWanted(
      context,
      { run, version, start, intake, account, consent: undefined, echo, wanted },
      connector,
      isStopped,
    );
  const isWhole = isListedWhole(start);
  const since = isWhole ? undefined : (run.since ?? undefined);
  // The first run was looked at as it went live; one that goes on at its page was looked at as it began.
  const isChecked = run.kind !== 'first' && run.cursor === null && !isWhole;
  const isTakenWhole = start.takes === 'everything';
  const mark = run.cursor === null && !isTakenWhole ? await markNow(connector, start) : undefined;
  const before = mark === undefined ? undefined : listedBefore(intake, run);
  if (before && before.mark === mark) {
    await storeUnchanged(context, run, before);
    return 'complete';
  }
  const ask = { since, unlessAsAt: mayLeaveOut(start, before) };
  const kept = isChecked ? await lookBeforeTaking(context, connector, intake, start, ask) : undefined;
  const consent = await consentOf(context.db, run.workflow_id);
  if (start.waitsToFit) await knowVersions(context, run.intake_id);
  const listing: Listing = { run, version, start, intake, account, consent, echo };
  const pages = kept ?? sourcePages(connector, start, { ...ask, cursor: run.cursor ?? undefined });
  let [count, repeats] = [0, 0];
  const ended = await takePages(context, listing, pages, isStopped, (stored) => {
    run.high_water = stored.highWater;
    count += stored.count;
    repeats += stored.repeats;
  });
  if (ended !== 'complete') return ended;
  if (mark !== undefined && mark === (await markNow(connector, start)))
    await context.commits.run((trx) => keepListed(trx, intake, { mark, version: run.version, count, repeats }));
  return 'complete';
}

/** Takes in the records that a person chose, or that events told of, as they are now. */
async function takeWanted(
  context: EngineContext,
  listing: Listing & { readonly wanted: Wanted },
  connector: Connector,
  isStopped: () => boolean,
): Promise<TakenIn> {
  const { run, start, wanted } = listing;
  if (start.waitsToFit) await knowVersions(context, run.intake_id);
  return takePages(context, listing, wantedPages(connector, start, wanted, run.cursor), isStopped);
}

/** Takes in page after page, each in one transaction. */
async function takePages(
  context: EngineContext,
  listing: Listing,
  pages: Iterable<Page | WantedPage> | AsyncIterable<Page | WantedPage>,
  isStopped: () => boolean,
  note: (stored: StoredPage) => void = () => undefined,
): Promise<TakenIn> {
  const { run } = listing;
  // Before it is asked for: what is done later may not be in it yet.
  let askedAt = context.seams.now();
  for await (const page of pages) {
    const looked: LookedAt = { at: askedAt, own: await ownOf(context, listing, page, isStopped) };
    // What it waited for isn't known yet: the page is asked for again when it goes on.
    if (isStopped()) return 'stopped';
    for (const part of partsOf(page)) {
      context.seams.reach('take-in:before-store');
      const stored = await context.commits.run((trx) => storePage(context, trx, listing, part, looked));
      run.taken_in = stored.takenIn;
      note(stored);
      context.seams.reach('take-in:after-store');
      context.events.tell({ topic: 'run', workflow: run.workflow_id, id: run.id });
      if (stored.isFull) return 'limited';
      if (isStopped()) return 'stopped';
    }
    askedAt = context.seams.now();
  }
  return 'complete';
}

/** A page, or some of it: what the page itself tells goes with the rest of it. */
type Part = (Page | WantedPage) & { readonly isGoingOn?: boolean };

/** Records that are stored in one commit: others are answered in between. */
const storedAtOnce = 50;

/**
 * A page in parts. All but the last leave the run where it is: after a crash the page is asked for again, and what was
 * stored of it is known by then.
 */
function* partsOf(page: Page | WantedPage): Generator<Part> {
  const { records } = page;
  let from = 0;
  for (; records.length - from > storedAtOnce; from += storedAtOnce)
    yield { records: records.slice(from, from + storedAtOnce), cursor: page.cursor, isGoingOn: true };
  yield from === 0 ? page : { ...page, records: records.slice(from) };
}

/** What of a page workflows of ours did themselves, where that starts nothing. */
async function ownOf(
  context: EngineContext,
  { run, start, intake, echo, wanted }: Listing,
  page: Page | WantedPage,
  isStopped: () => boolean,
): Promise<OwnChanges> {
  // What is there as it goes live, and what a person chooses, was chosen as it stands.
  if (takesOwn(start) || run.kind === 'first' || wanted?.kind === 'chosen') return noOwnChanges;
  // What was taken out shows by its absence.
  if (start.on === 'removed' && page.cursor === null) await untilKnown(context, intake, isStopped);
  const known = await loadSeen(context.db, run.intake_id, page.records);
  return ownAmong(context, start, intake, page, known, isStopped, echo);
}

/** Reads the versions on which records were left out: a transaction can't wait for them. */
async function knowVersions({ db, workflows }: EngineContext, intakeId: string): Promise<void> {
  const versions = await db
    .selectFrom('item')
    .select(['workflow_id', 'version'])
    .distinct()
    .where('intake_id', '=', intakeId)
    .where('state', '=', 'left_out')
    .execute();
  for (const { workflow_id, version } of versions) await workflows.version(workflow_id, version);
}

/** The start as it is carried out here: from when may have been chosen for this place alone. */
function startOf({ content, locale }: WorkflowVersion, { from_when }: IntakeRow, run: RunRow): Start {
  // Whoever handed something over counts on it, whenever that was.
  if (content.start.trigger.kind === 'handed')
    return { ...content.start, on: 'added_or_changed', fromWhen: { kind: 'all' } };
  const fromWhen = from_when === null ? content.start.fromWhen : (JSON.parse(from_when) as Start['fromWhen']);
  // What comes by itself bears the time of our own clock: what came after it went live isn't noted, though it is listed.
  if (
    fromWhen.kind === 'now' &&
    run.kind === 'first' &&
    content.start.trigger.kind === 'event' &&
    comesByItself(content.start)
  )
    return { ...content.start, fromWhen: { kind: 'since', at: run.started_at } };
  if (fromWhen.kind !== 'since') return { ...content.start, fromWhen };
  // A day begins by the clock of the workflow's zone.
  return { ...content.start, fromWhen: { ...fromWhen, at: readInstant(fromWhen.at, locale.zone) ?? fromWhen.at } };
}

interface NewItemMore {
  readonly gather?: Start['gather'];
  /** The record that stands in the destination in place of another. */
  readonly instead?: string | undefined;
  /** Nobody waits for it. */
  readonly skipsWaits?: boolean;
  /** The places through which workflows of ours brought it. */
  readonly passed?: readonly PlaceOfAccount[] | undefined;
  /** What the business says of itself now, where the workflow uses it. */
  readonly business?: JsonRecord | undefined;
  /** Makes the links of an item, where the workflow uses them. */
  readonly linksOf?: ((itemId: string) => JsonRecord) | undefined;
}

/** What items that begin now are given besides their records, as far as the workflow uses it. */
export async function givenToItems(
  { waitLinks }: Pick<EngineContext, 'waitLinks'>,
  trx: Trx,
  content: WorkflowContent,
): Promise<Pick<NewItemMore, 'business' | 'linksOf'>> {
  const business = await businessFor(trx, content);
  return usesWaitLinks(content) ? { business, linksOf: await waitLinkMaker(waitLinks, trx) } : { business };
}

/** A record as an item at the beginning of its way through a version. */
export function newItem(
  id: string,
  run: Pick<RunRow, 'id' | 'workflow_id' | 'version' | 'intake_id'>,
  accounts: Readonly<Record<string, string>>,
  record: SourceRecord,
  revision: string,
  now: string,
  { gather, instead, skipsWaits, business, linksOf, passed }: NewItemMore = {},
): Insertable<ItemTable> {
  return {
    id,
    workflow_id: run.workflow_id,
    run_id: run.id,
    intake_id: run.intake_id,
    accounts: JSON.stringify(accounts),
    version: run.version,
    source_id: record.id,
    revision,
    title: recordTitle(record.record),
    state: gather ? 'waiting' : 'running',
    cause: null,
    message: gather ? gatheredMessage : null,
    wake_at: gather ? gatheredUntil(gather, now) : null,
    waits_for: null,
    item_state: JSON.stringify(
      beginItem(record.record, now, {
        sourceId: record.id,
        business,
        links: linksOf?.(id),
        ...(instead !== undefined && { instead }),
        ...(skipsWaits && { skipsWaits: true as const }),
      }),
    ),
    effect: null,
    token: null,
    taken_at: now,
    ended_at: null,
    emptied_at: null,
    passed: passed && passed.length > 0 ? JSON.stringify(passed) : null,
  };
}

/** How one record of a page is counted, and what is remembered of it. */
interface Reading {
  readonly kind: 'taken' | 'noted' | 'repeat';
  readonly record: SourceRecord;
  readonly seen: SeenTable;
  /** What its item would be known by. */
  readonly unique: string;
  /** True where its source gives it as it gave it last. */
  readonly isAsItWas: boolean;
  /** True for a change that workflows of ours made, and that starts nothing. */
  readonly isOwn?: boolean;
  /** The places through which it came, where workflows of ours alone brought it. */
  readonly passed?: readonly PlaceOfAccount[] | undefined;
}

/** When a page was asked for, and which of its records changed by our own writes only. */
interface LookedAt {
  readonly at: string;
  readonly own: OwnChanges;
}

/** How far a run is after a page. */
interface StoredPage {
  /** True when it has taken in as many as it may. */
  readonly isFull: boolean;
  readonly takenIn: number;
  readonly highWater: string | null;
  /** Records of the page, and how many of them the listing had shown before. */
  readonly count: number;
  readonly repeats: number;
}

/** What a page is taken in for. */
interface Listing {
  readonly run: RunRow;
  readonly version: WorkflowVersion;
  readonly start: Start;
  readonly intake: IntakeRow;
  /** The account that is listed. */
  readonly account: string;
  /** What a person has said of what was held back. */
  readonly consent: Consent | undefined;
  /** What is no news to it, where that depends on the way it came. */
  readonly echo: Echo | undefined;
  /** The records that it is about, where it doesn't list. */
  readonly wanted?: Wanted | undefined;
}

/** Stores one page. It changes nothing but the database, for it may be called again when the disk was full. */
async function storePage(
  context: EngineContext,
  trx: Trx,
  listing: Listing,
  page: Part,
  looked: LookedAt,
): Promise<StoredPage> {
  const { run, start, consent, wanted } = listing;
  const isOnlyNoted = consent?.kind === 'surge' && consent.answer === 'note';
  const known = await loadSeen(trx, run.intake_id, page.records);
  // What a person chose, or was told of, is all of it.
  const room = (wanted ? undefined : start.mostPerRun) ?? Number.POSITIVE_INFINITY;
  const sent = wanted?.kind === 'chosen' ? await sentAlready(trx, run.intake_id, page.records) : undefined;
  const readings: Reading[] = [];
  let taken = 0;
  for (const record of page.records) {
    const reading = read(record, known.get(record.id), run, start, isOnlyNoted, sent, looked);
    if (reading.kind === 'taken' && run.taken_in + taken >= room)
      return finishPage(context, trx, listing, readings, true, page);
    if (reading.kind === 'taken') taken += 1;
    known.set(record.id, reading.seen);
    readings.push(reading);
  }
  return finishPage(context, trx, listing, readings, false, page);
}

async function finishPage(
  context: EngineContext,
  trx: Trx,
  listing: Listing,
  readings: readonly Reading[],
  isLimited: boolean,
  page: Part,
): Promise<StoredPage> {
  const { run, version, start, account, wanted } = listing;
  await saveSeen(
    trx,
    readings.filter((reading) => reading.kind !== 'repeat').map((reading) => reading.seen),
  );
  const isAtEnd = page.cursor === null && !isLimited && !page.isGoingOn;
  const missing = 'missing' in page ? page.missing : [];
  const removed = await removedOf(context, trx, listing, { isAtEnd, missing });
  const taken = [...readings, ...removed.readings].filter((reading) => reading.kind === 'taken');
  const now = context.seams.now();
  const accounts = accountsNow(context.connections, version.content, account);
  const given = taken.length === 0 ? {} : await givenToItems(context, trx, version.content);
  for (const chunk of chunks(taken, 100)) {
    const items = chunk.map(({ record, unique, passed }) =>
      newItem(context.seams.id(), run, accounts, record, unique, now, { gather: start.gather, passed, ...given }),
    );
    await trx.insertInto('item').values(items).execute();
    await noteTakenIn(
      trx,
      start.source?.path[0] ?? '',
      chunk.flatMap(({ record }, at) => {
        const mark = handedMark(record.record);
        const item = items[at];
        return mark && item ? [{ key: mark.key, child: item.id, state: item.state }] : [];
      }),
    );
    if (start.gather)
      await gatherItems(
        trx,
        start.gather,
        items.map(({ id }) => id),
        now,
      );
  }
  if (start.on === 'added' && start.waitsToFit) await takeUpFitting(context, trx, run, accounts, readings);
  await saveSeen(
    trx,
    removed.readings.map((reading) => reading.seen),
  );
  const asTheyWere = readings.filter(({ kind, isAsItWas }) => kind !== 'taken' && isAsItWas).map(({ seen }) => seen);
  const later = [...asTheyWere.map((seen) => seen.source_id), ...missing];
  const over = wanted?.kind === 'told' ? await fetchAgainLater(trx, run.workflow_id, later, now) : missing;
  const carried = new Set(removed.readings.map(({ record }) => record.id));
  const gone = missing.filter((id) => over.includes(id) && !carried.has(id));
  const isTold = tellingOf(start) !== undefined && !wanted && run.kind !== 'first';
  const unposted = isTold
    ? await neverPosted(
        trx,
        run.workflow_id,
        taken.map(({ record }) => record),
        now,
      )
    : 0;
  const ownRemoved = removed.readings.filter(({ isOwn }) => isOwn).length;
  const own = readings.filter(({ isOwn }) => isOwn).length + ownRemoved;
  const noted = readings.filter(({ kind }) => kind === 'noted').length + (page.unchanged ?? 0) + ownRemoved;
  const repeats = readings.filter((reading) => reading.kind === 'repeat').length;
  const isFull = isLimited || removed.isLimited;
  const highWater = highest([run.high_water, ...readings.map(({ record }) => atMost(record.updated, run.started_at))]);
  await trx
    .updateTable('run')
    .set((eb) => ({
      in_source: eb('in_source', '+', taken.length + noted),
      noted_earlier: eb('noted_earlier', '+', noted),
      taken_in: eb('taken_in', '+', taken.length),
      repeats: eb('repeats', '+', repeats),
      never_posted: eb('never_posted', '+', unposted),
      own: eb('own', '+', own),
      // A run that is full doesn't list on: the next one begins where this one began.
      ...(!page.isGoingOn && { cursor: page.cursor }),
      ...(isFull && { cursor: null }),
      high_water: highWater,
      wake_at: null,
      message: null,
      ...((isFull || (page.cursor === null && !page.isGoingOn)) && { state: 'working' as const }),
      ...(isFull && {
        note: `A run takes in at most ${start.mostPerRun}. The next run takes the rest.`,
      }),
      ...(gone.length > 0 && { note: notThere(gone) }),
    }))
    .where('id', '=', run.id)
    .execute();
  const count = readings.length - repeats + (page.unchanged ?? 0);
  return { isFull, takenIn: run.taken_in + taken.length, highWater, count, repeats };
}

/** Tells that records aren't there any more. */
const notThere = (ids: readonly string[]): string =>
  ids.length === 1
    ? `The record ${ids[0]} isn’t there any more.`
    : `${ids.length} records aren’t there any more: ${ids.slice(0, 5).join(', ')}${ids.length > 5 ? ' …' : ''}.`;

const itemKey = (id: string, revision: string): string => `${id}\n${revision}`;

/** What of these records has an item: each with its revision. */
async function sentAlready(trx: Trx, intake: string, records: readonly SourceRecord[]): Promise<ReadonlySet<string>> {
  const sent = new Set<string>();
  const ids = records.map(({ id }) => id);
  for (const some of chunks(ids, 400)) {
    const rows = await trx
      .selectFrom('item')
      .select(['source_id', 'revision'])
      .where('intake_id', '=', intake)
      .where('source_id', 'in', some)
      .execute();
    for (const { source_id, revision } of rows) sent.add(itemKey(source_id, revision));
  }
  return sent;
}

function read(
  record: SourceRecord,
  last: SeenTable | undefined,
  run: RunRow,
  start: Start,
  isOnlyNoted: boolean,
  /** For records that a person chose: revisions of theirs that have an item. */
  sent: ReadonlySet<string> | undefined,
  looked: LookedAt,
): Reading {
  const fingerprint = fingerprintOf(record.record);
  const { revision, counter, unique } = revisionOf(
    { version: record.version, updated: record.updated, fingerprint },
    last as LastSeen | undefined,
  );
  const isSeen = last?.revision === revision && last.is_gone === 0;
  if (isSeen && last.run_id === run.id) return { kind: 'repeat', record, seen: last, unique, isAsItWas: true };
  if (sent?.has(itemKey(record.id, unique)) || sent?.has(itemKey(record.id, revision)))
    return { kind: 'repeat', record, seen: last as SeenTable, unique, isAsItWas: true };
  const isAnew = start.takes === 'everything' && run.kind !== 'first';
  const wasTaken = last?.is_taken === 1 && (isSeen || isSameChange(record, last, start));
  // Of what starts by being removed nothing is new while it is there.
  const isNew = sent
    ? start.on !== 'removed'
    : run.kind === 'first'
      ? !wasTaken && isFromTheStart(record, start)
      : isAnew || isChange(record, last, isSeen, start);
  const isOwn = isNew && looked.own.ids.has(record.id);
  const isTaken = isNew && !isOnlyNoted && !isOwn;
  const seen: SeenTable = {
    intake_id: run.intake_id,
    source_id: record.id,
    revision,
    fingerprint,
    counter,
    is_taken: isTaken || wasTaken ? 1 : 0,
    // A listing that is under way goes by its own mark: it must not take this record for one that is gone.
    run_id: run.wanted === null ? run.id : (last?.run_id ?? run.id),
    kept: keptOf(record, start),
    is_gone: 0,
    seen_at: looked.at,
  };
  // The run is part of the revision: each time counts by itself, and once.
  return {
    kind: isTaken ? 'taken' : 'noted',
    record,
    seen,
    isAsItWas: isSeen,
    isOwn,
    passed: looked.own.passed.get(record.id),
    unique: isAnew ? `${unique}@${run.id}` : unique,
  };
}

/**
 * Records that a condition had left out, and that have changed since, are taken up again as they are
 * now: the same item, which may fit by now.
 */
async function takeUpFitting(
  context: EngineContext,
  trx: Trx,
  run: RunRow,
  accounts: Readonly<Record<string, string>>,
  readings: readonly Reading[],
): Promise<void> {
  const changed = new Map(
    readings.filter(({ kind, seen }) => kind === 'noted' && seen.is_taken === 1).map((one) => [one.record.id, one]),
  );
  for (const ids of chunks([...changed.keys()], 400)) {
    const left = await trx
      .selectFrom('item')
      .select(['id', 'source_id', 'workflow_id', 'version', 'item_state', 'revision'])
      .where('intake_id', '=', run.intake_id)
      .where('source_id', 'in', ids)
      .where('state', '=', 'left_out')
      .where('claimed', '=', 0)
      .execute();
    for (const item of left) {
      const reading = changed.get(item.source_id);
      const version = context.workflows.knownVersion(item.workflow_id, item.version);
      const state = JSON.parse(item.item_state) as ItemState;
      if (!reading || !version || item.revision === reading.unique || !mayComeToFit(version.content, state)) continue;
      const given = await givenToItems(context, trx, version.content);
      await takeUpAgain(context, trx, run, accounts, item.id, reading, given);
    }
  }
}

async function takeUpAgain(
  { seams }: EngineContext,
  trx: Trx,
  run: RunRow,
  accounts: Readonly<Record<string, string>>,
  id: string,
  { record, unique }: Reading,
  given: Pick<NewItemMore, 'business' | 'linksOf'>,
): Promise<void> {
  const now = seams.now();
  const { run_id: _first, id: _own, taken_at: _then, ...anew } = newItem(id, run, accounts, record, unique, now, given);
  await trx.updateTable('item').set(anew).where('id', '=', id).execute();
  const content = JSON.stringify({ run: run.id });
  await trx.insertInto('journal').values({ item_id: id, at: now, kind: 'looked_again', step: null, content }).execute();
}

interface Removed {
  readonly readings: readonly Reading[];
  readonly isLimited: boolean;
}
const emptyRemoved: Removed = { readings: [], isLimited: false };

/** What was removed: as a whole listing shows by its end, or, of records that a person chose, what is still gone. */
async function removedOf(
  context: EngineContext,
  trx: Trx,
  listing: Listing,
  { isAtEnd, missing }: { readonly isAtEnd: boolean; readonly missing: readonly string[] },
): Promise<Removed> {
  const { start, wanted } = listing;
  if (start.on !== 'removed') return emptyRemoved;
  if (wanted) return { readings: await stillGone(trx, listing, missing), isLimited: false };
  return isAtEnd ? findRemoved(context, trx, listing) : emptyRemoved;
}

/** Records that were removed, taken in once more as they last were: what came of them was taken back. */
async function stillGone(trx: Trx, { run }: Listing, ids: readonly string[]): Promise<Reading[]> {
  const readings: Reading[] = [];
  for (const some of chunks(ids, 400)) {
    const rows = await trx
      .selectFrom('seen')
      .selectAll()
      .where('intake_id', '=', run.intake_id)
      .where('source_id', 'in', some)
      .where('is_gone', '=', 1)
      .where('kept', 'is not', null)
      .execute();
    const gone = rows.map(({ source_id, kept }) => ({ id: source_id, record: JSON.parse(kept ?? '{}') as JsonRecord }));
    const sent = await sentAlready(trx, run.intake_id, gone);
    for (const [at, record] of gone.entries()) {
      const seen = rows[at] as SeenTable;
      const { revision } = seen;
      if (sent.has(itemKey(record.id, revision))) continue;
      readings.push({ isAsItWas: false, kind: 'taken', record, seen, unique: revision });
    }
  }
  return readings;
}

/**
 * The records that a whole listing didn't show any more, each as it last was. When most of what was
 * known is gone at once, the listing is rather wrong than the world: a person has to say so.
 * @throws NeedsLook when more than half are gone and nobody has said that so many are
 */
async function findRemoved(
  { seams }: EngineContext,
  trx: Trx,
  { run, start, intake, consent, echo }: Listing,
): Promise<Removed> {
  const seen = trx.selectFrom('seen').where('intake_id', '=', run.intake_id).where('is_gone', '=', 0);
  const unlisted = echo ? await neverListed(trx, run, intake, echo.to) : [];
  // What nobody has seen there as it goes live was removed before, and stays as it is.
  const before = run.kind === 'first' ? unlisted : [];
  const gone = await seen.selectAll().where('run_id', '!=', run.id).orderBy('source_id').execute();
  if (run.kind !== 'first') gone.push(...unlisted);
  const { known } = await seen.select((eb) => eb.fn.countAll<number>().as('known')).executeTakeFirstOrThrow();
  const isSaid = consent?.kind === 'removed' && gone.length <= consent.count;
  if (!isSaid && gone.length > fewRemoved && gone.length > known / 2) {
    const examples = gone
      .slice(0, mostExamples)
      .map(({ kept, source_id }) => (kept ? recordTitle(JSON.parse(kept)) : source_id));
    throw new NeedsLook({ kind: 'removed', count: gone.length, of: known, examples, at: seams.now() });
  }
  const room = (start.mostPerRun ?? Number.POSITIVE_INFINITY) - run.taken_in;
  const roomFor = gone.slice(0, room);
  const own = takesOwn(start) ? noOwnChanges : await ownRemovals(trx, intake, roomFor, echo);
  const readings = roomFor.map((last): Reading => {
    const isOwn = own.ids.has(last.source_id);
    const passed = own.passed.get(last.source_id);
    const counter = last.counter + 1;
    const record = { id: last.source_id, record: last.kept ? (JSON.parse(last.kept) as JsonRecord) : {} };
    // A record that nobody kept can't be carried anywhere; it is only noted that it went.
    const kind = last.kept && !isOwn && consent?.answer !== 'note' ? 'taken' : 'noted';
    const revision = `gone:${counter}`;
    return {
      isAsItWas: false,
      isOwn,
      kind,
      record,
      seen: { ...last, counter, revision, is_gone: 1, run_id: run.id },
      unique: revision,
      ...(passed && { passed }),
    };
  });
  return { readings: [...readings, ...before.map(asGone)], isLimited: gone.length > readings.length };
}

/** That a record went is noted, and nothing comes of it. */
function asGone(last: SeenTable): Reading {
  const record = { id: last.source_id, record: {} };
  return { kind: 'noted', isAsItWas: false, record, seen: { ...last, is_gone: 1 }, unique: last.revision };
}

/** So few removals are believed at once. */
const fewRemoved = 10;

/**
 * A source's time, no later than when its listing began: one record from the year 2030 must not keep
 * everything else from being listed until then.
 */
function atMost(told: string | undefined, limit: string): string | undefined {
  const instant = told ? readInstant(told, 'utc') : undefined;
  return instant !== undefined && instant > limit ? limit : told;
}

function highest(instants: readonly (string | null | undefined)[]): string | null {
  const given = instants.filter((one): one is string => Boolean(one));
  return given.reduce<string | null>(
    (most, one) => (most === null || Date.parse(one) > Date.parse(most) ? one : most),
    null,
  );
}

import { createHash } from 'node:crypto';
import { AppError, type SourceRecord } from '@golden/connectors';
import {
  type Advance,
  type Answer,
  advance,
  assumedId,
  assumedRecord,
  beginItem,
  describedPlace,
  doublesOf,
  type Effect,
  type Found,
  handedPiece,
  type IndexField,
  type ItemState,
  type ItemStateName,
  isPlaced,
  type JsonRecord,
  keyText,
  type LinkSubject,
  type MadeOf,
  marksOf,
  onPaper,
  type Pointer,
  plainStepId,
  readPointer,
  recordTitle,
  rehearsedAs,
  type Settled,
  skipped,
  stepById,
  type Target,
  type WorkflowContent,
  type WorkflowVersion,
  writePointer,
} from '@golden/core';
import { whyUnwanted } from '../consent/may-send.ts';
import { RehearsedPeople, stoppedBecause } from '../consent/once.ts';
import type { RehearsalItemTable } from '../db/schema.ts';
import { receiverOf, receivingVersion } from '../handing/receivers.ts';
import { type RehearsedHanded, rehearseHanded } from '../handing/rehearse-handed.ts';
import { baseOf } from '../in-step/pairs.ts';
import { withPartners } from '../in-step/partner.ts';
import { textsOf } from '../matching/copy.ts';
import type { Overlay } from '../matching/index-host.ts';
import { linkedTo } from '../matching/links.ts';
import type { MatchWorld } from '../matching/matcher.ts';
import { apartFrom } from '../matching/not-same.ts';
import type { Workflow } from '../workflows.ts';
import { answerOf } from './answers.ts';
import type { EngineContext } from './context.ts';
import { checkDestination } from './destination-check.ts';
import { findIn } from './effects/find.ts';
import { accountsOfNow, sourceOf } from './item-accounts.ts';
import { withLastWrites } from './last-written.ts';
import { countRehearsed, noCounts } from './rehearsal-counts.ts';

/** What one rehearsal has asked, made and changed: shared by all workflows that its records go through. */
class RehearsalLayers {
  readonly cache = new Map<string, Promise<readonly Found[]>>();
  /** Records made or changed here, by place and id. */
  readonly overlay = new Map<string, Map<string, JsonRecord>>();
  /** Records that would be removed, by place and id. */
  readonly gone = new Set<string>();
  readonly links = new Map<string, string>();
  readonly records = new Map<string, Promise<Found | null>>();
  /** What this rehearsal has sent to each record, by place and id. */
  readonly sent = new Map<string, Record<Pointer, MadeOf>>();
  /** Ids of the overlay by place, in the order in which they were made or changed. */
  readonly changed = new Map<string, string[]>();
  /** How many of those an index has taken in. */
  readonly indexed = new Map<string, number>();
  made = 0;

  constructor(readonly id: string) {}
}

/**
 * Answers the effects of a rehearsal: reads go to the real apps, once and cached, or for many records to a listing just taken; writes land in an
 * overlay that later finds see, so that two new doubles find each other. Nothing outside changes.
 */
export class RehearsalWorld {
  /** Who is in it by now, where each person is once. */
  readonly people: RehearsedPeople;
  private readonly receivers = new Map<string, Promise<Receiver | undefined>>();
  private constructor(
    private readonly context: EngineContext,
    /** What stands in the way of each write, by its step. */
    private readonly standings: ReadonlyMap<string, Answer>,
    private readonly content: WorkflowContent,
    private readonly workflowId: string,
    /** The places whose copies, just brought up to date, stand for the places themselves. */
    private readonly copies: ReadonlySet<string>,
    private readonly layers: RehearsalLayers,
  ) {
    this.people = new RehearsedPeople(context.db, workflowId, content);
  }

  /**
   * Looks at every destination as it is now before anything is rehearsed. For many records the places that
   * are searched are listed once and read from that; for a few each record is asked for.
   */
  static async open(
    context: EngineContext,
    content: WorkflowContent,
    workflowId: string,
    records: number,
    layers = new RehearsalLayers(context.seams.id()),
  ): Promise<RehearsalWorld> {
    const standings = new Map<string, Answer>();
    const copies = new Set<string>();
    for (const step of content.steps.filter(isPlaced)) {
      const answer = step.isOff ? undefined : await checkDestination(context, content, step);
      if (answer) standings.set(step.id, answer);
      if (!step.target || !step.ladder) continue;
      if (!answer && !step.isOff && records >= worthListing && (await context.mirrors.standsIn(step.target)))
        copies.add(placeOf(step.target));
      await context.mirrors.settle(step.target);
    }
    return new RehearsalWorld(context, standings, content, workflowId, copies, layers);
  }

  /** The world of the workflow that takes in what is handed over to an inbox; opened once. */
  receiver(inbox: string): Promise<Receiver | undefined> {
    const known = this.receivers.get(inbox) ?? this.openReceiver(inbox);
    this.receivers.set(inbox, known);
    return known;
  }

  private async openReceiver(inbox: string): Promise<Receiver | undefined> {
    const { context } = this;
    const workflow = await receiverOf(context, inbox);
    if (!workflow) return undefined;
    const version = await receivingVersion(context, workflow);
    const world = await RehearsalWorld.open(context, version.content, workflow.id, 1, this.layers);
    return { workflow, version, world };
  }

  /** What stands in the way of a step as its place is now; undefined where nothing does. */
  standing(step: string): Answer | undefined {
    return this.standings.get(plainStepId(step));
  }

  async answer(effect: Exclude<Effect, { kind: 'handOver' | 'handedBack' }>): Promise<Answer> {
    const standing = effect.kind === 'readBack' ? undefined : this.standing(effect.step);
    if (standing) return standing;
    try {
      switch (effect.kind) {
        case 'find':
          return { kind: 'found', matches: await this.find(effect) };
        case 'match':
          return await this.context.matcher.answer(effect, this.matchWorld);
        case 'fetch':
          return { kind: 'fetched', found: await this.read(effect.target, effect.id) };
        case 'write':
          return await this.write(effect);
        case 'readBack':
          return { kind: 'read', record: this.layer(effect.target).get(effect.id) ?? null };
      }
    } catch (error) {
      return answerOf(this.context.connections, error);
    }
  }

  /** What a rehearsal sees: each record read once, with what it has made and changed itself laid over. */
  private readonly matchWorld: MatchWorld = {
    read: (target, id) => this.read(target, id),
    isCopied: (target) => this.copies.has(placeOf(target)),
    linked: async ({ link, target }) => {
      if (!link) return undefined;
      const own = this.layers.links.get(linkName(link, target));
      if (own !== undefined) return { id: own, isLeft: false };
      const accounts = accountsOfNow(this.context.connections, this.content);
      return linkedTo(this.context.db, accounts.linkEnd(link), {
        account: accounts.of(target.connection),
        path: target.path,
      });
    },
    apart: ({ connection, path }, id) =>
      apartFrom(this.context.db, { account: this.context.connections.accountOf(connection), path }, id),
    made: (target, index, fields) => this.indexMade(target, index, fields),
  };

  /** The index of what this rehearsal has made and changed in a place, with what is new since it was asked last. */
  private indexMade(target: Target, index: string, fields: readonly IndexField[]): Overlay | undefined {
    const layer = this.layer(target);
    if (layer.size === 0) return undefined;
    const name = `${index}|rehearsal ${this.layers.id}`;
    const changed = this.layers.changed.get(placeOf(target)) ?? [];
    const news = new Set(changed.slice(this.layers.indexed.get(name) ?? 0));
    this.layers.indexed.set(name, changed.length);
    return { name, fields, news: [...news].map((id) => ({ id, texts: textsOf(layer.get(id) ?? {}, fields) })) };
  }

  /** Lets go of what was kept for looking things up. */
  async close(): Promise<void> {
    for (const name of this.layers.indexed.keys()) await this.context.mirrors.worker.host.close(name);
  }

  private read(target: Target, id: string): Promise<Found | null> {
    const changed = this.layer(target).get(id);
    const name = `${placeOf(target)}|${id}`;
    const known = this.layers.records.get(name) ?? this.readThere(target, id);
    this.layers.records.set(name, known);
    if (this.layers.gone.has(name)) return Promise.resolve(null);
    return known.then((found) => {
      const now = changed ? { ...found, id, record: changed } : found;
      return now && this.withOwn(target, now);
    });
  }

  private async readThere(target: Target, id: string): Promise<Found | null> {
    if (id.startsWith(assumedId)) return null;
    const copied = this.copies.has(placeOf(target)) ? await this.context.mirrors.get(target, id) : undefined;
    const connector = await this.context.connections.connector(target.connection);
    const there = copied ? { record: copied } : await connector.fetch(target.path, id);
    if (!there) return null;
    const [found] = await this.withLast(target, [{ id, record: there.record }]);
    return found ?? null;
  }

  /** Keeps what was settled with a record, as a run would: its next change is measured by it. */
  settle(settled: Settled): void {
    for (const { target, id, fields } of [settled, ...(settled.also ? [settled.also] : [])]) {
      const name = `${placeOf(target)}|${id}`;
      this.layers.sent.set(name, { ...this.layers.sent.get(name), ...fields });
    }
  }

  /** Remembers what this rehearsal matched, as a run would: the next change of the same record meets it. */
  remember(state: ItemState): void {
    for (const [id, result] of Object.entries(state.steps)) {
      const step = stepById(this.content, id);
      if ((result.kind !== 'found' && result.kind !== 'written') || !result.link || !step || !isPlaced(step)) continue;
      if (!step.target) continue;
      this.layers.links.set(linkName(result.link, step.target), result.id);
      const back = this.backFrom(step.target, result.id);
      if (id === this.content.inStep?.step && back !== undefined) this.layers.links.set(back, result.link.id);
    }
  }

  /** What the link back from a record of the other place of a pair is called. */
  private backFrom({ connection, path }: Pick<Target, 'connection' | 'path'>, id: string): string | undefined {
    const { source } = this.content.start;
    return source ? linkName({ connection, place: path, id }, source) : undefined;
  }

  private async find({ target, by, all }: Extract<Effect, { kind: 'find' }>): Promise<readonly Found[]> {
    const name = `${placeOf(target)}|${by.path}|${keyText(by.value)}|${all ?? ''}`;
    const real = this.layers.cache.get(name) ?? this.findThere(target, by, all);
    this.layers.cache.set(name, real);
    const layer = this.layer(target);
    const there = (await real).map((found) => ({ ...found, record: layer.get(found.id) ?? found.record }));
    const known = new Set(there.map((found) => found.id));
    const made = [...layer].filter(
      ([id, record]) => !known.has(id) && keyText(readPointer(record, by.path)) === keyText(by.value),
    );
    return [...there, ...made.map(([id, record]) => ({ id, record }))].map((found) => this.withOwn(target, found));
  }

  private async findThere(
    target: Target,
    by: Extract<Effect, { kind: 'find' }>['by'],
    all: number | undefined,
  ): Promise<readonly Found[]> {
    const connector = await this.context.connections.connector(target.connection);
    const found = await findIn(connector, target.path, by, all);
    return this.withLast(target, found);
  }

  private withLast({ connection, path }: Target, found: readonly Found[]): Promise<Found[]> {
    const { db, connections } = this.context;
    const { content, workflowId } = this;
    const account = connections.accountOf(connection);
    return withLastWrites(db, baseOf(content, workflowId), account, path, found).then((known) =>
      withPartners(
        db,
        { content, workflow: workflowId, source: sourceOf(connections, content) },
        { account, path },
        known,
      ),
    );
  }

  /** A record with what this rehearsal itself has sent it by now. */
  private withOwn(target: Target, found: Found): Found {
    const own = this.layers.sent.get(`${placeOf(target)}|${found.id}`);
    const pairedWith = this.layers.links.get(this.backFrom(target, found.id) ?? '');
    return {
      ...found,
      ...(own && { last: { ...found.last, ...own } }),
      ...(this.content.inStep && pairedWith !== undefined && { pairedWith }),
    };
  }

  private async write({ step, write }: Extract<Effect, { kind: 'write' }>): Promise<Answer> {
    const unwanted = await whyUnwanted(this.context.db, write, this.content);
    if (unwanted !== undefined) return { kind: 'not_sent', why: unwanted };
    const connector = await this.context.connections.connector(write.target.connection);
    // A call that only reads changes nothing, so that a rehearsal may really ask.
    if (connector.onlyReads?.(write.target.path)) {
      const { id, record } = await connector.create({ write, token: this.context.seams.id() });
      return { kind: 'written', id, ...(record && { record }) };
    }
    const problems = (await connector.problemsOf?.({ write, token: this.context.seams.id() })) ?? [];
    if (problems.length > 0) return { kind: 'refused', cause: 'refused', message: problems.join(' ') };
    const layer = this.layer(write.target);
    if (write.kind === 'remove' && write.id !== undefined) {
      layer.delete(write.id);
      this.layers.gone.add(`${placeOf(write.target)}|${write.id}`);
      return { kind: 'written', id: write.id };
    }
    if (write.kind === 'update' && write.id !== undefined) {
      const before = layer.get(write.id) ?? write.before ?? {};
      const record = Object.entries(write.values).reduce(
        (all, [path, value]) => writePointer(all, path, value),
        before,
      );
      this.lay(write.target, write.id, record);
      return { kind: 'written', id: write.id, record };
    }
    this.layers.made += 1;
    const id = `${assumedId} (${this.layers.made})`;
    const record = assumedRecord(write, describedPlace(this.content, step), id);
    this.lay(write.target, id, record);
    return { kind: 'written', id, record };
  }

  private lay(target: Target, id: string, record: JsonRecord): void {
    this.layer(target).set(id, record);
    const place = placeOf(target);
    const known = this.layers.changed.get(place);
    if (known) known.push(id);
    else this.layers.changed.set(place, [id]);
  }

  private layer(target: Pick<Target, 'connection' | 'path'>): Map<string, JsonRecord> {
    const name = placeOf(target);
    const layer = this.layers.overlay.get(name) ?? new Map<string, JsonRecord>();
    this.layers.overlay.set(name, layer);
    return layer;
  }
}

/** A workflow to which is handed over while rehearsing. */
interface Receiver {
  readonly workflow: Workflow;
  readonly version: WorkflowVersion;
  readonly world: RehearsalWorld;
}

/** True where it comes to a wait, or to what goes out to somebody. */
const isSending = ({ park, effect }: Advance): boolean =>
  park !== undefined || (effect?.kind === 'write' && effect.write.message !== undefined);

const linkName = (from: LinkSubject, to: Pick<Target, 'connection' | 'path'>): string =>
  `${from.connection}|${from.place.join('/')}|${from.id}→${placeOf(to)}`;

const placeOf = (target: Pick<Target, 'connection' | 'path'>): string =>
  `${target.connection}|${target.path.join('/')}`;

/** From so many records on a place is listed once instead of being asked for each. */
const worthListing = 40;

/** How many records a rehearsal takes. */
export type RehearsalScope = 'samples' | 'last_200' | 'all' | 'chosen';

/** What one record came to when a part of a workflow was tried. */
export interface Tried {
  readonly sourceId: string;
  readonly title: string;
  readonly state: ItemStateName;
  readonly detail: ItemState;
}

/** Of what one sample would hand over so many are samples of whoever takes it in. */
const mostOfOne = 20;

/** A row of the sheet, with the state it came from. */
type Rehearsed = Omit<RehearsalItemTable, 'workflow_id' | 'at' | 'item_state'> & { readonly reached: ItemState };

/** Rehearses a draft over many records and keeps what each would come to. */
export class Rehearsals {
  private readonly stopping = new Set<string>();
  private readonly under = new Map<string, Promise<void>>();

  constructor(private readonly context: EngineContext) {}

  /** Begins one; the result is read from the data file while and after it runs. */
  async begin(
    workflowId: string,
    scope: RehearsalScope,
    records: () => Promise<readonly SourceRecord[]>,
    layers?: RehearsalLayers,
  ): Promise<void> {
    await this.stop(workflowId);
    const { db, seams, workflows } = this.context;
    const workflow = await workflows.get(workflowId);
    await db.deleteFrom('rehearsal').where('workflow_id', '=', workflowId).execute();
    await db
      .insertInto('rehearsal')
      .values({
        workflow_id: workflowId,
        scope,
        state: 'running',
        draft_rev: workflow.draftRev,
        fingerprint: rehearsedFingerprint(workflow.draft),
        started_at: seams.now(),
        ended_at: null,
        total: 0,
        message: null,
        counts: JSON.stringify(noCounts()),
      })
      .execute();
    const work = this.work(workflowId, records, layers).finally(() => this.under.delete(workflowId));
    this.under.set(workflowId, work);
  }

  /**
   * Rehearses two directions as a whole, one after the other: the second meets what the first would have made and
   * changed, in the places that it looks in and in the records that it begins with.
   */
  async beginBoth(
    [first, second]: readonly [string, string],
    recordsOf: (workflowId: string) => Promise<readonly SourceRecord[]>,
  ): Promise<void> {
    const layers = new RehearsalLayers(this.context.seams.id());
    await this.stop(second);
    await this.begin(first, 'all', () => recordsOf(first), layers);
    const ended = this.wait(first);
    await this.begin(
      second,
      'all',
      async () => {
        await ended;
        const { source } = (await this.context.workflows.get(second)).draft.start;
        const made = source ? layers.overlay.get(placeOf(source)) : undefined;
        return (await recordsOf(second)).map((one) => ({ ...one, record: made?.get(one.id) ?? one.record }));
      },
      layers,
    );
  }

  /** Waits for a rehearsal that is under way. */
  async wait(workflowId: string): Promise<void> {
    await this.under.get(workflowId);
  }

  /** Stops all that are under way. */
  async stopAll(): Promise<void> {
    await Promise.all([...this.under.keys()].map((id) => this.stop(id)));
  }

  async stop(workflowId: string): Promise<void> {
    const under = this.under.get(workflowId);
    if (!under) return;
    this.stopping.add(workflowId);
    await under;
    this.stopping.delete(workflowId);
  }

  /** Takes records through a content at once and gives what each came to, keeping nothing. */
  async try(workflowId: string, version: WorkflowVersion, records: readonly SourceRecord[]): Promise<readonly Tried[]> {
    const world = await RehearsalWorld.open(this.context, version.content, workflowId, records.length);
    const tried: Tried[] = [];
    for (const record of records) {
      const { state, reached, title, source_id } = await this.rehearseOne(world, version, record);
      tried.push({ sourceId: source_id, title, state, detail: reached });
    }
    await world.close();
    return tried;
  }

  /** What lookups answered for each record on its way, by record and step; the sheet takes its samples through with them. */
  async answers(
    workflowId: string,
    version: WorkflowVersion,
    records: readonly SourceRecord[],
  ): Promise<Record<string, Record<string, Answer>>> {
    const world = await RehearsalWorld.open(this.context, version.content, workflowId, records.length);
    // Sources name their records as they like, also by a word that every object knows.
    const told: Record<string, Record<string, Answer>> = Object.create(null);
    for (const record of records) {
      const own: Record<string, Answer> = {};
      await this.rehearseOne(world, version, record, (effect, answer) => {
        const isListed = effect.kind === 'find' && stepById(version.content, effect.step)?.kind === 'lookup';
        if (effect.kind === 'match' || effect.kind === 'fetch' || isListed) own[effect.step] = answer;
      });
      told[record.id] = own;
    }
    await world.close();
    return told;
  }

  private async work(
    workflowId: string,
    load: () => Promise<readonly SourceRecord[]>,
    layers?: RehearsalLayers,
  ): Promise<void> {
    const { db, workflows, seams, events } = this.context;
    let state: 'done' | 'stopped' | 'broken' = 'done';
    let message: string | null = null;
    try {
      const version = await workflows.draftVersion(workflowId);
      const records = await load();
      await db.updateTable('rehearsal').set({ total: records.length }).where('workflow_id', '=', workflowId).execute();
      const isComplete = await this.rehearse(workflowId, version, records, layers);
      if (!isComplete) state = 'stopped';
    } catch (error) {
      state = 'broken';
      message = this.context.redaction.clean(error instanceof AppError ? error.message : 'Golden Relay had a fault.');
      if (!(error instanceof AppError))
        this.context.log.error({ error: this.context.redaction.clean(String(error)) }, 'a rehearsal failed');
    }
    await db
      .updateTable('rehearsal')
      .set({ state, message, ended_at: seams.now() })
      .where('workflow_id', '=', workflowId)
      .execute();
    events.tell({ topic: 'rehearsal', workflow: workflowId });
  }

  private async rehearse(
    workflowId: string,
    version: WorkflowVersion,
    records: readonly SourceRecord[],
    layers?: RehearsalLayers,
  ): Promise<boolean> {
    const world = await RehearsalWorld.open(this.context, version.content, workflowId, records.length, layers);
    let rows: RehearsalItemTable[] = [];
    const counts = noCounts();
    const flush = async (): Promise<void> => {
      const ready = rows;
      rows = [];
      if (ready.length > 0)
        await this.context.db.transaction().execute(async (tx) => {
          await tx.insertInto('rehearsal_item').values(ready).execute();
          const counted = JSON.stringify(counts);
          await tx.updateTable('rehearsal').set({ counts: counted }).where('workflow_id', '=', workflowId).execute();
        });
      this.context.events.tell({ topic: 'rehearsal', workflow: workflowId });
    };
    const { later, golden } = doublesOf(records, version.content.start);
    for (const [at, given] of records.entries()) {
      const record = { ...given, record: golden.get(given.id) ?? given.record };
      const double = later.get(given.id);
      if (this.stopping.has(workflowId)) {
        await flush();
        return false;
      }
      const { reached, ...row } = await this.rehearseOne(world, version, record, undefined, double);
      countRehearsed(counts, row.state, reached);
      rows.push({ workflow_id: workflowId, at, ...row, item_state: JSON.stringify(reached) });
      if (rows.length >= 100) await flush();
    }
    await flush();
    await world.close();
    return true;
  }

  private answer(
    world: RehearsalWorld,
    version: WorkflowVersion,
    { state, effect }: { readonly state: ItemState; readonly effect: Effect },
    handed: Map<string, RehearsedHanded>,
  ): Promise<Answer> {
    if (effect.kind === 'handOver') return this.handOver(world, version, state, effect, handed);
    if (effect.kind !== 'handedBack') return world.answer(effect);
    return Promise.resolve(handed.get(effect.step)?.back(effect.wants) ?? answerNothingBack);
  }

  /** What is handed over is rehearsed on in the workflow that takes it in. */
  private async handOver(
    world: RehearsalWorld,
    version: WorkflowVersion,
    state: ItemState,
    effect: Extract<Effect, { kind: 'handOver' }>,
    handed: Map<string, RehearsedHanded>,
  ): Promise<Answer> {
    const standing = world.standing(effect.step);
    if (standing) return standing;
    const receiver = await world.receiver(effect.target.path[0] ?? '');
    const done = await rehearseHanded(version, state, effect, receiver?.workflow, (record) => {
      if (!receiver) throw new Error('Nobody takes it in.');
      return this.rehearseOne(receiver.world, receiver.version, record);
    });
    handed.set(effect.step, done);
    return done.answer;
  }

  /** What records would hand over to an inbox, as far as they come there: samples for whoever takes it in. */
  async handedBy(
    workflowId: string,
    version: WorkflowVersion,
    records: readonly SourceRecord[],
    inbox: string,
  ): Promise<SourceRecord[]> {
    const world = await RehearsalWorld.open(this.context, version.content, workflowId, records.length);
    const found: SourceRecord[] = [];
    for (const record of records)
      await this.rehearseOne(world, version, record, (effect, _answer, state) => {
        if (effect.kind !== 'handOver' || effect.target.path[0] !== inbox) return;
        const piece = handedPiece(version, state, effect.step, 0, mostOfOne);
        for (const { turn, record: made } of piece.records) {
          const id = `${record.id}.${effect.step}#${turn}`;
          const handed: JsonRecord = { key: id };
          found.push({ id, record: { ...made, $arrival: { id, at: state.takenAt, handed } } });
        }
      });
    await world.close();
    return found;
  }

  private async rehearseOne(
    world: RehearsalWorld,
    version: WorkflowVersion,
    source: SourceRecord,
    heard: (effect: Effect, answer: Answer, state: ItemState) => void = () => undefined,
    double?: ItemState['double'],
  ): Promise<Rehearsed> {
    const begun = beginItem(source.record, this.context.seams.now(), {
      sourceId: source.id,
      ...onPaper(version),
      ...(double && { double }),
    });
    const title = recordTitle(source.record);
    const handed = new Map<string, RehearsedHanded>();
    let step: Advance = advance(version, begun, { kind: 'begin' });
    while (!step.outcome) {
      const already = isSending(step) ? await world.people.why(source.record, source.id, title) : undefined;
      if (step.park) {
        const by = already === undefined ? skipped : { kind: 'woken' as const, by: stoppedBecause(already) };
        step = advance(version, step.state, by);
        continue;
      }
      const { effect, state } = step;
      const answer = already === undefined ? await this.answer(world, version, step, handed) : unwanted(already);
      heard(effect, answer, state);
      step = advance(version, step.state, answer);
      if (step.settled) world.settle(step.settled);
    }
    world.remember(step.state);
    const { outcome } = step;
    return {
      source_id: source.id,
      title,
      state: outcome.kind,
      cause: outcome.kind === 'unsettled' ? outcome.cause : null,
      message: outcome.kind === 'unsettled' ? outcome.message : outcome.kind === 'left_out' ? outcome.why : null,
      reached: step.state,
      marks: ` ${[...marksOf(step.state)].join(' ')} `,
    };
  }
}

/** Whom it goes to is in it already. */
const unwanted = (why: string): Answer => ({ kind: 'not_sent', why, leavesOut: true });

/** What is said of what was handed over where nobody knows of it. */
const answerNothingBack: Answer = {
  kind: 'handed_back',
  open: 0,
  unsettled: 0,
  message: '',
  counts: { delivered: 0, leftOut: 0, dropped: 0 },
};

/** What a rehearsal of this draft is known by: another draft that comes to the same has the same. */
export const rehearsedFingerprint = (draft: WorkflowContent): string =>
  createHash('sha256').update(rehearsedAs(draft)).digest('base64url');

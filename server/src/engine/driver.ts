import { type AppError, Changed, Locked, NoAnswer } from '@golden/connectors';
import {
  type Advance,
  type Answer,
  advance,
  type Effect,
  handedPiece,
  type ItemState,
  isPlaced,
  isSameJson,
  type JsonRecord,
  type MadeOf,
  nest,
  type Outcome,
  type PlannedWrite,
  type Pointer,
  plainStepId,
  readPointer,
  sentFields,
  startId,
  stepById,
  type Target,
  type WokenBy,
  type WorkflowVersion,
} from '@golden/core';
import type { Kept } from '../consent/may-send.ts';
import type { Trx } from '../db/group-commit.ts';
import type { ItemRow, WriteRow } from '../db/schema.ts';
import { handedBack } from '../handing/handed-back.ts';
import { handedSoFar, keepHanded, pieceSize } from '../handing/keep-handed.ts';
import { baseOf } from '../in-step/pairs.ts';
import { type AccountPlace, cutPair } from '../matching/links.ts';
import { WorkerLost } from '../matching/worker-client.ts';
import { loadSettings } from '../settings.ts';
import { answerOf, noteBroken } from './answers.ts';
import { answerOfFault, type Sent } from './batch-writer.ts';
import type { EngineContext } from './context.ts';
import { Standings } from './destination-check.ts';
import type { Claimed } from './dispatcher.ts';
import { Effects, type Resumed } from './effects/effects.ts';
import type { ReadingEffect } from './effects/reading.ts';
import { closeIntent, keepReadBack, keepRemoved, lastDone, openIntents, writeOf } from './intents.ts';
import { accountsNow, ItemAccounts } from './item-accounts.ts';
import { type Standstill, storeItem, type Work } from './item-store.ts';
import { type JournalLine, lineOfEffect } from './journal-lines.ts';
import { keepSent } from './last-written.ts';
import { OpenFiles } from './open-files.ts';
import { wokenBy } from './parks.ts';
import { didNothing, isPassing } from './pauses.ts';
import { releaseBehind } from './predecessors.ts';
import { begunAnew, goneMeanwhile, hasWritten, restartedItem, thereAfterAll } from './restart-item.ts';
import { keepSettled } from './settled.ts';
import { type Hold, holdOf, holdOfIntent, StepLock } from './step-lock.ts';
import { dropChanges, gatherChanges, StoredState } from './stored-state.ts';
import { Turns } from './turns.ts';
import { begunElsewhere, type Resting, Waking } from './waking.ts';

/** How often a write is planned anew because the destination keeps changing. */
const mostStales = 8;
/** How often a write of one item goes out without an answer before its connection is given a rest. */
const mostUnanswered = 3;

/** How an item came to rest. */
export type Rest = Outcome | 'waits';

/** Where an item stands, with what it asks for next. */
type At = { readonly state: ItemState; readonly effect: Effect };

/** What one effect came to: the next state, or a reason to stand still where it is. */
type Step = { readonly next: Advance } | { readonly standstill: Standstill; readonly at?: Advance };

/** What others are told while an item is driven. */
export interface Heard {
  /** A connection that was held up has answered again. */
  answered(connection: string): Promise<void>;
  /** What stood behind an item of this workflow can go on. */
  released(workflowId: string): void;
  /** A record of this workflow was delivered. */
  delivered(workflowId: string): void;
  /** Something was put into the inbox of another workflow. */
  handedOver(inbox: string): void;
  /** Something that was handed over has come to rest: who waits for it may go on. */
  handedRests(): void;
  /** An item was stopped because its place has changed. */
  drifted(workflowId: string): void;
  /** An item waits so many milliseconds, and for nothing else. */
  sleeps(itemId: string, wait: number): void;
}

/** Drives items that it was given under a claim, carrying out each effect through a connector. */
export class Driver {
  readonly effects: Effects;
  readonly standings: Standings;
  readonly turns = new Turns();
  readonly openFiles: OpenFiles;

  constructor(
    private readonly context: EngineContext,
    readonly heard: Heard,
  ) {
    this.effects = new Effects(context);
    this.standings = new Standings(context);
    this.openFiles = new OpenFiles(context.seams);
  }

  /**
   * Takes a claimed item as far as it goes: to its end, or until a person, an app or time is needed.
   * A fault of our own ends this item, with its reason, and nothing else.
   */
  async drive(item: Claimed): Promise<Rest> {
    this.turns.begin(item.run_id, item.seq);
    try {
      const version = await this.context.workflows.version(item.workflow_id, item.version);
      const begun = await this.inAccountsOfNow(item, version);
      return await new Passage(this.context, this, { item: begun, version }).go(item.has_intent === 1);
    } catch (error) {
      return await this.endByFault(item, error);
    } finally {
      this.turns.end(item.run_id, item.seq);
    }
  }

  /** An item that begins while a connection of its steps leads to another account than when it was taken in. */
  private async inAccountsOfNow(item: Claimed, version: WorkflowVersion): Promise<ItemRow> {
    const moved = new ItemAccounts(item, version.content).moved(accountsNow(this.context.connections, version.content));
    const state = JSON.parse(item.item_state) as ItemState;
    if (item.has_intent === 1 || moved.length === 0 || hasWritten(state)) return item;
    return beginElsewhere(this.context, { item, version }, state);
  }

  private async endByFault(item: ItemRow, error: unknown): Promise<Rest> {
    const { context } = this;
    const said = context.redaction.clean(error instanceof Error ? error.message : String(error));
    context.log.error({ item: item.id, said }, 'an item could not be driven');
    const message = `Golden Relay had a fault: ${said}`;
    const isReleased = await context.commits.run(async (trx) => {
      await gatherChanges(trx, item.id);
      await trx
        .updateTable('item')
        .set({ state: 'unsettled', cause: 'fault', message, claimed: 0, wake_at: null, ended_at: context.seams.now() })
        .where('id', '=', item.id)
        .where('claimed', '=', 1)
        .execute();
      return releaseBehind(trx, item);
    });
    if (isReleased) this.heard.released(item.workflow_id);
    context.events.tell({ topic: 'item', workflow: item.workflow_id, id: item.run_id });
    return { kind: 'unsettled', step: '', cause: 'fault', message };
  }
}

/** One item on its way, from its claim until it comes to rest. */
class Passage {
  private readonly lock: StepLock;
  private readonly journal: JournalLine[] = [];
  private intents = new Map<string, WriteRow>();
  /** The write that is being read back. */
  private written: { readonly step: string; readonly row: WriteRow } | undefined;
  private accounts: ItemAccounts;
  private endComing: (() => Promise<void>) | undefined;
  /** Of two places in step one record at a time is judged and written, whichever side it began on. */
  private releasePair: (() => void) | undefined;
  private stored: StoredState;
  private stales = 0;
  private unanswered = 0;
  /** True once the end of the item is in the data file. */
  private isStored = false;
  /** True when something stood behind the item, and can go on now. */
  private releases = false;
  /** What the app said when it found a record changed. */
  private lastWords: string | undefined;

  constructor(
    private readonly context: EngineContext,
    private readonly driver: Pick<Driver, 'effects' | 'standings' | 'heard' | 'turns' | 'openFiles'>,
    private work: Work,
  ) {
    this.lock = new StepLock(context.places);
    this.stored = storedIn(work.item);
    this.accounts = new ItemAccounts(work.item, work.version.content);
  }

  async go(hasIntent: boolean): Promise<Rest> {
    const { item } = this.work;
    if (hasIntent) this.intents = await openIntents(this.context.db, item.id);
    const effect = item.effect ? (JSON.parse(item.effect) as Effect) : undefined;
    let outcome: Outcome | undefined;
    try {
      const begun = this.stored.state.phase === 'parked' ? await this.wakeUp() : await this.begun(effect);
      if ('rests' in begun) return await this.waitOn(begun.rests);
      let at = begun;
      while (at.effect) {
        const step = await this.step({ state: at.state, effect: at.effect });
        if ('standstill' in step) return await this.standStill(step.at ?? at, step.standstill);
        at = step.next;
      }
      if (!this.isStored) await this.store(at);
      this.context.seams.reach(at.park ? 'park:after-store' : 'outcome:after-store');
      outcome = at.outcome;
      return at.outcome ?? 'waits';
    } finally {
      await this.comingEnds();
      this.lock.release();
      this.releasePair?.();
      if (this.releases) this.driver.heard.released(item.workflow_id);
      if (outcome?.kind === 'delivered') this.driver.heard.delivered(item.workflow_id);
      if (outcome && this.work.version.content.start.trigger.kind === 'handed') this.driver.heard.handedRests();
      if (outcome?.kind === 'unsettled' && outcome.cause === 'drift') this.driver.heard.drifted(item.workflow_id);
    }
  }

  /** Goes on where it stood; of two places in step with the record here as it is now, and with the pair for itself. */
  private async begun(effect: Effect | undefined): Promise<Advance | { readonly rests: Resting }> {
    const { item, version } = this.work;
    const { inStep, removalOf } = version.content;
    const pair = inStep?.pair ?? removalOf;
    if (pair === undefined) return this.takenUp(effect);
    await this.driver.turns.turn(item.run_id, item.seq, -1);
    this.releasePair = await this.context.locks.take(`in step ${pair}`);
    if (this.intents.size > 0 || hasWritten(this.stored.state)) return this.takenUp(effect);
    const waking = new Waking(this.context, this.work, this.accounts.source, (one) => this.answered(one));
    const { source } = version.content.start;
    const read = await (removalOf !== undefined && source ? waking.now(source) : waking.again());
    if ('rests' in read) return read;
    if (read.unread) return { rests: { message: read.unread.message, until: null, waitsFor: this.sourceConnection } };
    // A listing may have missed it: nothing is removed for good for one that can still be read.
    if (removalOf !== undefined) return read.record ? thereAfterAll(this.stored.state) : this.takenUp(effect);
    const before = this.stored.state.values[startId];
    if (read.record === undefined || isSameJson(read.record, before ?? null)) return this.takenUp(effect);
    if (read.record === null) return goneMeanwhile(this.stored.state);
    return this.tellTime(begunAnew(this.stored.state, read.record), { kind: 'begin' });
  }

  private get sourceConnection(): string | null {
    return this.work.version.content.start.source?.connection ?? null;
  }

  /** Goes on where it stood; what was planned before it stood still may not be true any more, and is looked at anew. */
  private takenUp(effect: Effect | undefined): Advance {
    if (effect?.kind === 'write' && !this.intents.has(effect.step))
      return this.tellTime(this.stored.state, { kind: 'stale' });
    return effect ? { state: this.stored.state, effect } : this.tellTime(this.stored.state, { kind: 'begin' });
  }

  /** Goes on from a wait where that is over. */
  private async wakeUp(): Promise<Advance | { readonly rests: Resting }> {
    const { by, ...rests } = await wokenBy(this.context.db, this.work.item.id);
    return by ? this.wake(by, rests) : { rests };
  }

  /** Goes on from a wait. That it is over is stored before anything is done, so that it isn't woken twice. */
  private async wake(
    by: WokenBy,
    { holdsLater, until }: { readonly holdsLater: boolean; readonly until: string | null },
  ): Promise<Advance | { readonly rests: Resting }> {
    const waking = new Waking(this.context, this.work, this.accounts.source, (one) => this.answered(one));
    // What holds later changes of its record back goes on with the one that it has.
    const read = holdsLater ? {} : await waking.read(by, until);
    if ('rests' in read) return read;
    const woken = { by, ...read };
    const next = this.tellTime(this.stored.state, { kind: 'woken', ...woken });
    const journal: JournalLine[] = [{ kind: 'woken', step: null, content: woken.by }];
    await this.context.commits.run((trx) => this.storeNext(trx, next, journal));
    this.stored.state = next.state;
    this.tell();
    return next;
  }

  /** A parked item that something else than what it waits for has moved, or whose source is held up, waits on. */
  private async waitOn({ message, until, waitsFor = null }: Resting): Promise<Rest> {
    await this.context.commits.run((trx) =>
      trx
        .updateTable('item')
        .set({ state: 'waiting', message, wake_at: until, waits_for: waitsFor, claimed: 0 })
        .where('id', '=', this.work.item.id)
        .execute(),
    );
    this.tell();
    return 'waits';
  }

  private async step(at: At): Promise<Step> {
    const { effect } = at;
    const { item, version } = this.work;
    const target = effect.kind === 'write' ? effect.write.target : effect.target;
    const open = effect.kind === 'readBack' ? undefined : this.intents.get(effect.step);
    const pause = this.context.pauses.of(target.connection);
    const broken = this.context.pauses.givenUp(target.connection);
    if (broken !== undefined) return this.giveUp(at, target.connection, new NoAnswer(broken));
    if (pause) return { standstill: { message: pause.reason, waitsFor: target.connection, wakeAt: pause.until } };
    await this.hold(effect, open ? holdOfIntent(version, open) : holdOf(version, effect));
    // A write that may have left already is settled first, whatever its place looks like now.
    if (open) return this.settle(at, open);
    if (this.accounts.of(target.connection) !== this.context.connections.accountOf(target.connection))
      return this.elsewhere(at);
    if (effect.kind !== 'readBack') {
      const standing = await this.driver.standings.of(item, version, effect.step);
      if (standing) return { next: this.advance(at, standing) };
    }
    if (effect.kind === 'handOver') return this.handOver(at, effect);
    if (effect.kind === 'handedBack')
      return { next: this.advance(at, await handedBack(this.context.db, item.id, effect)) };
    if (effect.kind === 'write') return (await this.withoutPlace(at, effect)) ?? this.write(at, effect);
    return this.read(at, effect);
  }

  /**
   * What an item found in one account means nothing in another: it begins anew there. Of what it wrote
   * the rest goes on only when a person has gone back.
   */
  private async elsewhere(at: At): Promise<Step> {
    if (at.effect.kind === 'readBack') {
      const next = this.advance(at, { kind: 'not_readable' });
      await this.storeReadBack(next, at.effect, { kind: 'not_readable' });
      return { next };
    }
    if (this.intents.size > 0 || hasWritten(at.state))
      return { next: this.advance(at, { kind: 'refused', cause: 'account', message: begunElsewhere }) };
    await this.comingEnds();
    this.lock.release();
    const item = await beginElsewhere(this.context, this.work, at.state);
    this.work = { ...this.work, item };
    this.accounts = new ItemAccounts(item, this.work.version.content);
    this.stored = storedIn(item);
    return { next: this.tellTime(this.stored.state, { kind: 'begin' }) };
  }

  /** A place is had for oneself in the order in which the records of a run were taken in. */
  private async hold(effect: Effect, hold: Hold | undefined): Promise<void> {
    const { item } = this.work;
    const at = this.placeOfStep(effect.step);
    this.driver.turns.reach(item.run_id, item.seq, at);
    if (hold && hold.key === undefined && !this.lock.holds(effect.step)) {
      this.lock.release();
      await this.driver.turns.turn(item.run_id, item.seq, at);
    }
    await this.lock.holdFor(effect.step, hold);
  }

  private placeOfStep(id: string): number {
    const plain = plainStepId(id);
    return this.work.version.content.steps.findIndex((step) => step.id === plain);
  }

  private async read(at: At, effect: ReadingEffect): Promise<Step> {
    const { connection } = effect.target;
    let answer: Answer;
    try {
      answer = await this.readThrough(effect);
      await this.answered(connection);
    } catch (error) {
      if (isPassing(error)) return this.meetFault(at, connection, error);
      await noteBroken(this.context.connections, connection, error);
      // A read-back that isn't allowed leaves a write that was confirmed all the same.
      const told = answerOf(this.context.connections, error);
      answer = effect.kind === 'readBack' ? { kind: 'not_readable' } : told;
    }
    const next = this.advance(at, answer);
    if (effect.kind === 'readBack') await this.storeReadBack(next, effect, answer);
    return { next };
  }

  /** A matching thread that was lost is started anew, and asked again. */
  private async readThrough(effect: ReadingEffect): Promise<Answer> {
    const lane = this.work.item.workflow_id;
    for (let tries = 1; ; tries++) {
      try {
        return await this.driver.effects.read(effect, lane, this.accounts);
      } catch (error) {
        if (!(error instanceof WorkerLost) || tries >= 3) throw error;
      }
    }
  }

  /**
   * Stores what is handed over in pieces, the last together with the state that follows. What a process that ended has
   * stored of it is gone on from.
   */
  private async handOver(at: At, effect: Extract<Effect, { kind: 'handOver' }>): Promise<Step> {
    const { context } = this;
    const { item, version } = this.work;
    const { step, count, target } = effect;
    const inbox = target.path[0] ?? '';
    const handing = { item, step, inbox, state: at.state };
    // One alone is stored together with the state that follows: nothing of it was stored before.
    const before = count > 1 ? await handedSoFar(context.db, item.id, step) : { count: 0, last: 0 };
    let stored = before.count;
    for (let from = before.last; ; from += pieceSize) {
      const { records, isList } = handedPiece(version, at.state, step, from, pieceSize);
      const isLast = !isList || from + pieceSize >= count;
      stored += records.length;
      const keep = (trx: Trx): Promise<void> => keepHanded(trx, { ...handing, isList }, records, context.seams.now());
      context.seams.reach('hand-over:before-store');
      if (isLast) {
        const handed = isList ? stored : 1;
        const next = this.advance(at, { kind: 'handed', count: handed, passedOver: isList ? count - handed : 0 });
        const journal = this.journal.splice(0);
        await context.commits.run(async (trx) => {
          await keep(trx);
          await this.storeNext(trx, next, journal);
        });
        this.stored.state = next.state;
        context.seams.reach('hand-over:after-store');
        this.tell();
        this.driver.heard.handedOver(inbox);
        return { next };
      }
      await context.commits.run(keep);
      context.seams.reach('hand-over:after-piece');
      this.driver.heard.handedOver(inbox);
    }
  }

  /** What keeps a write's place from being made where it is missing and that was chosen; undefined where it is there. */
  private async withoutPlace(
    at: At,
    { write: { target } }: Extract<Effect, { kind: 'write' }>,
  ): Promise<Step | undefined> {
    try {
      await this.driver.effects.makePlace(target);
      return undefined;
    } catch (error) {
      if (isPassing(error)) return this.meetFault(at, target.connection, error);
      const standstill = error instanceof Locked && (await this.standForFile(fileName(target), error));
      if (standstill) return { standstill };
      return { next: this.advance(at, answerOf(this.context.connections, error)) };
    }
  }

  /** Somebody has a file open: what is to be written there stands until it is closed; undefined when that takes hours. */
  private async standForFile(file: string, fault: Locked): Promise<Standstill | undefined> {
    const { retryHours } = await loadSettings(this.context.db);
    const wait = this.driver.openFiles.wait(file, retryHours);
    if (wait === undefined) return undefined;
    const wakeAt = new Date(Date.parse(this.context.seams.now()) + wait).toISOString();
    this.driver.heard.sleeps(this.work.item.id, wait);
    return { message: this.context.connections.masked(fault.message), waitsFor: null, wakeAt };
  }

  private async write(at: At, effect: Extract<Effect, { kind: 'write' }>): Promise<Step> {
    await this.comes(effect);
    const sent = await this.driver.effects.write({ ...this.work, stored: this.stored, state: at.state, effect });
    if (!('row' in sent)) return this.keptBack(at, sent);
    this.stored.state = at.state;
    return this.takeSent(at, sent, false);
  }

  /** A message that may not leave, or not now: nothing of it is stored, and once its time has come all is looked at anew. */
  private keptBack(at: At, kept: Kept): Step {
    if (kept.kind !== 'later')
      return { next: this.advance(at, { kind: 'not_sent', why: kept.why, leavesOut: kept.kind === 'left_out' }) };
    const wait = Date.parse(kept.until) - Date.parse(this.context.seams.now());
    this.driver.heard.sleeps(this.work.item.id, wait);
    return { standstill: { message: kept.message, waitsFor: null, wakeAt: kept.until } };
  }

  /** A record that is planned by likeness is told of before it is there, so that the place needn't be held until then. */
  private async comes({ step, write }: Extract<Effect, { kind: 'write' }>): Promise<void> {
    const found = stepById(this.work.version.content, step);
    const byLadder = (found?.kind === 'write' && found.ladder) || found?.kind === 'lookup';
    if (write.kind !== 'create' || !byLadder || this.endComing) return;
    this.endComing = await this.context.comings.tell(write);
    const { item } = this.work;
    // From here on the next record may look: it finds this one coming.
    this.driver.turns.reach(item.run_id, item.seq, this.placeOfStep(step) + 0.5);
    this.lock.release();
  }

  private async comingEnds(): Promise<void> {
    const end = this.endComing;
    this.endComing = undefined;
    await end?.();
  }

  /** Finds out about a write of this step whose result isn't known, and goes on from what is found. */
  private async settle(at: At, row: WriteRow): Promise<Step> {
    let resumed: Resumed;
    try {
      resumed = await this.driver.effects.resume(row, this.work.item.workflow_id);
    } catch (error) {
      if (isPassing(error)) return this.meetFault(at, row.connection, error);
      return this.finish(at, row, await this.refused(row.connection, error, true), true);
    }
    if (!('settled' in resumed)) return this.takeSent(at, resumed, true);
    const { settled } = resumed;
    await this.answered(row.connection);
    switch (settled.kind) {
      case 'done':
        return this.finish(at, row, { ...settled, kind: 'written' }, true);
      case 'stale':
      case 'not_done':
        return this.finish(at, row, { kind: 'stale' }, true);
      case 'unknown':
        return this.finish(at, row, { kind: 'refused', cause: 'unsure', message: settled.message }, true);
      case 'later': {
        const wakeAt = new Date(Date.parse(this.context.seams.now()) + settled.wait).toISOString();
        const message = 'The app gave no answer. Golden Relay looks for the record before it sends anything again.';
        this.driver.heard.sleeps(this.work.item.id, settled.wait);
        return { standstill: { message, waitsFor: null, wakeAt } };
      }
    }
  }

  private async takeSent(at: At, sent: Sent, isResumed: boolean): Promise<Step> {
    const { row } = sent;
    if ('answer' in sent) {
      this.driver.openFiles.closed(fileOf(row));
      await this.answered(row.connection);
      return this.finish(at, row, sent.answer, isResumed);
    }
    const { fault, mayBeDone } = sent;
    if (fault instanceof Locked) {
      const step = await this.waitForFile(at, row, fault, mayBeDone);
      if (step) return step;
    }
    if (mayBeDone) {
      this.intents.set(row.step, row);
      if (!isPassing(fault)) return this.finish(at, row, await this.refused(row.connection, fault, true), isResumed);
      this.unanswered += 1;
      // Found out about at once; an app that never answers is given a rest first.
      if (this.unanswered < mostUnanswered && !didNothing(fault)) return { next: at };
      return this.meetFault(at, row.connection, fault);
    }
    if (!isPassing(fault)) return this.finish(at, row, await this.refused(row.connection, fault, false), isResumed);
    // Nothing was done: once the app answers again everything is looked at anew.
    const anew = this.advance(at, { kind: 'stale' });
    await this.close(row, 'void', null, anew);
    if (!anew.effect) return { next: anew };
    return this.meetFault({ state: anew.state, effect: anew.effect }, row.connection, fault);
  }

  /** A write that met an open file. */
  private async waitForFile(at: At, row: WriteRow, fault: Locked, mayBeDone: boolean): Promise<Step | undefined> {
    const standstill = await this.standForFile(fileOf(row), fault);
    if (!standstill) return undefined;
    if (mayBeDone) {
      this.intents.set(row.step, row);
      return { standstill };
    }
    // Nothing was done: once it is closed everything is looked at anew.
    const anew = this.advance(at, { kind: 'stale' });
    await this.close(row, 'void', null, anew);
    if (!anew.effect) return { next: anew };
    return { standstill, at: anew };
  }

  private async refused(connection: string, fault: unknown, mayBeDone: boolean): Promise<Answer> {
    await noteBroken(this.context.connections, connection, fault);
    if (fault instanceof Changed) this.lastWords = this.context.connections.masked(fault.message);
    return answerOfFault(this.context, fault, mayBeDone);
  }

  /** Stores what is known of a write now, with the state that follows from it. */
  private async finish(at: At, row: WriteRow, answer: Answer, isResumed: boolean): Promise<Step> {
    const isUnsure = answer.kind === 'refused' && answer.cause === 'unsure';
    if (answer.kind === 'stale') this.stales += 1;
    const told = answer.kind === 'stale' && this.stales > mostStales ? this.neverStill() : answer;
    const write = writeOf(row);
    const isWritten = told.kind === 'written';
    const given: Answer = isWritten && isResumed ? { ...told, kind: 'settled', write } : told;
    if (isWritten) await this.noteMirror(write, told.id, told.record);
    else await this.comingEnds();
    const next = this.advance(at, given);
    this.intents.delete(row.step);
    // What is unsure stays open in the data file: only what is found out, or a person, ends it.
    if (isUnsure) return { next };
    await this.close(row, isWritten ? 'done' : 'void', isWritten ? told.id : null, next);
    if (isWritten) this.written = { step: row.step, row };
    if (next.effect?.kind !== 'readBack') await this.comingEnds();
    return { next };
  }

  private neverStill(): Answer {
    const always =
      'The destination kept changing while it was read. Nothing was written; retry when nobody is changing it.';
    const message = this.lastWords === undefined ? always : `${always} It said: ${this.lastWords}`;
    return { kind: 'refused', cause: 'refused', message };
  }

  /** A write’s end and the item’s next state in one transaction, before anything else happens. */
  private async close(row: WriteRow, status: 'done' | 'void', id: string | null, next: Advance): Promise<void> {
    const { seams, commits } = this.context;
    seams.reach('result:before-store');
    const journal = this.journal.splice(0);
    await commits.run(async (trx) => {
      await closeIntent(this.context, trx, row.token, status, id);
      if (status === 'done') await this.noteRemoved(trx, row);
      await this.storeNext(trx, next, journal);
    });
    this.stored.state = next.state;
    seams.reach('result:after-store');
    this.tell();
  }

  /** What was removed isn't in step with anybody any more; with whom else it was linked isn't this pair's to say. */
  private async noteRemoved(trx: Trx, row: WriteRow): Promise<void> {
    const { kind, id, target, before } = writeOf(row);
    if (kind !== 'remove' || id === undefined) return;
    await keepRemoved(trx, row, before ?? {});
    const { item, version } = this.work;
    const here = { account: this.accounts.source, place: version.content.start.source?.path ?? [], id: item.source_id };
    await cutPair(trx, here, { account: row.account, place: target.path, id });
  }

  private async storeReadBack(
    next: Advance,
    effect: Extract<Effect, { kind: 'readBack' }>,
    answer: Answer,
  ): Promise<void> {
    const read = answer.kind === 'read' ? answer.record : null;
    const { item } = this.work;
    const row =
      this.written?.step === effect.step ? this.written.row : await lastDone(this.context.db, item.id, effect.step);
    if (read) await this.context.mirrors.note(this.placeOf(effect.target), effect.id, read);
    await this.comingEnds();
    const journal = this.journal.splice(0);
    await this.context.commits.run(async (trx) => {
      if (row) await keepReadBack(trx, row.token, read);
      if (row && read) {
        const key = { account: row.account, place: row.place, remote_id: effect.id };
        const write = writeOf(row);
        const sent = {
          ...sentFields(write.values, write.types, read),
          ...timesKept(this.work.version, effect.step, read),
        };
        await keepSent(trx, baseOf(this.work.version.content, item.workflow_id), key, sent);
      }
      await this.storeNext(trx, next, journal);
    });
    this.stored.state = next.state;
  }

  private async storeNext(trx: Trx, next: Advance, journal: readonly JournalLine[]): Promise<void> {
    const keepsClaim = next.effect !== undefined;
    const { stored } = this;
    await keepSettled(this.context, trx, this.work.item, this.accounts, next);
    this.releases = await storeItem(this.context, trx, this.work, { stored, next, journal, keepsClaim });
    this.isStored = !keepsClaim;
  }

  /** The copy of a place learns of our own writes at once: the next look-alike has to find them. */
  private async noteMirror(write: PlannedWrite, id: string, record: JsonRecord | undefined): Promise<void> {
    const sent = record ?? (write.kind === 'create' ? nest(write.values) : undefined);
    const there = write.kind === 'remove' ? null : sent;
    if (there !== undefined && id !== '') await this.context.mirrors.note(this.placeOf(write.target), id, there);
  }

  private placeOf({ connection, path }: Pick<Target, 'connection' | 'path'>): AccountPlace {
    return { account: this.accounts.of(connection), path };
  }

  private async store(next: Advance): Promise<void> {
    const journal = this.journal.splice(0);
    await this.context.commits.run((trx) => this.storeNext(trx, next, journal));
    this.tell();
  }

  /** The item stands still where it is; what it was about to do is done when it is woken. */
  private async standStill(at: Advance, standstill: Standstill): Promise<Rest> {
    const journal = this.journal.splice(0);
    const left = { stored: this.stored, next: at, journal, standstill, keepsClaim: false };
    await this.context.commits.run(async (trx) => {
      this.releases = await storeItem(this.context, trx, this.work, left);
    });
    this.context.seams.reach('park:after-store');
    this.tell();
    return 'waits';
  }

  /** A passing fault holds the connection up; after hours of it a person is asked. */
  private async meetFault(at: At, connection: string, fault: AppError): Promise<Step> {
    const pause = await this.context.pauses.note(connection, fault);
    if (pause) {
      const message = this.context.connections.masked(pause.reason);
      return { standstill: { message, waitsFor: connection, wakeAt: pause.until }, at };
    }
    return this.giveUp(at, connection, fault);
  }

  /** The connection is a person's case: so is whatever needs it, without asking once more for each. */
  private async giveUp(at: At, connection: string, fault: AppError): Promise<Step> {
    await this.context.connections.mark(connection, 'broken', fault.message, null);
    const open = this.intents.get(at.effect.step);
    if (at.effect.kind === 'readBack') {
      const next = this.advance(at, { kind: 'not_readable' });
      await this.storeReadBack(next, at.effect, { kind: 'not_readable' });
      return { next };
    }
    const answer = answerOfFault(this.context, fault, open !== undefined);
    if (open) return this.finish(at, open, answer, true);
    const cause = { ...answer, ...(answer.kind === 'refused' && { cause: 'connection' as const }) } as Answer;
    return { next: this.advance(at, cause) };
  }

  private async answered(connection: string): Promise<void> {
    if (await this.context.pauses.answered(connection)) await this.driver.heard.answered(connection);
  }

  private advance({ state, effect }: { state: ItemState; effect: Effect }, answer: Answer): Advance {
    this.journal.push(lineOfEffect(this.work.version.content, effect, answer));
    return this.tellTime(state, answer);
  }

  /** One step on, with the time that it is. */
  private tellTime(state: ItemState, answer: Answer): Advance {
    return advance(this.work.version, state, { ...answer, at: this.context.seams.now() });
  }

  private tell(): void {
    const { item } = this.work;
    this.context.events.tell({ topic: 'item', workflow: item.workflow_id, id: item.run_id });
  }
}

const storedIn = (item: ItemRow): StoredState => new StoredState(JSON.parse(item.item_state) as ItemState);

/** The file that a write of a workbook goes to. */
const fileName = ({ connection, path }: Pick<Target, 'connection' | 'path'>): string =>
  `${connection}\n${path[0] ?? ''}`;
const fileOf = ({ connection, place }: WriteRow): string => fileName({ connection, path: JSON.parse(place) });

/** An item of which nothing is written begins anew, in the accounts that its steps lead to now. */
async function beginElsewhere(
  { connections, commits }: EngineContext,
  { item, version: { content } }: Work,
  state: ItemState,
): Promise<ItemRow> {
  const accounts = new ItemAccounts(item, content).anew(accountsNow(connections, content));
  const begun = { accounts: JSON.stringify(accounts), item_state: JSON.stringify(restartedItem(state)), effect: null };
  await commits.run(async (trx) => {
    await dropChanges(trx, item.id);
    await trx.updateTable('item').set(begun).where('id', '=', item.id).execute();
  });
  return { ...item, ...begun };
}

/** The app's own time of a change is kept where a field's value goes by which record is newer. */
function timesKept({ content }: WorkflowVersion, stepId: string, read: JsonRecord): Record<Pointer, MadeOf> {
  const step = stepById(content, stepId);
  if (!step || !isPlaced(step) || step.kind !== 'write') return {};
  const { updated } = step.target?.described ?? {};
  const isByTime = Object.values(step.policies ?? {}).some((one) => one === 'newest' || one === 'changed_newest');
  return isByTime && updated ? { [updated]: { sent: null, read: readPointer(read, updated) ?? null } } : {};
}

import type { SourceRecord } from '@golden/connectors';
import {
  type Answer,
  arrivalEvent,
  connectionsOf,
  type Decision,
  firstAt,
  isPlaced,
  isReady,
  type JsonRecord,
  messagesSent,
  nextAfter,
  onlyStep,
  revisionOf,
} from '@golden/core';
import type { AccountAnswer } from '../accounts.ts';
import { inboxesAfter } from '../arrivals/relays.ts';
import type { ConnectionInput } from '../connections.ts';
import type { Trx } from '../db/group-commit.ts';
import { isClaimed, isRunUnderWay, isUnsettled, isWaiting } from '../db/item-states.ts';
import type { RunTable } from '../db/schema.ts';
import { handsOverInto } from '../handing/receivers.ts';
import { takeReturned } from './bounces.ts';
import { type AccountWish, answerAccount, changeConnection } from './change-connection.ts';
import { fingerprintOf, saveSeen } from './change-detection.ts';
import type { EngineContext } from './context.ts';
import { decide, decideAll, takeNewest, takeUp, wakeWaiting } from './decisions.ts';
import { Dispatcher } from './dispatcher.ts';
import { noteAlive } from './downtime.ts';
import { Driver } from './driver.ts';
import {
  dueAfterStop,
  dueAtStart,
  dueSources,
  hasBeenTold,
  storeNextLook,
  tellTriggers,
  toldWorkflows,
} from './due.ts';
import { NotPossible, OverdueAsked } from './errors.ts';
import { releaseGathered } from './gathered.ts';
import { goLive, liesBetween } from './go-live.ts';
import { givenToItems, newItem } from './ingest.ts';
import { ingestStateOf } from './ingest-state.ts';
import { accountsNow } from './item-accounts.ts';
import { actOnWaiting, overdueItems, type WaitingAct, wakeByEvent, wakeDue } from './parks.ts';
import { PlaceWatch } from './place-watch.ts';
import { type RehearsalScope, Rehearsals, type Tried } from './rehearse.ts';
import { resumeAfterRemap } from './resume-after-remap.ts';
import { retryReturned } from './returned.ts';
import { Runner } from './runner.ts';
import { newRun } from './runs.ts';
import { Samples } from './samples.ts';
import { Sources } from './sources.ts';
import type { Consent, SurgeFinding } from './surge-guard.ts';
import { claimTakingBack, goOnTakingBack, type TakeBackWish, takeBack } from './take-back.ts';
import { carryOutTakeOvers, waitersFor } from './take-over.ts';
import { storeTold } from './told-of.ts';
import { type LinkAsked, type LinkState, lookAtLink, useLink } from './wait-links.ts';
import type { Wanted } from './wanted.ts';

/** Items of one connection that try whether it works again. */
const fewTry = 8;
/** Decisions that are stored in one go when a person retries a whole connection. */
const decidedAtOnce = 200;
/** Milliseconds in which several records that were delivered are told of as one. */
const soon = 50;
/** Milliseconds between two sources that are asked when everything goes on. */
const goOnEvery = 15_000;

/** Milliseconds between two looks for what has come back. */
const lookForReturnedEvery = 5 * 60_000;

/** What becomes of what was due while its workflow was off: it is sent now, or it goes no further. */
export type OverdueAnswer = 'send' | 'stop';

/** Everything that makes records go: asking, running, rehearsing, settling. */
export class Engine {
  readonly sources: Sources;
  readonly samples: Samples;
  readonly rehearsals: Rehearsals;
  /** Done before a source is looked at because it is time, which was to be at an instant. */
  beforeLook: (workflowId: string, version: number, at: string) => Promise<void> = async () => undefined;
  /** Places whose apps tell at once that something has come. */
  readonly watch: PlaceWatch;
  private readonly driver: Driver;
  private readonly dispatcher: Dispatcher;
  private readonly runner: Runner;
  private timer: NodeJS.Timeout | undefined;
  private returnedAt = Number.NEGATIVE_INFINITY;
  private isTicking = false;
  /** True when somebody asked for another tick while one was under way. */
  private isTickAsked = false;
  private isStopping = false;
  private readonly busy = new Set<Promise<unknown>>();
  /** Runs that are being carried through, or wait for their turn. */
  private readonly carried = new Set<string>();
  /** Inboxes of which it is being found out what would be handed over to them. */
  private readonly asksHanded = new Set<string>();
  /** What is about to be told, by a name each. */
  private readonly soonToDo = new Set<string>();
  /** When items that wait only for time go on, by the time that has passed in this process. */
  private readonly sleepers = new Map<string, number>();

  constructor(private readonly context: EngineContext) {
    this.driver = new Driver(context, {
      answered: (connection) => this.wakeConnection(connection),
      released: (workflowId) => this.dispatcher.wake(workflowId),
      delivered: (workflowId) => this.tellAfter(workflowId),
      handedOver: (inbox) =>
        this.soonFor(`inbox ${inbox}`, async () => void (await this.happened(arrivalEvent(inbox)))),
      handedRests: () => this.soonFor('handed', () => this.tick()),
      drifted: (workflowId) => this.background(this.carryOn(workflowId)),
      sleeps: (itemId, wait) => this.sleepers.set(itemId, context.seams.uptime() + wait),
    });
    this.dispatcher = new Dispatcher(context, (item) => this.driver.drive(item));
    context.seats.of(this.dispatcher);
    this.runner = new Runner(context, this.dispatcher, (workflowId) => this.runEnded(workflowId));
    this.sources = new Sources(context);
    this.samples = new Samples(context, this.sources);
    this.rehearsals = new Rehearsals(context);
    this.sources.handedTo = (inbox) => this.handedTo(inbox);
    this.watch = new PlaceWatch(context, () => {
      // What has come may be what came back.
      this.returnedAt = Number.NEGATIVE_INFINITY;
      return this.tick();
    });
    context.endings.heard = (ids) => {
      for (const id of ids) this.dispatcher.wake(id);
    };
  }

  /**
   * Begins to work: what an earlier process left goes on in the background, and the sources are asked
   * at their times. Nothing is waited for but the data file.
   */
  async start(): Promise<void> {
    await this.takeUpLeft();
    this.timer = setInterval(() => this.background(this.tick()), 1000);
  }

  /** Ends after what is under way; what is left is taken up at the next start. */
  async stop(): Promise<void> {
    this.isStopping = true;
    clearInterval(this.timer);
    await this.watch.stop();
    await this.rehearsals.stopAll();
    await this.runner.close();
    await Promise.allSettled(this.busy);
  }

  /** Takes up what the last process left and resolves when all of it has come to rest. */
  async resume(): Promise<void> {
    await this.takeUpLeft();
    await this.quiet();
  }

  /** Resolves when nothing is under way any more: what is left waits for an app, for time or for a person. */
  async quiet(): Promise<void> {
    for (;;) {
      await this.dispatcher.idle();
      await this.runner.idle();
      if (this.busy.size > 0) await Promise.allSettled(this.busy);
      else if (!this.dispatcher.isBusy()) return;
    }
  }

  private async takeUpLeft(): Promise<void> {
    const { commits, pauses, stopSwitch, db, seams } = this.context;
    await stopSwitch.load();
    await noteAlive(db, seams.now());
    await commits.run(async (trx) => {
      // Whoever had claimed something has ended with its process.
      await trx.updateTable('item').set({ claimed: 0 }).where(isClaimed).execute();
      await trx.updateTable('rehearsal').set({ state: 'stopped' }).where('state', '=', 'running').execute();
      // What waited for time only is looked at once more: how long it still has to wait depends on when it was sent.
      await trx
        .updateTable('item')
        .set({ state: 'running', wake_at: null, message: null })
        .where(isWaiting)
        .where('wake_at', 'is not', null)
        .where('waits_for', 'is', null)
        .where('id', 'not in', (eb) => eb.selectFrom('park').select('item_id'))
        .execute();
    });
    await pauses.load();
    await dueAtStart(this.context);
    if (stopSwitch.now) {
      this.dispatcher.hold();
      await this.runner.hold();
      return;
    }
    await this.takeUpRuns();
  }

  private async takeUpRuns(): Promise<void> {
    const { db } = this.context;
    this.background(this.goOnTakingBack());
    this.background(this.context.workflows.goOnRemoving(() => this.isStopping));
    this.background(this.takeOver());
    const runs = await db
      .selectFrom('run')
      .select(['id', 'workflow_id'])
      .where(isRunUnderWay)
      .orderBy('started_at')
      .execute();
    for (const run of runs) this.carry(run.id, run.workflow_id);
    await this.dispatcher.wakeAll();
  }

  /**
   * Makes the draft the live version and switches on; it goes on where the last version stood.
   *
   * @param seen - how many records a person was shown to lie between
   * @param takesOver - it goes on with those who wait on earlier versions, as far as it can
   */
  async makeLive(
    workflowId: string,
    seen?: number,
    overdue?: OverdueAnswer,
    takesOver = false,
  ): Promise<{ version: number; run: string }> {
    this.expectGoing();
    await this.settleOverdue(workflowId, overdue);
    const { workflows, seams } = this.context;
    const { draft } = await workflows.get(workflowId);
    const { zone } = await workflows.locale(draft);
    const nextAt = nextAfter(draft.start.trigger, seams.now(), zone);
    const gone = await goLive(this.context, workflowId, nextAt, seen, takesOver);
    this.context.events.tell({ topic: 'workflow', workflow: workflowId });
    await this.context.endings.begin(workflowId, gone.version);
    await resumeAfterRemap(this.context, workflowId, gone.version);
    if (takesOver) this.background(this.takeOver());
    this.dispatcher.wake(workflowId);
    this.carry(gone.run, workflowId);
    return gone;
  }

  /** What would lie between the last check and now if the draft went live. */
  liesBetween(workflowId: string): ReturnType<typeof liesBetween> {
    return liesBetween(this.context, workflowId);
  }

  /** What would become of those who wait on earlier versions if the draft went live and took them over. */
  waitersFor(workflowId: string): ReturnType<typeof waitersFor> {
    return waitersFor(this.context, workflowId);
  }

  private async takeOver(): Promise<void> {
    for (const workflow of await carryOutTakeOvers(this.context)) this.dispatcher.wake(workflow);
    this.context.events.tell({ topic: 'item' });
  }

  /** What a change of its place stopped goes on with the version that was mapped again since, where there is one. */
  private async carryOn(workflowId: string): Promise<void> {
    const { liveVersion } = await this.context.workflows.get(workflowId);
    if (liveVersion === null) return;
    const isCarried = await resumeAfterRemap(this.context, workflowId, liveVersion);
    if (isCarried) this.dispatcher.wake(workflowId);
  }

  /** Switches the live version on again; what came meanwhile is taken in by the next check. */
  async switchOn(workflowId: string, overdue?: OverdueAnswer): Promise<void> {
    const { db, workflows, events, seams } = this.context;
    const { liveVersion } = await workflows.get(workflowId);
    if (liveVersion === null)
      throw new NotPossible('It has no live version yet. Rehearse it, and make it live from there.');
    await this.settleOverdue(workflowId, overdue);
    await db.updateTable('workflow').set({ is_on: 1, waits_go_on: 0 }).where('id', '=', workflowId).execute();
    const { content, locale } = await workflows.version(workflowId, liveVersion);
    await db
      .updateTable('trigger_state')
      .set({ next_at: firstAt(content.start.trigger, seams.now(), locale.zone), is_paused: 0 })
      .where('workflow_id', '=', workflowId)
      .execute();
    events.tell({ topic: 'workflow', workflow: workflowId });
  }

  /**
   * What became due while a workflow was off is never sent without a word.
   * @throws OverdueAsked where nobody has said what becomes of it
   */
  async settleOverdue(workflowId: string, answer: OverdueAnswer | undefined): Promise<void> {
    const { isOn } = await this.context.workflows.get(workflowId);
    const overdue = isOn ? [] : await overdueItems(this.context, workflowId);
    if (overdue.length === 0 || answer === 'send') return;
    if (answer === undefined) throw new OverdueAsked(overdue.length);
    await actOnWaiting(this.context, overdue, { kind: 'stop', why: 'Its time had passed while the workflow was off.' });
  }

  /** Does something with items that wait for a time; gives how many it was done with. */
  async actOnWaiting(itemIds: readonly string[], act: WaitingAct): Promise<number> {
    const { items, workflows } = await actOnWaiting(this.context, itemIds, act);
    for (const id of workflows) this.dispatcher.wake(id);
    this.context.events.tell({ topic: 'item' });
    return items.length;
  }

  /** @param waitsGoOn - only nothing new comes in, and what waits already is done when its time comes */
  async switchOff(workflowId: string, waitsGoOn = false): Promise<void> {
    const off = { is_on: 0, waits_go_on: waitsGoOn ? 1 : 0 };
    await this.context.db.updateTable('workflow').set(off).where('id', '=', workflowId).execute();
    this.context.events.tell({ topic: 'workflow', workflow: workflowId });
  }

  /** Asks the source now instead of at the next time; `by` says whether a person or the clock wants it. */
  async checkNow(workflowId: string, by: 'asked' | 'check' = 'asked'): Promise<string> {
    this.expectGoing();
    const { db, workflows } = this.context;
    const { liveVersion, isOn } = await workflows.get(workflowId);
    if (liveVersion === null || !isOn) throw new NotPossible('The workflow is off. Make it live first.');
    // Who asks for news asks for what ends waits as well.
    if (by === 'asked') this.background(this.context.endings.look(true));
    const held = await db
      .selectFrom('run')
      .select('id')
      .where('workflow_id', '=', workflowId)
      .where('state', '=', 'listing')
      .where('wake_at', 'is not', null)
      .executeTakeFirst();
    if (held) {
      // A listing that an app holds up goes on now instead of a second one beginning beside it.
      await this.letTry(workflowId);
      this.carry(held.id, workflowId);
      return held.id;
    }
    return this.beginRun(workflowId, liveVersion, by);
  }

  /** Waits until a run has ended, or stands still because an app holds it up. */
  async finish(runId: string): Promise<void> {
    await this.context.locks.take(`begun|${runId}`).then((release) => release());
    await this.runner.run(runId);
  }

  async stopRun(runId: string): Promise<void> {
    await this.runner.stop(runId);
  }

  /**
   * Stores a person's decision on an item; resolves when the item has come to rest again.
   * @throws NotPossible when it has moved on since, or stands behind another change
   */
  async decide(itemId: string, decision: Decision): Promise<void> {
    await decide(this.context, itemId, decision);
    await this.trustAgain(itemId);
    await this.untilRest(itemId);
  }

  /** A person who decides on a record wants its apps to be asked, also one that was given up. */
  private async trustAgain(itemId: string): Promise<void> {
    const item = await this.context.db
      .selectFrom('item')
      .select(['workflow_id', 'version'])
      .where('id', '=', itemId)
      .executeTakeFirst();
    if (!item) return;
    const { content } = await this.context.workflows.version(item.workflow_id, item.version);
    for (const connection of connectionsOf(content)) this.context.pauses.trust(connection);
  }

  /** Takes up an item that was cancelled by stopping its run. @throws NotPossible when a later change came since */
  async takeUp(itemId: string): Promise<void> {
    await takeUp(this.context, itemId);
    await this.untilRest(itemId);
  }

  /** Lets the newest change of a record go on and dismisses the earlier ones as overtaken. */
  async takeNewest(itemId: string): Promise<void> {
    await this.untilRest(await takeNewest(this.context, itemId));
  }

  /** Lets the queue take an item, and waits until nothing moves it any more. */
  private async untilRest(itemId: string): Promise<void> {
    const item = await this.context.db
      .selectFrom('item')
      .select('workflow_id')
      .where('id', '=', itemId)
      .executeTakeFirst();
    if (!item) return;
    this.dispatcher.wake(item.workflow_id);
    for (;;) {
      const changed = this.dispatcher.changed();
      const now = await this.context.db
        .selectFrom('item')
        .select(['state', 'claimed'])
        .where('id', '=', itemId)
        .executeTakeFirst();
      const moves = now && (now.claimed === 1 || now.state === 'running');
      if (!moves || !this.dispatcher.isAtWork(item.workflow_id)) return;
      await changed;
    }
  }

  /**
   * Tries again everything that waits for a connection, after asking the app whether it works. What
   * follows is done by the queue.
   */
  async retryConnection(connectionId: string): Promise<void> {
    const { db, connections, pauses } = this.context;
    const view = await connections.check(connectionId);
    if (view.status !== 'working') return;
    await pauses.clear(connectionId);
    await db
      .updateTable('trigger_state')
      .set({ is_paused: 0, waits_for: null, message: null, cause: null })
      .where('waits_for', '=', connectionId)
      .execute();
    await this.wakeConnection(connectionId);
    this.background(this.retryAll(connectionId));
  }

  /**
   * Changes a connection, and tries again what waits for it.
   * @throws AccountAsked when a person has to say first whether it leads to another account; nothing is changed then
   */
  async changeConnection(id: string, input: Omit<ConnectionInput, 'app'>, wish: AccountWish = {}): Promise<void> {
    await this.afterChange(id, await changeConnection(this.context, id, input, wish));
  }

  /** Takes what a person says of who is signed in at a connection's app now. */
  async answerAccount(id: string, answer: AccountAnswer, already?: AccountWish['already']): Promise<void> {
    await this.afterChange(id, await answerAccount(this.context, id, answer, already));
  }

  /** Samples that came from another account are loaded anew. */
  private async afterChange(id: string, isOther: boolean): Promise<void> {
    for (const { id: workflow, draft } of isOther ? await this.context.workflows.list() : [])
      if (draft.start.source?.connection === id) await this.samples.forget(workflow);
    await this.retryConnection(id);
    await this.dispatcher.wakeAll();
  }

  private async retryAll(connectionId: string): Promise<void> {
    for (let after = 0; !this.isStopping; ) {
      const some = await this.context.db
        .selectFrom('item')
        .select(['id', 'seq', 'workflow_id', 'version'])
        .where(isUnsettled)
        .where('waits_for', '=', connectionId)
        .where('seq', '>', after)
        .orderBy('seq')
        .limit(decidedAtOnce)
        .execute();
      const last = some.at(-1);
      if (!last) return;
      after = last.seq;
      await decideAll(this.context, some, { kind: 'retry' });
      for (const id of new Set(some.map((one) => one.workflow_id))) this.dispatcher.wake(id);
    }
  }

  /** A connection answers again: all items and listings that waited for it go on. */
  private async wakeConnection(connection: string): Promise<void> {
    for (const id of await wakeWaiting(this.context, { connection })) this.dispatcher.wake(id);
    await this.wakeListings(connection);
    this.background(this.goOnTakingBack());
  }

  /** Listings that a connection held up go on at their page. */
  private async wakeListings(connection: string): Promise<void> {
    for (const run of await this.heldListings()) if (run.source === connection) this.carry(run.id, run.workflowId);
  }

  /** Listings that stand still at their page, with the connection that they read. */
  private async heldListings(): Promise<{ id: string; workflowId: string; source: string | undefined }[]> {
    const { db, workflows } = this.context;
    const held = await db
      .selectFrom('run')
      .select(['id', 'workflow_id', 'version'])
      .where(isRunUnderWay)
      .where('state', '=', 'listing')
      .where('wake_at', 'is not', null)
      .execute();
    return Promise.all(
      held.map(async ({ id, workflow_id, version }) => {
        const known = await workflows.readableVersion(workflow_id, version);
        return { id, workflowId: workflow_id, source: known?.content.start.source?.connection };
      }),
    );
  }

  /** Whatever holds a workflow's source up is tried at once. */
  private async letTry(workflowId: string): Promise<void> {
    const { liveVersion } = await this.context.workflows.get(workflowId);
    if (liveVersion === null) return;
    const { content } = await this.context.workflows.version(workflowId, liveVersion);
    if (content.start.source) await this.context.pauses.clear(content.start.source.connection);
  }

  /** Sends one sample for real, on a version frozen from the draft; resolves when it has ended. */
  async sendOne(workflowId: string, sourceId: string, instead?: string): Promise<string> {
    this.expectGoing();
    const { workflows, commits, seams } = this.context;
    const { draft } = await workflows.get(workflowId);
    if (!isReady(draft)) throw new NotPossible('The draft isn’t ready. Solve the problems shown at its steps first.');
    const record = await this.sampleNow(workflowId, sourceId);
    const version = await workflows.freeze(workflowId);
    const itemId = seams.id();
    // Who tries one waits for nothing; what really goes to somebody comes when it would.
    const skipsWaits = instead !== undefined || messagesSent(draft).length === 0;
    const fingerprint = fingerprintOf(record.record);
    const mark = { version: record.version, updated: record.updated, fingerprint };
    const runId = await commits.run(async (trx) => {
      const intake = await ingestStateOf(trx, this.context, workflowId, draft.start);
      const its = { intake_id: intake.id, source_id: sourceId };
      const last = await trx
        .selectFrom('seen')
        .selectAll()
        .where('intake_id', '=', intake.id)
        .where('source_id', '=', sourceId)
        .executeTakeFirst();
      const { revision, counter, unique } = revisionOf(mark, last);
      const earlier = await trx
        .selectFrom('item')
        .select('id')
        .where('intake_id', '=', intake.id)
        .where('source_id', '=', sourceId)
        .where('revision', 'in', [unique, revision])
        .executeTakeFirst();
      if (earlier)
        throw new NotPossible(
          'This record was sent already, as it is now. Choose another, or take that one back first.',
        );
      const begun = { in_source: 1, taken_in: 1, state: 'working', is_marked: 1 } as const;
      const run = newRun(this.context, { ...intake, since: null }, version, 'single', begun);
      await trx.insertInto('run').values(run).execute();
      const accounts = accountsNow(this.context.connections, draft);
      const given = await givenToItems(this.context, trx, draft);
      await trx
        .insertInto('item')
        .values(newItem(itemId, run, accounts, record, unique, seams.now(), { instead, skipsWaits, ...given }))
        .execute();
      // A listing that is under way goes by its own mark: it must not take this record for one that is gone.
      const [kept, run_id] = [last?.kept ?? null, last?.run_id ?? run.id];
      await saveSeen(trx, [
        { ...its, revision, fingerprint, counter, is_taken: 1, run_id, kept, is_gone: 0, seen_at: seams.now() },
      ]);
      return run.id;
    });
    await this.runner.run(runId);
    return itemId;
  }

  /** @throws CannotTakeBack, TakeBackWaits */
  async takeBack(itemId: string, wish: TakeBackWish = {}): Promise<void> {
    this.expectGoing();
    const work = takeBack(this.context, itemId, wish);
    this.background(work.catch(() => undefined));
    await work;
    const item = await this.context.db
      .selectFrom('item')
      .select('workflow_id')
      .where('id', '=', itemId)
      .executeTakeFirst();
    if (item) this.dispatcher.wake(item.workflow_id);
  }

  /** What a link of a record that waits is good for; changes nothing. */
  lookAtLink(asked: LinkAsked): Promise<LinkState> {
    return lookAtLink(this.context, asked);
  }

  /** Uses a link of a record that waits: once, and gives what it came to. */
  async useLink(asked: LinkAsked): Promise<LinkState> {
    const { state, workflows } = await useLink(this.context, asked);
    for (const id of workflows) this.dispatcher.wake(id);
    if (state === 'open') this.context.events.tell({ topic: 'item' });
    return state;
  }

  /** Something has happened that items may wait for; gives whether any goes on. */
  async happened(event: string, told?: JsonRecord): Promise<boolean> {
    const woken = await wakeByEvent(this.context, event, told);
    for (const id of woken) this.dispatcher.wake(id);
    const isTold = await tellTriggers(this.context, event);
    if (isTold) this.background(this.tick());
    return woken.length > 0 || isTold;
  }

  /** A run has ended: what begins after it is told, and what came in meanwhile is looked at now. */
  private runEnded(workflowId: string): void {
    this.tellAfter(workflowId);
    const look = async (): Promise<void> => {
      if (await hasBeenTold(this.context, workflowId)) await this.tick();
    };
    this.background(look());
  }

  /** What begins after a workflow is told that something was delivered, or has ended; many at once are told as one. */
  private tellAfter(workflowId: string): void {
    this.soonFor(`after ${workflowId}`, async () => {
      for (const inbox of await inboxesAfter(this.context.db, workflowId)) await this.happened(arrivalEvent(inbox));
    });
  }

  /** Does something in a moment; many wishes for the same until then are one. */
  private soonFor(name: string, work: () => Promise<void>): void {
    if (this.soonToDo.has(name)) return;
    this.soonToDo.add(name);
    const later = async (): Promise<void> => {
      await this.context.seams.pause(soon);
      this.soonToDo.delete(name);
      await work();
    };
    this.background(later());
  }

  /** Lets go on what people or things outside have woken. */
  letGoOn(workflows: readonly string[]): void {
    for (const id of workflows) this.dispatcher.wake(id);
  }

  /** Goes on with what was being taken back when the last process ended, or when an app held it up. */
  private async goOnTakingBack(): Promise<void> {
    for (const id of await claimTakingBack(this.context)) {
      await goOnTakingBack(this.context, id).catch((error: unknown) => {
        const said = error instanceof Error ? error.message : String(error);
        this.context.log.warn({ item: id, said: this.context.redaction.clean(said) }, 'not taken back yet');
      });
    }
  }

  /** What the samples of those workflows would hand over to an inbox whose drafts do so. */
  private async handedTo(inbox: string): Promise<readonly SourceRecord[]> {
    if (this.asksHanded.has(inbox)) return [];
    // Drafts may go round in a circle for a while.
    this.asksHanded.add(inbox);
    try {
      const found: SourceRecord[] = [];
      for (const { id, draft } of await this.context.workflows.list()) {
        if (!handsOverInto(draft).includes(inbox) || !isReady(draft)) continue;
        const version = await this.context.workflows.draftVersion(id);
        const samples = await this.samples.of(id).catch(() => []);
        found.push(...(await this.rehearsals.handedBy(id, version, samples.slice(0, 20), inbox)));
      }
      return found;
    } finally {
      this.asksHanded.delete(inbox);
    }
  }

  /** Rehearses the draft over its samples, the last 200 records, or all. */
  async rehearse(workflowId: string, scope: RehearsalScope): Promise<void> {
    const { draft } = await this.context.workflows.get(workflowId);
    if (!draft.start.source) throw new NotPossible('Choose where the records come from first.');
    await this.rehearsals.begin(workflowId, scope, () => {
      if (scope === 'samples') return this.samples.of(workflowId);
      return scope === 'all' ? this.sources.everything(draft.start) : this.sources.last(draft.start, 200);
    });
  }

  /** Rehearses the drafts of two directions over all records, as a whole. */
  async rehearseBoth(ids: readonly [string, string]): Promise<void> {
    const { workflows } = this.context;
    await this.rehearsals.beginBoth(ids, async (id) => this.sources.everything((await workflows.get(id)).draft.start));
  }

  /** Rehearses the draft over these records of its source, as they are now. */
  async rehearseThese(workflowId: string, ids: readonly string[]): Promise<void> {
    const { draft } = await this.context.workflows.get(workflowId);
    await this.rehearsals.begin(workflowId, 'chosen', () => this.sources.these(draft.start, ids));
  }

  /** Tries one sentence of the draft alone over the samples; nothing is written or kept. */
  async tryStep(workflowId: string, stepId: string): Promise<readonly Tried[]> {
    const version = await this.context.workflows.draftVersion(workflowId);
    if (!version.content.steps.some((step) => step.id === stepId))
      throw new NotPossible('This step isn’t in the draft any more.');
    const samples = await this.samples.of(workflowId);
    return this.rehearsals.try(workflowId, { ...version, content: onlyStep(version.content, stepId) }, samples);
  }

  /**
   * What the draft's lookups find for each sample: the answers by sample and step, so that the sheet
   * takes the samples through the very same transition. Nothing is written.
   */
  async lookUpSamples(workflowId: string): Promise<Record<string, Record<string, Answer>>> {
    return this.lookUp(workflowId, await this.samples.of(workflowId));
  }

  /** What the draft's lookups find for these records; nothing at once when it has no ladder that is on. */
  async lookUp(workflowId: string, records: readonly SourceRecord[]): Promise<Record<string, Record<string, Answer>>> {
    const version = await this.context.workflows.draftVersion(workflowId);
    const hasLookups = version.content.steps.some((step) => isPlaced(step) && step.ladder && !step.isOff);
    if (!hasLookups) return {};
    return this.rehearsals.answers(workflowId, version, records);
  }

  /**
   * Lets in, or only notes, what a check was held for. The answer is bound to the count that was shown.
   * @throws NotPossible when something else is held by now
   */
  async letIn(workflowId: string, consent: Consent): Promise<string> {
    this.expectGoing();
    await this.context.commits.run(async (trx) => {
      const trigger = await trx
        .selectFrom('trigger_state')
        .select('held')
        .where('workflow_id', '=', workflowId)
        .executeTakeFirst();
      const held = trigger?.held ? (JSON.parse(trigger.held) as SurgeFinding) : undefined;
      if (held?.kind !== consent.kind || held.count !== consent.count)
        throw new NotPossible('The number has changed. Look at the records again, then confirm.');
      await trx
        .updateTable('trigger_state')
        .set({ consent: JSON.stringify(consent), held: null, message: null, cause: null, is_paused: 0 })
        .where('workflow_id', '=', workflowId)
        .execute();
    });
    this.context.seams.reach('consent:after-store');
    return this.checkNow(workflowId);
  }

  /** Nothing is asked, woken or sent any more, until it is let go on. What is under way ends. */
  async stopEverything(why: string): Promise<void> {
    await this.context.stopSwitch.stop(why);
    const resting = this.runner.hold();
    this.dispatcher.hold();
    await resting;
  }

  /** Everything goes on: the sources are asked one after the other, so that not all apps are asked at once. */
  async goOn(): Promise<void> {
    const { stopSwitch } = this.context;
    if (!stopSwitch.now) return;
    await dueAfterStop(this.context, goOnEvery);
    // Whatever begins from here on is let through: a run must not begin just to stand still.
    this.runner.letGo();
    this.dispatcher.letGo();
    await stopSwitch.goOn();
    await this.takeUpRuns();
  }

  /** @throws NotPossible while everything is stopped */
  private expectGoing(): void {
    const { now } = this.context.stopSwitch;
    if (now) throw new NotPossible(`Everything is stopped${now.why ? ` (${now.why})` : ''}. Continue first.`);
  }

  /** Does what has become due; the timer calls it every second. */
  async tick(): Promise<void> {
    if (this.isTicking || this.isStopping) {
      this.isTickAsked = true;
      return;
    }
    this.isTicking = true;
    this.isTickAsked = false;
    try {
      await noteAlive(this.context.db, this.context.seams.now());
      if (this.context.stopSwitch.now) return;
      for (const id of await releaseGathered(this.context)) this.dispatcher.wake(id);
      for (const id of await wakeDue(this.context)) this.dispatcher.wake(id);
      await this.wakeSleepers();
      await this.tryPaused();
      await this.fetchTold();
      await this.askSources();
      this.background(this.watch.look());
      this.background(this.context.endings.look());
      this.lookForReturned();
    } finally {
      this.isTicking = false;
    }
    // What was told of meanwhile may have been passed over.
    if (this.isTickAsked && !this.isStopping) await this.tick();
  }

  /** Looks now and then whether something that was delivered has come back. */
  private lookForReturned(): void {
    const now = this.context.seams.uptime();
    if (now - this.returnedAt < lookForReturnedEvery) return;
    this.returnedAt = now;
    this.background(takeReturned(this.context));
  }

  private async wakeSleepers(): Promise<void> {
    const now = this.context.seams.uptime();
    const due = [...this.sleepers].filter(([, at]) => at <= now).map(([id]) => id);
    if (due.length === 0) return;
    for (const id of due) this.sleepers.delete(id);
    for (const id of await wakeWaiting(this.context, { items: due })) this.dispatcher.wake(id);
  }

  /** Of what waits for a connection whose pause is over a few try, and everything once one was answered. */
  private async tryPaused(): Promise<void> {
    for (const connection of this.context.pauses.due()) {
      const woken = await wakeWaiting(this.context, { connection, most: fewTry });
      for (const id of woken) this.dispatcher.wake(id);
      await this.wakeListings(connection);
      this.background(this.goOnTakingBack());
    }
    await this.wakeForgotten();
  }

  /**
   * What came to wait for a connection in the very moment in which that answered again waits for
   * nothing: it goes on.
   */
  private async wakeForgotten(): Promise<void> {
    const { db, pauses } = this.context;
    const waited = await db
      .selectFrom('item')
      .select('waits_for')
      .distinct()
      .where(isWaiting)
      .where('waits_for', 'is not', null)
      .execute();
    for (const { waits_for } of waited)
      if (waits_for !== null && !pauses.all().has(waits_for)) await this.wakeConnection(waits_for);
    for (const run of await this.heldListings())
      if (run.source && !pauses.all().has(run.source)) this.carry(run.id, run.workflowId);
  }

  private async askSources(): Promise<void> {
    for (const { id, version, at, next } of await dueSources(this.context)) {
      await this.beforeLook(id, version, at);
      if (await retryReturned(this.context, id)) this.dispatcher.wake(id);
      await this.beginRun(id, version, 'check', (trx) => storeNextLook(trx, id, next));
    }
  }

  /** Fetches the records of which events have told since the last time. */
  private async fetchTold(): Promise<void> {
    const { context } = this;
    for (const { id, version, told } of await toldWorkflows(context)) {
      const wanted: Wanted = { kind: 'told', ids: told.ids };
      const store = (trx: Trx) => storeTold(trx, id, told, context.seams.now());
      if (told.ids.length === 0) await context.commits.run(store);
      else await this.beginRun(id, version, 'check', store, wanted);
    }
  }

  /**
   * Takes in records of the source that a person chose, as they are now, whatever of them was known.
   * @throws NotPossible where the workflow isn't on
   */
  async takeThese(workflowId: string, ids: readonly string[]): Promise<string> {
    this.expectGoing();
    const { liveVersion, isOn } = await this.context.workflows.get(workflowId);
    if (liveVersion === null || !isOn) throw new NotPossible('The workflow is off. Make it live first.');
    return this.beginRun(workflowId, liveVersion, 'asked', undefined, { kind: 'chosen', ids });
  }

  /** Stores a run and begins it in the background; the first of a place carries out "from when". */
  private async beginRun(
    workflowId: string,
    version: number,
    kind: RunTable['kind'],
    also: (trx: Trx) => Promise<unknown> = async () => undefined,
    wanted?: Wanted,
  ): Promise<string> {
    const { commits, workflows } = this.context;
    const { content } = await workflows.version(workflowId, version);
    const id = await commits.run(async (trx) => {
      const intake = await ingestStateOf(trx, this.context, workflowId, content.start);
      const isFirst = intake.phase === 'first' && !wanted;
      const run = newRun(this.context, intake, version, isFirst ? 'first' : kind, {
        wanted: wanted ? JSON.stringify(wanted) : null,
      });
      await trx.insertInto('run').values(run).execute();
      await also(trx);
      return run.id;
    });
    this.carry(id, workflowId);
    return id;
  }

  /** Carries a run through in the background. One run of a workflow at a time: a later one lists what an earlier one has taken in. */
  private carry(runId: string, workflowId: string): void {
    if (this.carried.has(runId)) return;
    this.carried.add(runId);
    const { locks } = this.context;
    const begun = locks.take(`begun|${runId}`);
    this.background(
      locks.take(`run|${workflowId}`).then(async (release) => {
        const ended = this.runner.run(runId);
        (await begun)();
        await ended.finally(() => {
          this.carried.delete(runId);
          release();
        });
      }),
    );
  }

  /** The sample as its app has it now; from the kept samples where the place gives no ids. */
  private async sampleNow(workflowId: string, sourceId: string): Promise<SourceRecord> {
    const { draft } = await this.context.workflows.get(workflowId);
    if (!draft.start.source) throw new NotPossible('Choose where the records come from first.');
    const sample = (await this.samples.of(workflowId)).find((one) => one.id === sourceId);
    if (sample && sample.origin !== 'real')
      throw new NotPossible('This sample was made up. Only a record of the source can be sent for real.');
    const kept = (await this.sources.now(draft.start, sourceId)) ?? sample;
    if (!kept) throw new NotPossible('This sample isn’t there any more. Load the samples again.');
    return kept;
  }

  private background(work: Promise<unknown>): void {
    const watched = work
      .catch((error) => {
        const said = error instanceof Error ? error.message : String(error);
        this.context.log.error({ said: this.context.redaction.clean(said) }, 'background work failed');
      })
      .finally(() => this.busy.delete(watched));
    this.busy.add(watched);
  }
}

import { AppError } from '@golden/connectors';
import { isPlaced } from '@golden/core';
import type { Updateable } from 'kysely';
import { relayRun } from '../arrivals/relays.ts';
import { UnknownConnection } from '../connections.ts';
import type { Trx } from '../db/group-commit.ts';
import { isGathered } from '../db/item-states.ts';
import type { RunRow, TriggerTable } from '../db/schema.ts';
import { CannotUnseal } from '../secrets/sealing.ts';
import { noteBroken } from './answers.ts';
import type { EngineContext } from './context.ts';
import type { Dispatcher } from './dispatcher.ts';
import { ingest } from './ingest.ts';
import { hasNoOpenIntent } from './intents.ts';
import { markDoubles } from './mark-doubles.ts';
import { isPassing } from './pauses.ts';
import { sinceAfter } from './since.ts';
import { NeedsLook } from './surge-guard.ts';

/** Carries a run through: lists, takes in, waits until the queue has driven every item, and closes the books. */
export class Runner {
  private readonly stopping = new Set<string>();
  private isClosing = false;
  /** True while everything is stopped: runs stay open, and are taken up again afterwards. */
  private isHeld = false;
  /** Runs that are under way in this process. */
  private readonly under = new Map<string, Promise<void>>();

  constructor(
    private readonly context: EngineContext,
    private readonly dispatcher: Dispatcher,
    /** Told when a run of a workflow has ended. */
    private readonly ended: (workflowId: string) => void,
  ) {}

  /** Does a stored run from where it stands; one already under way is waited for. Never throws: a fault ends this run. */
  run(runId: string): Promise<void> {
    const known = this.under.get(runId);
    if (known) return known;
    const work = this.carryThrough(runId)
      .catch((error) => this.endByFault(runId, error))
      .finally(() => this.under.delete(runId));
    this.under.set(runId, work);
    return work;
  }

  /** Asks a run to stop; what is under way ends, what hasn't begun is cancelled. */
  async stop(runId: string): Promise<void> {
    this.stopping.add(runId);
    const run = await this.load(runId);
    if (run) {
      await this.cancelRest(run);
      // One that only waits to list on is taken up just to be ended.
      if (!this.under.has(runId)) await this.run(runId);
    }
    await this.under.get(runId);
    this.stopping.delete(runId);
  }

  /**
   * Waits for what is under way, for a clean end of the process. Nothing is cancelled: the runs stay
   * open and are taken up at the next start.
   */
  async close(): Promise<void> {
    this.isClosing = true;
    await this.dispatcher.close();
    await Promise.allSettled(this.under.values());
  }

  /** Runs that are under way stand still where they are, until they are begun again. */
  async hold(): Promise<void> {
    this.isHeld = true;
    await Promise.allSettled(this.under.values());
  }

  letGo(): void {
    this.isHeld = false;
  }

  /** Resolves when no run is under way. */
  async idle(): Promise<void> {
    while (this.under.size > 0) await Promise.allSettled(this.under.values());
  }

  private get isResting(): boolean {
    return this.isClosing || this.isHeld;
  }

  private async carryThrough(runId: string): Promise<void> {
    const { context } = this;
    const run = await this.load(runId);
    if (!run || (run.state !== 'listing' && run.state !== 'working')) return;
    const isStopped = (): boolean => this.isResting || this.stopping.has(runId);
    const listed = run.state === 'listing' && !isStopped() ? await this.list(run, isStopped) : null;
    if (listed === 'waits') return;
    // What is still to be listed has to be compared with what came: nothing is marked before.
    if (this.isResting && !this.stopping.has(runId)) return;
    const version = await context.workflows.version(run.workflow_id, run.version);
    for (const step of version.content.steps)
      if (isPlaced(step) && step.target && step.ladder) await context.mirrors.settle(step.target);
    await markDoubles(context, runId, version);
    // Only a person's stop of this very run cancels what is left of it; everything may come to rest at any moment.
    const isCancelled = (): boolean => this.stopping.has(runId);
    if (!this.isResting) await this.allAtRest(run, isCancelled);
    if (this.isResting && !isCancelled()) return;
    const wasCancelled = isCancelled();
    if (wasCancelled) await this.cancelRest(run);
    await this.end(run, listed, wasCancelled);
  }

  /** Lists what a run takes in: gives what kept it from its end, in a sentence, empty where that was told before; `waits` when it goes on by itself. */
  private async list(run: RunRow, isStopped: () => boolean): Promise<string | null> {
    const { context } = this;
    try {
      const version = await context.workflows.version(run.workflow_id, run.version);
      const taken = await ingest(context, run, version, isStopped);
      if (taken === 'elsewhere') await this.noteElsewhere(run);
      else if (taken === 'limited') await this.noteChecked(run);
      else if (taken === 'complete') await this.closeListing(run);
      return null;
    } catch (error) {
      if (isPassing(error) && (await this.waits(run, error))) {
        const { content } = await context.workflows.version(run.workflow_id, run.version);
        // What came so far goes on, unless it has to be compared with what is still to come.
        if (!content.start.doubles) await markDoubles(context, run.id, { content });
        this.dispatcher.wake(run.workflow_id);
        return 'waits';
      }
      if (!isTold(error)) throw error;
      return (await this.noteTrouble(run, error)) ? '' : context.redaction.clean(error.message);
    }
  }

  /** A fault of our own ends this run with its reason; the next one of the workflow begins as ever. */
  private async endByFault(runId: string, error: unknown): Promise<void> {
    const { context } = this;
    const said = context.redaction.clean(error instanceof Error ? error.message : String(error));
    context.log.error({ run: runId, said }, 'a run could not be carried through');
    if (this.isClosing) return;
    const run = await this.load(runId).catch(() => undefined);
    if (!run) return;
    const message = `Golden Relay had a fault: ${said}`;
    try {
      await this.setTrigger(run, { message, cause: 'fault', waits_for: null, last_checked_at: context.seams.now() });
      await this.end(run, message, false);
    } catch (again) {
      context.log.error({ run: runId, said: context.redaction.clean(String(again)) }, 'a run could not be ended');
    }
  }

  private async load(runId: string): Promise<RunRow | undefined> {
    return this.context.db.selectFrom('run').selectAll().where('id', '=', runId).executeTakeFirst();
  }

  /** A listing that meets a passing fault stands still at its page, and goes on there when the app answers again. */
  private async waits(run: RunRow, error: AppError): Promise<boolean> {
    const { connections, workflows, pauses, commits } = this.context;
    const { source } = (await workflows.version(run.workflow_id, run.version)).content.start;
    const pause = source && (await pauses.note(source.connection, error));
    if (!pause) return false;
    await commits.run((trx) =>
      trx
        .updateTable('run')
        .set({ wake_at: pause.until, message: connections.masked(pause.reason) })
        .where('id', '=', run.id)
        .execute(),
    );
    this.context.events.tell({ topic: 'run', workflow: run.workflow_id, id: run.id });
    return true;
  }

  /** A run that was full lists from the same point again the next time. */
  private async noteChecked(run: RunRow): Promise<void> {
    await this.setTrigger(run, { last_checked_at: this.context.seams.now(), ...untroubled });
  }

  /** A listing that began in an account which its connection doesn't lead to any more goes on nowhere. */
  private async noteElsewhere(run: RunRow): Promise<void> {
    const note = 'It ended early: the source leads to another account now. The next check lists that one.';
    await this.context.commits.run((trx) =>
      trx.updateTable('run').set({ state: 'working', note, cursor: null }).where('id', '=', run.id).execute(),
    );
  }

  /** From here on the next listing begins where this one ended, unless it was begun anew meanwhile. */
  private async closeListing(run: RunRow): Promise<void> {
    const { content } = await this.context.workflows.version(run.workflow_id, run.version);
    await this.context.commits.run(async (trx) => {
      const now = this.context.seams.now();
      // Some records that were fetched say nothing of the others.
      if (run.wanted !== null) await setTriggerOf(trx, run.workflow_id, untroubled);
      else {
        await setTriggerOf(trx, run.workflow_id, { last_checked_at: now, ...untroubled, consent: null });
        await trx
          .updateTable('intake')
          .set({
            phase: 'asking',
            since: sinceAfter(run.high_water, run.since, content.start),
            listed_at: run.started_at,
          })
          .where('id', '=', run.intake_id)
          .where('epoch', '=', run.epoch)
          .execute();
      }
      await trx
        .updateTable('run')
        .set({ state: 'working', wake_at: null, message: null })
        .where('id', '=', run.id)
        .execute();
    });
  }

  /**
   * Keeps why a source can't be read. A place that is gone may come back: it is asked again at the next
   * time; what only a person can mend waits for that. True when the same was told before.
   */
  private async noteTrouble(run: RunRow, error: Told): Promise<boolean> {
    const { connections, workflows, redaction, seams, db } = this.context;
    const { source } = (await workflows.version(run.workflow_id, run.version)).content.start;
    if (source) await noteBroken(connections, source.connection, error);
    const cause = error instanceof AppError ? error.unsettledCause : 'connection';
    const where = cause === 'drift' && source ? `“${source.labels.join(' → ')}”: ` : '';
    const message = `${where}${redaction.clean(error.message)}`;
    const before = await db
      .selectFrom('trigger_state')
      .select('message')
      .where('workflow_id', '=', run.workflow_id)
      .executeTakeFirst();
    await this.setTrigger(run, {
      message,
      cause,
      waits_for: cause === 'connection' ? (source?.connection ?? null) : null,
      is_paused: cause === 'drift' ? 0 : 1,
      held: error instanceof NeedsLook ? JSON.stringify(error.held) : null,
      last_checked_at: seams.now(),
    });
    return run.kind === 'check' && (error instanceof NeedsLook || before?.message === message);
  }

  private async setTrigger(run: RunRow, values: Parameters<typeof setTriggerOf>[2]): Promise<void> {
    await this.context.commits.run((trx) => setTriggerOf(trx, run.workflow_id, values));
  }

  /** Resolves when no item of a run is under way or left to do. */
  private async allAtRest(run: RunRow, isCancelled: () => boolean): Promise<void> {
    this.dispatcher.wake(run.workflow_id);
    for (;;) {
      const changed = this.dispatcher.changed();
      if (this.isResting) return;
      // Looking after each item of ten thousand would be as much work as moving it.
      if (this.dispatcher.isFull(run.workflow_id) && !isCancelled()) {
        await changed;
        continue;
      }
      const left = await this.context.db
        .selectFrom('item')
        .select('id')
        .where('run_id', '=', run.id)
        .where('state', '=', 'running')
        .limit(1)
        .executeTakeFirst();
      if (!left) return;
      if (isCancelled()) await this.cancelRest(run);
      if (!this.dispatcher.isAtWork(run.workflow_id)) this.dispatcher.wake(run.workflow_id);
      await changed;
    }
  }

  /** What nobody has begun, or what waits, is cancelled; what may have been written goes on until that is known. */
  private async cancelRest(run: RunRow): Promise<void> {
    await this.dispatcher.giveBack(run.workflow_id, (trx) =>
      trx
        .updateTable('item')
        .set({
          state: 'cancelled',
          message: 'The run was stopped before this record was done.',
          cause: null,
          waits_for: null,
          wake_at: null,
          ended_at: this.context.seams.now(),
        })
        .where('run_id', '=', run.id)
        .where('state', 'in', ['running', 'waiting'])
        .where('claimed', '=', 0)
        .where('id', 'not in', (eb) => eb.selectFrom('park').select('item_id').where(isGathered))
        .where(hasNoOpenIntent)
        .execute(),
    );
  }

  private async end(run: RunRow, message: string | null, isStopped: boolean): Promise<void> {
    const { seams, events, commits } = this.context;
    await commits.run(async (trx) => {
      const now = await trx.selectFrom('run').selectAll().where('id', '=', run.id).executeTakeFirst();
      if (!now) return;
      const isNothing = run.kind === 'check' && now.taken_in === 0 && !message && now.repeats === 0 && !now.note;
      // A check that found nothing new leaves no run behind; when it was is kept with the start.
      if (isNothing) await trx.deleteFrom('run').where('id', '=', run.id).execute();
      else {
        const state = message ? 'broken' : isStopped ? 'stopped' : 'done';
        const ended = { state, ended_at: seams.now(), message: message || null, wake_at: null } as const;
        await trx.updateTable('run').set(ended).where('id', '=', run.id).execute();
        await relayRun(trx, now, seams.now());
      }
    });
    this.ended(run.workflow_id);
    events.tell({ topic: 'run', workflow: run.workflow_id, id: run.id });
  }
}

const untroubled = { message: null, cause: null, waits_for: null, is_paused: 0, held: null } as const;

type Told = AppError | UnknownConnection | CannotUnseal;

/** Faults that have a sentence of their own for the person. */
const isTold = (error: unknown): error is Told =>
  error instanceof AppError || error instanceof UnknownConnection || error instanceof CannotUnseal;

function setTriggerOf(trx: Trx, workflowId: string, values: Updateable<TriggerTable>): Promise<unknown> {
  return trx.updateTable('trigger_state').set(values).where('workflow_id', '=', workflowId).execute();
}

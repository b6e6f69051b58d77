import { AppError } from '@golden/connectors';
import type { ItemRow, RunTable } from '../db/schema.ts';
import { noteBroken } from './answers.ts';
import type { EngineContext } from './context.ts';
import type { Driver } from './driver.ts';
import { markDoubles } from './mark-doubles.ts';
import { sinceAfter, takeIn } from './take-in.ts';

/** Items on their way at once; requests are limited for each connection besides. */
const itemWindow = 128;

/** Carries a run through: lists, takes in, drives every item, and closes the books. */
export class Runner {
  private readonly stopping = new Set<string>();
  private isClosing = false;
  /** Runs that are under way in this process. */
  private readonly under = new Map<string, Promise<void>>();

  constructor(
    private readonly context: EngineContext,
    private readonly driver: Driver,
  ) {}

  /** Does a stored run from where it stands; one already under way is waited for. */
  run(runId: string): Promise<void> {
    const known = this.under.get(runId);
    if (known) return known;
    const work = this.carryThrough(runId).finally(() => this.under.delete(runId));
    this.under.set(runId, work);
    return work;
  }

  /** Asks a run to stop; what is under way ends, what hasn't begun is cancelled. */
  async stop(runId: string): Promise<void> {
    this.stopping.add(runId);
    await this.under.get(runId);
    this.stopping.delete(runId);
  }

  /**
   * Waits for what is under way, for a clean end of the process. Nothing is cancelled: the runs stay
   * open and are taken up at the next start.
   */
  async close(): Promise<void> {
    this.isClosing = true;
    await Promise.allSettled(this.under.values());
  }

  private async carryThrough(runId: string): Promise<void> {
    const { context } = this;
    const run = (await context.db.selectFrom('run').selectAll().where('id', '=', runId).executeTakeFirst()) as
      | RunTable
      | undefined;
    if (!run || run.state === 'done') return;
    const isStopped = (): boolean => this.isClosing || this.stopping.has(runId);
    let message: string | null = null;
    try {
      if (run.state === 'listing' && !isStopped()) {
        const version = await context.workflows.version(run.workflow_id, run.version);
        const taken = await takeIn(context, run, version, isStopped);
        if (taken === 'limited') await this.noteChecked(run);
        else if (!isStopped()) await this.closeListing(run);
      }
    } catch (error) {
      if (!(error instanceof AppError)) throw error;
      message = context.blotting.clean(error.message);
      await this.notePaused(run, error);
    }
    await markDoubles(context, runId, await context.workflows.version(run.workflow_id, run.version));
    await this.driveAll(runId, isStopped);
    if (this.isClosing) return;
    if (isStopped()) await this.cancelRest(runId);
    await this.end(run, message, isStopped());
  }

  /** A run that was full lists from the same point again the next time. */
  private async noteChecked(run: RunTable): Promise<void> {
    await this.context.db
      .updateTable('trigger_state')
      .set({ last_checked_at: this.context.seams.now(), message: null, cause: null, waits_for: null, is_paused: 0 })
      .where('workflow_id', '=', run.workflow_id)
      .execute();
  }

  /** From here on the next listing begins where this one ended. */
  private async closeListing(run: RunTable): Promise<void> {
    const trigger = this.context.db.updateTable('trigger_state').where('workflow_id', '=', run.workflow_id);
    await trigger
      .set({
        phase: 'asking',
        since: sinceAfter(run.high_water, run.since),
        last_checked_at: this.context.seams.now(),
        message: null,
        cause: null,
        waits_for: null,
        is_paused: 0,
      })
      .execute();
    await this.context.db.updateTable('run').set({ state: 'working' }).where('id', '=', run.id).execute();
  }

  private async notePaused(run: RunTable, error: AppError): Promise<void> {
    const { db, connections, workflows, blotting, seams } = this.context;
    const { source } = (await workflows.version(run.workflow_id, run.version)).content.start;
    if (source) await noteBroken(connections, source.connection, error);
    await db
      .updateTable('trigger_state')
      .set({
        message: blotting.clean(error.message),
        cause: error.unsettledCause,
        waits_for: error.unsettledCause === 'connection' ? (source?.connection ?? null) : null,
        is_paused: error.isPassing ? 0 : 1,
        last_checked_at: seams.now(),
      })
      .where('workflow_id', '=', run.workflow_id)
      .execute();
  }

  private async driveAll(runId: string, isStopped: () => boolean): Promise<void> {
    const under = new Set<Promise<void>>();
    let after = 0;
    for (;;) {
      const rows = await this.context.db
        .selectFrom('item')
        .selectAll()
        .select((eb) =>
          eb
            .exists(
              eb
                .selectFrom('item as earlier')
                .select('earlier.id')
                .whereRef('earlier.workflow_id', '=', 'item.workflow_id')
                .whereRef('earlier.source_id', '=', 'item.source_id')
                .whereRef('earlier.seq', '<', 'item.seq'),
            )
            .as('has_earlier'),
        )
        .where('run_id', '=', runId)
        .where('state', '=', 'running')
        .where('seq', '>', after)
        .orderBy('seq')
        .limit(itemWindow * 2)
        .execute();
      if (rows.length === 0 || isStopped()) break;
      for (const row of rows) {
        after = row.seq;
        const work = this.driveSafely(row, Boolean(row.has_earlier)).finally(() => under.delete(work));
        under.add(work);
        if (under.size >= itemWindow) await Promise.race(under);
        if (isStopped()) break;
      }
    }
    await Promise.all(under);
  }

  /** A fault of our own must not take the run along: the item says so and waits for a person. */
  private async driveSafely(item: ItemRow, hasEarlier: boolean): Promise<void> {
    try {
      await this.driver.driveLoaded(item, hasEarlier);
    } catch (error) {
      const said = this.context.blotting.clean(error instanceof Error ? error.message : String(error));
      this.context.log.error({ item: item.id, said }, 'an item could not be driven');
      await this.context.db
        .updateTable('item')
        .set({ state: 'unsettled', cause: 'unsure', message: `Golden Relay met a fault of its own: ${said}` })
        .where('id', '=', item.id)
        .execute();
    }
  }

  private async cancelRest(runId: string): Promise<void> {
    await this.context.db
      .updateTable('item')
      .set({
        state: 'cancelled',
        message: 'The run was stopped before this record was done.',
        ended_at: this.context.seams.now(),
      })
      .where('run_id', '=', runId)
      .where('state', '=', 'running')
      .where('token', 'is', null)
      .execute();
  }

  private async end(run: RunTable, message: string | null, isStopped: boolean): Promise<void> {
    const { db, seams, events } = this.context;
    const now = await db.selectFrom('run').selectAll().where('id', '=', run.id).executeTakeFirst();
    if (!now) return;
    const isNothing = run.kind === 'check' && now.taken_in === 0 && message === null && now.repeats === 0;
    // A check that found nothing new leaves no run behind; when it was is kept with the start.
    if (isNothing) await db.deleteFrom('run').where('id', '=', run.id).execute();
    else {
      const state = message !== null ? 'broken' : isStopped ? 'stopped' : 'done';
      await db.updateTable('run').set({ state, ended_at: seams.now(), message }).where('id', '=', run.id).execute();
    }
    events.tell({ topic: 'run', workflow: run.workflow_id, id: run.id });
  }
}

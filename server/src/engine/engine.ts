import type { SourceRecord } from '@golden/connectors';
import { type Answer, type Decision, isPlaced, isReady, onlyStep, revisionOf } from '@golden/core';
import PQueue from 'p-queue';
import type { RunTable } from '../db/schema.ts';
import { carryOnStopped } from './carry-on.ts';
import type { EngineContext } from './context.ts';
import { Driver } from './driver.ts';
import { type RehearsalScope, Rehearsals, type Tried } from './rehearse.ts';
import { Runner } from './runner.ts';
import { Samples } from './samples.ts';
import { Sources } from './sources.ts';
import { takeBack } from './take-back.ts';
import { fingerprintOf, newItem, saveSeen } from './take-in.ts';

/** What was asked can't be done now; the message says why and what to do. */
export class NotPossible extends Error {
  override readonly name = 'NotPossible';
}

/** Requests at once to one connection. */
export const requestsAtOnce = 8;

/** Queues that limit the requests under way at once, one for each connection. */
export function requestSlots(): (connection: string) => PQueue {
  const queues = new Map<string, PQueue>();
  return (connection) => {
    const queue = queues.get(connection) ?? new PQueue({ concurrency: requestsAtOnce });
    queues.set(connection, queue);
    return queue;
  };
}

/** Everything that makes records go: asking, running, rehearsing, settling. */
export class Engine {
  readonly sources: Sources;
  readonly samples: Samples;
  readonly rehearsals: Rehearsals;
  private readonly driver: Driver;
  private readonly runner: Runner;
  private timer: NodeJS.Timeout | undefined;
  private isReleasing = false;
  private readonly busy = new Set<Promise<unknown>>();

  constructor(private readonly context: EngineContext) {
    this.driver = new Driver(context);
    this.runner = new Runner(context, this.driver);
    this.sources = new Sources(context);
    this.samples = new Samples(context, this.sources);
    this.rehearsals = new Rehearsals(context);
  }

  /** Takes up what an earlier process left, then asks the sources at their times. */
  async start(): Promise<void> {
    await this.resume();
    this.timer = setInterval(() => this.background(this.tick()), 1000);
  }

  /** Ends after what is under way; what is left is taken up at the next start. */
  async stop(): Promise<void> {
    clearInterval(this.timer);
    await this.rehearsals.stopAll();
    await this.runner.close();
    await Promise.allSettled(this.busy);
  }

  /** Goes on with every run and item that was under way when the last process ended. */
  async resume(): Promise<void> {
    const { db } = this.context;
    await db.updateTable('rehearsal').set({ state: 'stopped' }).where('state', '=', 'running').execute();
    const runs = await db
      .selectFrom('run')
      .select('id')
      .where('state', 'in', ['listing', 'working'])
      .orderBy('started_at')
      .execute();
    for (const run of runs) await this.runner.run(run.id);
    const left = await db.selectFrom('item').select('id').where('state', '=', 'running').orderBy('seq').execute();
    for (const item of left) await this.driver.drive(item.id);
  }

  /** Makes the draft the live version and switches on; the first run carries out "from when". */
  async makeLive(workflowId: string): Promise<{ version: number; run: string }> {
    const { db, workflows, events, seams } = this.context;
    const { draft } = await workflows.get(workflowId);
    if (!isReady(draft))
      throw new NotPossible('The draft isn’t ready. Settle the problems that stand at its sentences first.');
    const version = await workflows.freeze(workflowId);
    await db.updateTable('workflow').set({ live_version: version, is_on: 1 }).where('id', '=', workflowId).execute();
    const next_at = this.after(draft.start.everyMinutes);
    const fresh = {
      phase: 'first' as const,
      since: null,
      next_at,
      last_checked_at: seams.now(),
      message: null,
      cause: null,
      waits_for: null,
      is_paused: 0,
    };
    await db
      .insertInto('trigger_state')
      .values({ workflow_id: workflowId, ...fresh })
      .onConflict((conflict) => conflict.column('workflow_id').doUpdateSet(fresh))
      .execute();
    events.tell({ topic: 'workflow', workflow: workflowId });
    this.background(carryOnStopped(this.context, this.driver, workflowId, version));
    return { version, run: await this.beginRun(workflowId, version, 'first', null) };
  }

  /** Switches the live version on again; what came meanwhile is taken in by the next check. */
  async switchOn(workflowId: string): Promise<void> {
    const { db, workflows, events, seams } = this.context;
    const { liveVersion } = await workflows.get(workflowId);
    if (liveVersion === null)
      throw new NotPossible('It has no live version yet. Rehearse it, and make it live from there.');
    await db.updateTable('workflow').set({ is_on: 1 }).where('id', '=', workflowId).execute();
    await db
      .updateTable('trigger_state')
      .set({ next_at: seams.now(), is_paused: 0 })
      .where('workflow_id', '=', workflowId)
      .execute();
    events.tell({ topic: 'workflow', workflow: workflowId });
  }

  async switchOff(workflowId: string): Promise<void> {
    await this.context.db.updateTable('workflow').set({ is_on: 0 }).where('id', '=', workflowId).execute();
    this.context.events.tell({ topic: 'workflow', workflow: workflowId });
  }

  /** Asks the source now instead of at the next time; `by` says whether a person or the clock wants it. */
  async checkNow(workflowId: string, by: 'asked' | 'check' = 'asked'): Promise<string> {
    const { db, workflows } = this.context;
    const { liveVersion, isOn } = await workflows.get(workflowId);
    if (liveVersion === null || !isOn) throw new NotPossible('The workflow is off. Make it live first.');
    const trigger = await db
      .selectFrom('trigger_state')
      .selectAll()
      .where('workflow_id', '=', workflowId)
      .executeTakeFirstOrThrow();
    return this.beginRun(workflowId, liveVersion, trigger.phase === 'first' ? 'first' : by, trigger.since);
  }

  /** Waits until a run has ended. */
  async finish(runId: string): Promise<void> {
    await this.runner.run(runId);
  }

  async stopRun(runId: string): Promise<void> {
    await this.runner.stop(runId);
  }

  /** Carries out a person's decision on an item. */
  async decide(itemId: string, decision: Decision): Promise<void> {
    const item = await this.context.db.selectFrom('item').select('cause').where('id', '=', itemId).executeTakeFirst();
    if (item?.cause === 'behind' && decision.kind !== 'dismiss') {
      throw new NotPossible(
        'An earlier change of this record is unsettled. Settle that one first, or take the newest.',
      );
    }
    await this.driver.decide(itemId, decision);
  }

  /** Takes up an item that was cancelled by stopping its run. */
  async takeUp(itemId: string): Promise<void> {
    const { db } = this.context;
    const item = await db.selectFrom('item').select(['state', 'revision']).where('id', '=', itemId).executeTakeFirst();
    if (item?.state !== 'cancelled' || item.revision.includes('(taken back'))
      throw new NotPossible('Only a cancelled record can be taken up again.');
    await db
      .updateTable('item')
      .set({ state: 'running', message: null, ended_at: null })
      .where('id', '=', itemId)
      .execute();
    await this.driver.drive(itemId);
  }

  /** Lets the newest change of a record go on and dismisses the earlier ones as overtaken. */
  async takeNewest(itemId: string): Promise<void> {
    const { db } = this.context;
    const item = await db
      .selectFrom('item')
      .select(['workflow_id', 'source_id'])
      .where('id', '=', itemId)
      .executeTakeFirst();
    if (!item) throw new NotPossible('This record isn’t there any more.');
    const open = await db
      .selectFrom('item')
      .select('id')
      .where('workflow_id', '=', item.workflow_id)
      .where('source_id', '=', item.source_id)
      .where('state', '=', 'unsettled')
      .orderBy('seq')
      .execute();
    for (const { id } of open.slice(0, -1))
      await this.decide(id, { kind: 'dismiss', reason: 'Overtaken by a newer change.' });
  }

  /** Tries again everything that waits for a connection, after asking the app whether it works. */
  async retryConnection(connectionId: string): Promise<void> {
    const { db, connections } = this.context;
    const view = await connections.check(connectionId);
    if (view.status !== 'working') return;
    await db
      .updateTable('trigger_state')
      .set({ is_paused: 0, waits_for: null, message: null, cause: null })
      .where('waits_for', '=', connectionId)
      .execute();
    const waiting = await db
      .selectFrom('item')
      .select('id')
      .where('state', '=', 'unsettled')
      .where('waits_for', '=', connectionId)
      .orderBy('seq')
      .execute();
    await Promise.all(waiting.map(({ id }) => this.decide(id, { kind: 'retry' })));
  }

  /** Sends one sample for real, on a version frozen from the draft; resolves when it has ended. */
  async sendOne(workflowId: string, sourceId: string): Promise<string> {
    const { workflows, commits, seams, db } = this.context;
    const { draft } = await workflows.get(workflowId);
    if (!isReady(draft))
      throw new NotPossible('The draft isn’t ready. Settle the problems that stand at its sentences first.');
    const record = await this.sampleNow(workflowId, sourceId);
    const version = await workflows.freeze(workflowId);
    const runId = seams.id();
    const itemId = seams.id();
    const fingerprint = fingerprintOf(record.record);
    const last = await db
      .selectFrom('seen')
      .selectAll()
      .where('workflow_id', '=', workflowId)
      .where('source_id', '=', sourceId)
      .executeTakeFirst();
    const { revision, counter } = revisionOf({ version: record.version, updated: record.updated, fingerprint }, last);
    const earlier = await db
      .selectFrom('item')
      .select('id')
      .where('workflow_id', '=', workflowId)
      .where('source_id', '=', sourceId)
      .where('revision', '=', revision)
      .executeTakeFirst();
    if (earlier)
      throw new NotPossible('This record was sent already, as it is now. Choose another, or take that one back first.');
    const now = seams.now();
    await commits.run(async (trx) => {
      await trx
        .insertInto('run')
        .values(
          newRun(runId, workflowId, version, 'single', null, now, { in_source: 1, taken_in: 1, state: 'working' }),
        )
        .execute();
      await trx
        .insertInto('item')
        .values(newItem(itemId, { id: runId, workflow_id: workflowId, version }, record, revision, now))
        .execute();
      await saveSeen(trx, [
        {
          workflow_id: workflowId,
          source_id: sourceId,
          revision,
          fingerprint,
          counter,
          is_taken: 1,
          run_id: runId,
          kept: last?.kept ?? null,
          is_gone: 0,
        },
      ]);
    });
    await this.runner.run(runId);
    return itemId;
  }

  async takeBack(itemId: string): Promise<void> {
    await takeBack(this.context, itemId);
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

  /** Tries one sentence of the draft alone over the samples; nothing is written or kept. */
  async tryStep(workflowId: string, stepId: string): Promise<readonly Tried[]> {
    const version = await this.context.workflows.draftVersion(workflowId);
    if (!version.content.steps.some((step) => step.id === stepId))
      throw new NotPossible('This sentence isn’t in the draft any more.');
    const samples = await this.samples.of(workflowId);
    return this.rehearsals.try({ ...version, content: onlyStep(version.content, stepId) }, samples);
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
    return this.rehearsals.answers(version, records);
  }

  /** Lets go what has gathered long enough, or is enough by now. */
  private async releaseGathered(): Promise<void> {
    const { db, workflows, seams } = this.context;
    const gathered = await db
      .selectFrom('item')
      .select(['workflow_id', 'version', (eb) => eb.fn.countAll<number>().as('count')])
      .select((eb) => eb.fn.min('taken_at').as('first'))
      .where('is_gathered', '=', 1)
      .groupBy(['workflow_id', 'version'])
      .execute();
    for (const { workflow_id, version, count, first } of gathered) {
      const { gather } = (await workflows.version(workflow_id, version)).content.start;
      const age = (Date.parse(seams.now()) - Date.parse(first)) / 60_000;
      if (gather && count < gather.records && age < gather.minutes) continue;
      const released = await db
        .updateTable('item')
        .set({ is_gathered: 0, state: 'running', message: null })
        .where('workflow_id', '=', workflow_id)
        .where('version', '=', version)
        .where('is_gathered', '=', 1)
        .returning(['id', 'seq'])
        .execute();
      const queue = new PQueue({ concurrency: 64 });
      const ordered = released.sort((one, other) => one.seq - other.seq);
      await queue.addAll(
        ordered.map(
          ({ id }) =>
            () =>
              this.driver.drive(id),
        ),
      );
    }
  }

  private async tick(): Promise<void> {
    const { db, workflows, seams } = this.context;
    if (!this.isReleasing) {
      this.isReleasing = true;
      await this.releaseGathered().finally(() => {
        this.isReleasing = false;
      });
    }
    const due = await db
      .selectFrom('trigger_state')
      .innerJoin('workflow', 'workflow.id', 'trigger_state.workflow_id')
      .select(['workflow.id', 'workflow.live_version', 'trigger_state.phase', 'trigger_state.since'])
      .where('workflow.is_on', '=', 1)
      .where('trigger_state.is_paused', '=', 0)
      .where('trigger_state.next_at', '<=', seams.now())
      .execute();
    for (const one of due) {
      if (one.live_version === null) continue;
      const { content } = await workflows.version(one.id, one.live_version);
      await db
        .updateTable('trigger_state')
        .set({ next_at: this.after(content.start.everyMinutes) })
        .where('workflow_id', '=', one.id)
        .execute();
      const isUnder = await db
        .selectFrom('run')
        .select('id')
        .where('workflow_id', '=', one.id)
        .where('state', 'in', ['listing', 'working'])
        .executeTakeFirst();
      if (!isUnder) await this.beginRun(one.id, one.live_version, one.phase === 'first' ? 'first' : 'check', one.since);
    }
  }

  /** Stores a run and begins it in the background. */
  private async beginRun(
    workflowId: string,
    version: number,
    kind: RunTable['kind'],
    since: string | null,
  ): Promise<string> {
    const { db, seams } = this.context;
    const id = seams.id();
    await db
      .insertInto('run')
      .values(newRun(id, workflowId, version, kind, since, seams.now()))
      .execute();
    // One run of a workflow at a time: a later one lists what an earlier one has taken in.
    const begun = this.context.locks.take(`run|${workflowId}`).then((release) => this.runner.run(id).finally(release));
    this.background(begun);
    return id;
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

  private after(minutes: number): string {
    return new Date(Date.parse(this.context.seams.now()) + minutes * 60_000).toISOString();
  }

  private background(work: Promise<unknown>): void {
    const watched = work
      .catch((error) => {
        const said = error instanceof Error ? error.message : String(error);
        this.context.log.error({ said: this.context.blotting.clean(said) }, 'background work failed');
      })
      .finally(() => this.busy.delete(watched));
    this.busy.add(watched);
  }
}

function newRun(
  id: string,
  workflowId: string,
  version: number,
  kind: RunTable['kind'],
  since: string | null,
  now: string,
  more: Partial<RunTable> = {},
): RunTable {
  return {
    id,
    workflow_id: workflowId,
    version,
    kind,
    state: 'listing',
    started_at: now,
    ended_at: null,
    in_source: 0,
    noted_earlier: 0,
    taken_in: 0,
    repeats: 0,
    cursor: null,
    since,
    high_water: null,
    message: null,
    note: null,
    ...more,
  };
}

import {
  firstAt,
  nextAfter,
  type Trigger,
  tellingOf,
  toldBy,
  triggerDefinition,
  triggerKinds,
  type WorkflowVersion,
} from '@golden/core';
import type { Trx } from '../db/group-commit.ts';
import type { Db } from '../db/open.ts';
import type { EngineContext } from './context.ts';
import { type ToldOf, toldSince } from './told-of.ts';

// When live workflows look at their sources, by the kinds of their triggers.

interface Live {
  readonly id: string;
  readonly number: number;
  readonly version: WorkflowVersion;
}

/** The workflows that are on, with what they do now. */
async function liveOnes({ db, workflows }: EngineContext): Promise<Live[]> {
  const on = await db
    .selectFrom('workflow')
    .select(['id', 'live_version'])
    .where('is_on', '=', 1)
    .orderBy('created_at')
    .execute();
  const live: Live[] = [];
  for (const { id, live_version: number } of on) {
    const version = number === null ? undefined : await workflows.readableVersion(id, number);
    if (number !== null && version) live.push({ id, number, version });
  }
  return live;
}

const isTold = ({ kind }: Trigger): boolean => triggerKinds[kind].isTold === true;

/** A workflow whose source is to be looked at now. */
export interface Due {
  readonly id: string;
  readonly version: number;
  /** When it was to be looked at. */
  readonly at: string;
  /** When it is to be looked at next: to be stored with the run that begins, so that none is lost between. */
  readonly next: string | null;
}

/** The workflows whose sources are to be looked at now. */
export async function dueSources(context: EngineContext): Promise<Due[]> {
  const { db, seams } = context;
  const states = await db
    .selectFrom('trigger_state')
    .select(['workflow_id', 'next_at'])
    .where('is_paused', '=', 0)
    .where('next_at', 'is not', null)
    .execute();
  const nextAt = new Map(states.map((one) => [one.workflow_id, one.next_at as string]));
  const due: Due[] = [];
  for (const { id, number, version } of await liveOnes(context)) {
    const at = nextAt.get(id);
    if (at === undefined) continue;
    const { trigger } = version.content.start;
    const now = seams.now();
    const next = nextAfter(trigger, now, version.locale.zone);
    const { isMadeUpFor, isLeftOut } = triggerDefinition(trigger);
    const isDue = at <= now && isLeftOut?.(trigger, at, now) !== true;
    const waits = isDue && (await isUnderWay(context, id));
    // What was told of, or comes seldom, stays due until it can be looked at.
    if (waits && (isTold(trigger) || isMadeUpFor)) continue;
    if (isDue && !waits) due.push({ id, version: number, at, next });
    // Further off than the next time from now can be only when the clock was put back.
    else if (at <= now || next === null || at > next) await setNext(context, id, next);
  }
  return due;
}

/** True while a run of a workflow lists or works. */
export async function isUnderWay({ db }: EngineContext, workflowId: string): Promise<boolean> {
  const run = await db
    .selectFrom('run')
    .select('id')
    .where('workflow_id', '=', workflowId)
    .where('state', 'in', ['listing', 'working'])
    .executeTakeFirst();
  return run !== undefined;
}

/** The workflows that are told by an event are due now; gives whether there are any. */
export async function tellTriggers(context: EngineContext, event: string): Promise<boolean> {
  const told = (await liveOnes(context)).filter(({ version }) => {
    return toldBy(version.content.start) === event;
  });
  // Where an event only tells of a record, that is fetched; the others aren't listed for it.
  await setDue(
    context,
    told.filter(({ version }) => !tellingOf(version.content.start)),
  );
  return told.length > 0;
}

/** The workflows that events have told of records since the last time, with what those are. */
export async function toldWorkflows(
  context: EngineContext,
): Promise<{ readonly id: string; readonly version: number; readonly told: ToldOf }[]> {
  const { db, bytes, seams } = context;
  const found: { id: string; version: number; told: ToldOf }[] = [];
  for (const { id, number, version } of await liveOnes(context)) {
    const telling = tellingOf(version.content.start);
    if (!telling || (await isUnderWay(context, id))) continue;
    const state = await db
      .selectFrom('trigger_state')
      .select(['told_seq', 'is_paused'])
      .where('workflow_id', '=', id)
      .executeTakeFirst();
    if (!state || state.is_paused === 1) continue;
    const told = await toldSince(db, bytes, { ...telling, workflow: id, after: state.told_seq, now: seams.now() });
    if (told.ids.length > 0 || told.seq > state.told_seq) found.push({ id, version: number, told });
  }
  return found;
}

/** Whether a workflow that is told by events has been told of something that it hasn't looked at. */
export async function hasBeenTold(context: EngineContext, workflowId: string): Promise<boolean> {
  const { db, workflows, seams } = context;
  const waiting = await db
    .selectFrom('trigger_state')
    .innerJoin('workflow', 'workflow.id', 'trigger_state.workflow_id')
    .select('live_version')
    .where('workflow_id', '=', workflowId)
    .where('next_at', '<=', seams.now())
    .executeTakeFirst();
  if (!waiting || waiting.live_version === null) return false;
  const version = await workflows.readableVersion(workflowId, waiting.live_version);
  return version !== undefined && isTold(version.content.start.trigger);
}

/** What may have been told while nobody listened, or in the last moment of the process before, is looked at. */
export async function dueAtStart(context: EngineContext): Promise<void> {
  const told = (await liveOnes(context)).filter(({ version }) => isTold(version.content.start.trigger));
  await setDue(context, told);
}

/**
 * Everything goes on: the sources are looked at one after the other, so that not all apps are asked at
 * once. What has its set times keeps them.
 *
 * @param apart - milliseconds between two of them
 */
export async function dueAfterStop(context: EngineContext, apart: number): Promise<void> {
  const { seams } = context;
  let wait = 0;
  for (const { id, version } of await liveOnes(context)) {
    const now = seams.now();
    const first = firstAt(version.content.start.trigger, now, version.locale.zone);
    if (first === null || first > now) continue;
    await setNext(context, id, new Date(Date.parse(now) + wait).toISOString());
    wait += apart;
  }
}

async function setDue(context: EngineContext, live: readonly Live[]): Promise<void> {
  for (const { id } of live) await setNext(context, id, context.seams.now());
}

async function setNext({ db }: Pick<EngineContext, 'db'>, id: string, next: string | null): Promise<void> {
  await storeNextLook(db, id, next);
}

/** When a workflow's source is looked at next. */
export async function storeNextLook(db: Db | Trx, id: string, next: string | null): Promise<void> {
  await db.updateTable('trigger_state').set({ next_at: next }).where('workflow_id', '=', id).execute();
}

import {
  dateOf,
  dayAfter,
  hoursOf,
  type ItemState,
  openOn,
  type Scheduled,
  scheduleOf,
  stepById,
  type WorkflowContent,
  type WorkflowVersion,
} from '@golden/core';
import { sql } from 'kysely';
import { openCalendars } from '../../calendars.ts';
import { isWaiting } from '../../db/item-states.ts';
import { likeAnywhere } from '../../db/like.ts';
import { gatheredStep } from '../../engine/parks.ts';
import type { Services } from '../../services.ts';

/** Rows that are shown at once; the others are found by searching. */
const mostRows = 200;
/** Days that are shown beside each other. */
const shownDays = 9;
/** Days for which what ended early is still counted. */
const lookBack = 7;

interface Asked {
  readonly search: string;
  readonly of: 'now' | 'rehearsal';
  readonly from?: string | undefined;
}

/** Who gets what, when: of what waits now, or of the last rehearsal. */
export async function dueOf(services: Services, workflowId: string, asked: Asked) {
  const { db, seams, workflows } = services;
  const { liveVersion } = await workflows.get(workflowId);
  const shown =
    asked.of === 'rehearsal' || liveVersion === null
      ? await workflows.draftVersion(workflowId)
      : await workflows.version(workflowId, liveVersion);
  const { zone } = shown.locale;
  const rows = asked.of === 'rehearsal' ? await rehearsed(services, workflowId, asked.search, shown) : undefined;
  const waiting = rows ?? (await waitingNow(services, workflowId, asked.search));
  const from = asked.from ?? dateOf(Date.parse(seams.now()), zone);
  const counted = rows ? countDays(rows.rows, zone) : await countDue(services, workflowId, zone);
  const wait = shown.content.steps.find((step) => step.kind === 'wait');
  const hours = hoursOf(wait ?? {}, { ...shown, calendars: await openCalendars(db, seams.now()) });
  return {
    zone,
    steps: names(shown.content),
    days: Array.from({ length: shownDays }, (_, at) => {
      const day = dayAfter(from, at);
      const closed = openOn(day, hours, zone).length > 0 ? null : (hours.off[day] ?? 'closed');
      return { day, closed, count: counted.get(day) ?? 0 };
    }),
    ...waiting,
    counts: await countAll(services, workflowId),
  };
}

type Row = {
  readonly id: string;
  readonly runId: string | null;
  readonly title: string;
  readonly until: string | null;
  readonly message: string | null;
  readonly cells: Scheduled[];
};

/** How each step that writes is called, and each wait. */
function names({ steps }: WorkflowContent): Record<string, string> {
  return Object.fromEntries(
    steps.flatMap((step) => {
      if (step.kind === 'wait') return [[step.id, step.name ?? 'wait']];
      if (step.kind !== 'write') return [];
      return [[step.id, step.name ?? step.target?.described.singular ?? 'record']];
    }),
  );
}

async function waitingNow({ db, workflows }: Services, workflowId: string, search: string) {
  const found = await db
    .selectFrom('park')
    .innerJoin('item', 'item.id', 'park.item_id')
    .select(['item.id', 'item.run_id', 'item.title', 'item.version', 'item.item_state', 'item.message', 'park.until'])
    .select((eb) => eb.fn.countAll<number>().over().as('total'))
    .where('item.workflow_id', '=', workflowId)
    .where(isWaiting)
    .where('park.step', '!=', gatheredStep)
    .where(sql<boolean>`item.title LIKE ${likeAnywhere(search.trim())} ESCAPE '\\'`)
    .orderBy('park.until')
    .orderBy('item.seq')
    .limit(mostRows)
    .execute();
  const ids = found.map(({ id }) => id);
  const done = await db
    .selectFrom('write')
    .select(['item_id', 'step', 'done_at'])
    .where('item_id', 'in', ids)
    .where('status', '=', 'done')
    .execute();
  const doneAt = new Map(done.map(({ item_id, step, done_at }) => [`${item_id} ${step}`, done_at]));
  const rows: Row[] = [];
  for (const { id, run_id, title, version: number, item_state, message, until } of found) {
    const version = await workflows.version(workflowId, number);
    const state = JSON.parse(item_state) as ItemState;
    const cells = moved(version, state, until).map((cell) => ({
      ...cell,
      at: (cell.kind === 'done' && doneAt.get(`${id} ${cell.step}`)) || cell.at,
    }));
    rows.push({ id, runId: run_id, title, until, message, cells });
  }
  return { rows, total: found[0]?.total ?? 0 };
}

/** The schedule of a parked item whose wait a person may have put off: what comes next comes then, at the earliest. */
function moved(version: WorkflowVersion, state: ItemState, until: string | null): Scheduled[] {
  const cells = scheduleOf(version, state);
  return until === null
    ? cells
    : cells.map((cell) => (cell.kind === 'due' && cell.at < until ? { ...cell, at: until } : cell));
}

async function rehearsed({ db }: Services, workflowId: string, search: string, version: WorkflowVersion) {
  const found = await db
    .selectFrom('rehearsal_item')
    .select(['at', 'title', 'message', 'item_state'])
    .select((eb) => eb.fn.countAll<number>().over().as('total'))
    .where('workflow_id', '=', workflowId)
    .where('state', '!=', 'left_out')
    .where(sql<boolean>`title LIKE ${likeAnywhere(search.trim())} ESCAPE '\\'`)
    .orderBy('at')
    .limit(mostRows)
    .execute();
  const rows = found.map(({ at, title, message, item_state }): Row => {
    const state = JSON.parse(item_state) as ItemState;
    const cells = scheduleOf(version, state).filter(({ step }) => stepById(version.content, step) !== undefined);
    return { id: String(at), runId: null, title, until: null, message, cells };
  });
  return { rows, total: found[0]?.total ?? 0 };
}

/** Steps of the shown rows by the day on which they are due. */
function countDays(rows: readonly Row[], zone: string): Map<string, number> {
  const counts = new Map<string, number>();
  for (const { cells } of rows)
    for (const { kind, at } of cells) {
      if (kind !== 'due') continue;
      const day = dateOf(Date.parse(at), zone);
      counts.set(day, (counts.get(day) ?? 0) + 1);
    }
  return counts;
}

/** All that waits by the day on which it goes on, however many there are. */
async function countDue({ db }: Services, workflowId: string, zone: string): Promise<Map<string, number>> {
  const minutes = await db
    .selectFrom('park')
    .innerJoin('item', 'item.id', 'park.item_id')
    .select([sql<string>`substr(park.until, 1, 16)`.as('minute'), (eb) => eb.fn.countAll<number>().as('count')])
    .where('item.workflow_id', '=', workflowId)
    .where(isWaiting)
    .where('park.step', '!=', gatheredStep)
    .where('park.until', 'is not', null)
    .groupBy('minute')
    .execute();
  const counts = new Map<string, number>();
  for (const { minute, count } of minutes) {
    const day = dateOf(Date.parse(`${minute}:00Z`), zone);
    counts.set(day, (counts.get(day) ?? 0) + count);
  }
  return counts;
}

async function countAll({ db, seams }: Services, workflowId: string) {
  const now = seams.now();
  const since = new Date(Date.parse(now) - lookBack * 24 * 3_600_000).toISOString();
  const one = await sql<{ waiting: number; overdue: number; unsettled: number; endedEarly: number }>`SELECT
    (SELECT count(*) FROM item JOIN park ON park.item_id = item.id WHERE workflow_id = ${workflowId} AND item.state = 'waiting'
      AND park.step <> ${gatheredStep}) AS waiting,
    (SELECT count(*) FROM item JOIN park ON park.item_id = item.id WHERE workflow_id = ${workflowId} AND item.state = 'waiting'
      AND park.step <> ${gatheredStep} AND park.until <= ${now}) AS overdue,
    (SELECT count(*) FROM item WHERE workflow_id = ${workflowId} AND state = 'unsettled') AS unsettled,
    (SELECT count(*) FROM item WHERE workflow_id = ${workflowId} AND ended_at >= ${since}
      AND json_extract(item_state, '$.stopped') IS NOT NULL) AS "endedEarly"`.execute(db);
  return one.rows[0] ?? { waiting: 0, overdue: 0, unsettled: 0, endedEarly: 0 };
}

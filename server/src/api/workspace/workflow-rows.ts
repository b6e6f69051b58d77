import { asksPerson, comesByItself, emptyBalance, type WorkflowContent, whenText, writeSteps } from '@golden/core';
import { sql } from 'kysely';
import { isUnsettled, isWaiting } from '../../db/item-states.ts';
import type { Db } from '../../db/open.ts';
import type { Services } from '../../services.ts';
import { loadSettings } from '../../settings.ts';
import type { Workflow } from '../../workflows.ts';
import { balancesToday } from '../runs/views.ts';
import { lastDays } from './days.ts';

/** Each workflow as one row: from, to, on or off, last and next run, the day's balance. */
export async function workflowRows({ db, workflows, connections, seams, stopSwitch }: Services) {
  const all = await workflows.list();
  const names = new Map((await connections.list()).map((one) => [one.id, one.name]));
  const today = await balancesToday(db);
  const { zone } = await loadSettings(db);
  const days = await lastDays(db, zone, seams.now());
  const triggers = await db.selectFrom('trigger_state').selectAll().execute();
  const open = await countOpen(db);
  const countOf = (id: string, state: keyof typeof open): number => open[state].get(id) ?? 0;
  const readable = await Promise.all(
    all.map(async (one) => {
      const trigger = triggers.find((row) => row.workflow_id === one.id);
      const run = await db
        .selectFrom('run')
        .select(['id', 'started_at', 'ended_at'])
        .where('workflow_id', '=', one.id)
        .orderBy('started_at', 'desc')
        .executeTakeFirst();
      return {
        id: one.id,
        name: one.draft.name,
        folder: one.folder,
        note: one.draft.note ?? null,
        ...ends(one.draft, names),
        isOn: one.isOn,
        liveVersion: one.liveVersion,
        when: whenText((await liveContent(workflows, one)).start.trigger),
        isStopped: stopSwitch.now !== null,
        nextAt: one.isOn && !stopSwitch.now ? (trigger?.next_at ?? null) : null,
        lastRun: run
          ? {
              id: run.id,
              at: run.started_at,
              seconds: run.ended_at ? (Date.parse(run.ended_at) - Date.parse(run.started_at)) / 1000 : null,
            }
          : null,
        message: trigger?.message ?? null,
        today: today.get(one.id) ?? emptyBalance,
        unsettled: countOf(one.id, 'unsettled'),
        waiting: countOf(one.id, 'waiting'),
        days: [...(days.get(one.id) ?? days.get('') ?? [])],
        unreadable: null as string | null,
      };
    }),
  );
  const unreadable = (await workflows.unreadable()).map(({ id, name, folder, isOn, liveVersion, message }) => ({
    ...{ id, name, folder, isOn, liveVersion, note: null, from: '', to: '', when: '', nextAt: null },
    isStopped: stopSwitch.now !== null,
    lastRun: null,
    message: null,
    today: today.get(id) ?? emptyBalance,
    unsettled: countOf(id, 'unsettled'),
    waiting: countOf(id, 'waiting'),
    days: [...(days.get(id) ?? days.get('') ?? [])],
    unreadable: message,
  }));
  return [...readable, ...unreadable];
}

/** How many items of each workflow need a person, or wait, counted from the index of those alone. */
async function countOpen(db: Db): Promise<Readonly<Record<'unsettled' | 'waiting', ReadonlyMap<string, number>>>> {
  interface Row {
    readonly workflow_id: string;
    readonly count: number;
  }
  const byWorkflow = ({ rows }: { readonly rows: readonly Row[] }) =>
    new Map(rows.map(({ workflow_id, count }) => [workflow_id, count]));
  return {
    unsettled: byWorkflow(
      await sql<Row>`SELECT workflow_id, count(*) AS count FROM item INDEXED BY item_unsettled
        WHERE ${isUnsettled} GROUP BY workflow_id`.execute(db),
    ),
    waiting: byWorkflow(
      await sql<Row>`SELECT workflow_id, count(*) AS count FROM item INDEXED BY item_waiting
        WHERE ${isWaiting} GROUP BY workflow_id`.execute(db),
    ),
  };
}

function ends(content: WorkflowContent, names: ReadonlyMap<string, string>): { from: string; to: string } {
  const name = (id: string | undefined): string => (id ? (names.get(id) ?? 'a connection that is gone') : 'not chosen');
  const { source } = content.start;
  const targets = [...new Set(writeSteps(content).map((step) => name(step.target?.connection)))];
  return {
    // What comes by itself comes from where it comes in, not from an app.
    from: comesByItself(content.start) ? (source?.labels.at(-1) ?? '') : name(source?.connection),
    to: targets.join(', ') || (asksPerson(content) ? 'Needs you' : 'not chosen'),
  };
}

/** What a workflow does now; what its draft says where nothing is live. */
async function liveContent(
  workflows: Services['workflows'],
  { id, liveVersion, draft }: Workflow,
): Promise<WorkflowContent> {
  const live = liveVersion === null ? undefined : await workflows.readableVersion(id, liveVersion);
  return live?.content ?? draft;
}

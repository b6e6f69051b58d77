import { setImmediate } from 'node:timers/promises';
import { type Balance, balanceOf, type ItemState, type ItemStateName, type WorkflowContent } from '@golden/core';
import { sql } from 'kysely';
import { DateTime } from 'luxon';
import type { Db } from '../../db/open.ts';
import type { ItemRow, RehearsalItemTable, RunRow } from '../../db/schema.ts';
import { isListedWhole } from '../../engine/since.ts';
import { wantedOf } from '../../engine/wanted.ts';
import { loadSettings } from '../../settings.ts';

type Counts = Partial<Record<ItemStateName, number>>;

/** The items of runs counted by state, by run. */
export async function countItems(db: Db, runIds: readonly string[]): Promise<Map<string, Counts>> {
  const counts = new Map<string, Counts>();
  if (runIds.length === 0) return counts;
  const rows = await db
    .selectFrom('item')
    .select(['run_id', 'state', (eb) => eb.fn.countAll<number>().as('count')])
    .where('run_id', 'in', [...runIds])
    .groupBy(['run_id', 'state'])
    .execute();
  for (const row of rows) counts.set(row.run_id, { ...counts.get(row.run_id), [row.state]: row.count });
  return counts;
}

/** The balance of a run: what it listed and noted, and where its items stand now. */
export function balanceOfRun(run: RunRow, counts: Counts | undefined): Balance {
  return balanceOf({ inSource: run.in_source, notedEarlier: run.noted_earlier, takenIn: run.taken_in }, counts ?? {});
}

/** The balance of each workflow over today, in the workspace's zone. */
export async function balancesToday(db: Db): Promise<Map<string, Balance>> {
  const { zone } = await loadSettings(db);
  const from = DateTime.now().setZone(zone).startOf('day').toUTC().toISO() as string;
  // Workflow by workflow: only today's part of each index is read.
  const items = await db
    .selectFrom('workflow')
    .crossJoin('item')
    .whereRef('item.workflow_id', '=', 'workflow.id')
    .select(['item.workflow_id', 'item.state', (eb) => eb.fn.countAll<number>().as('count')])
    .where('item.taken_at', '>=', from)
    .groupBy(['item.workflow_id', 'item.state'])
    .execute();
  const runs = await db
    .selectFrom('workflow')
    .crossJoin('run')
    .whereRef('run.workflow_id', '=', 'workflow.id')
    .select(['run.workflow_id', (eb) => eb.fn.sum<number>('run.noted_earlier').as('noted')])
    .where('run.started_at', '>=', from)
    .groupBy('run.workflow_id')
    .execute();
  const balances = new Map<string, Balance>();
  for (const id of new Set([...items, ...runs].map((row) => row.workflow_id))) {
    const mine = items.filter((row) => row.workflow_id === id);
    const takenIn = mine.reduce((sum, row) => sum + row.count, 0);
    const notedEarlier = Number(runs.find((row) => row.workflow_id === id)?.noted ?? 0);
    const counts = Object.fromEntries(mine.map((row) => [row.state, row.count])) as Counts;
    balances.set(id, balanceOf({ inSource: takenIn + notedEarlier, notedEarlier, takenIn }, counts));
  }
  return balances;
}

/** Items whose results are counted at once: a few milliseconds, after which others are answered. */
const countedAtOnce = 500;

/**
 * How many of each outcome every step of a run came to: `{ step: { new: 3, unsettled: 1 } }`. While a run works, an item
 * that moves on in that moment may be told where it was.
 */
export async function countSteps(
  db: Db,
  runId: string,
  content: WorkflowContent,
  atOnce = countedAtOnce,
): Promise<Record<string, Record<string, number>>> {
  const counts: Record<string, Record<string, number>> = Object.fromEntries(content.steps.map((step) => [step.id, {}]));
  let from = { state: '', seq: 0 };
  for (;;) {
    // The state and the number stand in the index of a run's items, in this order.
    const { rows: ends } = await sql<{ state: string; seq: number }>`SELECT state, seq FROM item
      WHERE run_id = ${runId} AND (state, seq) > (${from.state}, ${from.seq}) ORDER BY state, seq
      LIMIT 1 OFFSET ${atOnce - 1}`.execute(db);
    await countSome(db, runId, from, ends[0], counts);
    if (!ends[0]) return counts;
    from = ends[0];
    await setImmediate();
  }
}

interface InRun {
  readonly state: string;
  readonly seq: number;
}

/** Adds what the steps of a run's items came to, after one of them and up to another; to the end where there is none. */
async function countSome(
  db: Db,
  runId: string,
  after: InRun,
  upTo: InRun | undefined,
  counts: Record<string, Record<string, number>>,
): Promise<void> {
  const end = upTo ?? { state: '~', seq: 0 };
  // A step within a "for each" has a result for each turn, with its number after a #.
  const { rows } = await sql<{ step: string; kind: string; outcome: string | null; count: number }>`
    SELECT substr(result.key, 1, instr(result.key || '#', '#') - 1) AS step,
      json_extract(result.value, '$.kind') AS kind, json_extract(result.value, '$.outcome') AS outcome, count(*) AS count
    FROM item, json_each(item_state, '$.steps') AS result WHERE run_id = ${runId}
      AND (state, seq) > (${after.state}, ${after.seq}) AND (state, seq) <= (${end.state}, ${end.seq})
    GROUP BY 1, 2, 3`.execute(db);
  for (const row of rows) {
    const mine = counts[row.step];
    const kind = row.outcome ?? row.kind;
    if (mine) mine[kind] = (mine[kind] ?? 0) + row.count;
  }
}

/** What a run asked of its source, and how many records of that are known by now. */
export async function askedOf(db: Db, run: RunRow, { start }: WorkflowContent) {
  const { known } = await db
    .selectFrom('seen')
    .select((eb) => eb.fn.countAll<number>().as('known'))
    .where('intake_id', '=', run.intake_id)
    .executeTakeFirstOrThrow();
  const wanted = wantedOf(run);
  if (wanted) return { for: wanted.kind, since: null, known };
  return isListedWhole(start) || run.since === null
    ? ({ for: 'all', since: null, known } as const)
    : ({ for: 'changes', since: run.since, known } as const);
}

/** A run as screens see it, with its balance. */
export function viewRun(run: RunRow, counts: Counts | undefined) {
  return {
    id: run.id,
    workflowId: run.workflow_id,
    version: run.version,
    kind: run.kind,
    state: run.state,
    startedAt: run.started_at,
    endedAt: run.ended_at,
    repeats: run.repeats,
    neverPosted: run.never_posted,
    own: run.own,
    isOfChosen: wantedOf(run)?.kind === 'chosen',
    message: run.message,
    wakeAt: run.wake_at,
    note: run.note,
    balance: balanceOfRun(run, counts),
  };
}

/** An item as a row of the run sheet. */
export function viewItem(
  item: Pick<ItemRow, 'id' | 'source_id' | 'title' | 'state' | 'cause' | 'message' | 'item_state'> &
    Partial<Pick<ItemRow, 'wake_at' | 'waits_for'>>,
) {
  return {
    id: item.id,
    sourceId: item.source_id,
    title: item.title,
    state: item.state,
    cause: item.cause,
    message: item.message,
    wakeAt: item.wake_at ?? null,
    waitsForApp: (item.waits_for ?? null) !== null,
    detail: JSON.parse(item.item_state) as ItemState,
  };
}

/** A rehearsed record as a row of the run sheet. */
export function viewRehearsalItem(item: RehearsalItemTable) {
  return viewItem({ ...item, id: `rehearsal-${item.at}` });
}

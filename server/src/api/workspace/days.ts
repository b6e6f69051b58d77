import { type ItemStateName, itemStates } from '@golden/core';
import { DateTime } from 'luxon';
import type { Db } from '../../db/open.ts';

/** What one day of a workflow came to: records taken in then, and how many of them need a person now. */
export interface DayCount {
  readonly day: string;
  readonly takenIn: number;
  readonly unsettled: number;
}

/** One day of a workflow: the records taken in then, by their outcome now. */
export interface DayOutcomes {
  readonly day: string;
  readonly items: Readonly<Record<ItemStateName, number>>;
}

const daysShown = 14;

/** The last fourteen days of each workflow by the workspace's calendar, the oldest first. */
export async function lastDays(db: Db, zone: string, now: string): Promise<Map<string, DayCount[]>> {
  const days = daysUntil(now, zone, daysShown);
  const counts = await countByDay(db, zone, days[0] ?? '', undefined);
  const whole = (mine: Counts | undefined): DayCount[] =>
    days.map((day) => {
      const items = mine?.get(day) ?? {};
      const takenIn = Object.values(items).reduce((sum, count) => sum + count, 0);
      return { day, takenIn, unsettled: items.unsettled ?? 0 };
    });
  const all = new Map<string, DayCount[]>([...counts].map(([id, mine]) => [id, whole(mine)]));
  all.set('', whole(undefined));
  return all;
}

/** The last days of one workflow by outcome, the oldest first. */
export async function daysOf(
  db: Db,
  workflow: string,
  zone: string,
  now: string,
  count: number,
): Promise<DayOutcomes[]> {
  const days = daysUntil(now, zone, count);
  const mine = (await countByDay(db, zone, days[0] ?? '', workflow)).get(workflow);
  const none = Object.fromEntries(itemStates.map((state) => [state, 0])) as Record<ItemStateName, number>;
  return days.map((day) => ({ day, items: { ...none, ...mine?.get(day) } }));
}

type Counts = Map<string, Partial<Record<ItemStateName, number>>>;

/** So many days up to today, by the zone's calendar. */
function daysUntil(now: string, zone: string, count: number): string[] {
  const today = DateTime.fromISO(now, { zone }).startOf('day');
  return Array.from({ length: count }, (_, at) => today.minus({ days: count - 1 - at }).toISODate() ?? '');
}

/** Items by workflow and by the day they were taken in. */
async function countByDay(
  db: Db,
  zone: string,
  first: string,
  workflow: string | undefined,
): Promise<Map<string, Counts>> {
  const from = DateTime.fromISO(first, { zone }).toUTC().toISO() ?? '';
  // Counted by the hour, which falls on one day in every zone whose offset is whole hours; quarters move at most one bar.
  // Workflow by workflow, so that only these days of the index are read, however much came before them.
  let asked = db
    .selectFrom('workflow')
    .crossJoin('item')
    .whereRef('item.workflow_id', '=', 'workflow.id')
    .select(['item.workflow_id', 'item.state'])
    .select((eb) => [
      eb.fn<string>('substr', ['item.taken_at', eb.val(1), eb.val(13)]).as('hour'),
      eb.fn.countAll<number>().as('count'),
    ])
    .where('item.taken_at', '>=', from)
    .groupBy(['item.workflow_id', 'item.state', 'hour']);
  if (workflow !== undefined) asked = asked.where('workflow.id', '=', workflow);
  const counts = new Map<string, Counts>();
  for (const { workflow_id, state, hour, count } of await asked.execute()) {
    const day = DateTime.fromISO(`${hour}:00:00Z`, { zone }).toISODate() ?? '';
    const mine: Counts = counts.get(workflow_id) ?? new Map();
    const known = mine.get(day) ?? {};
    mine.set(day, { ...known, [state]: (known[state] ?? 0) + count });
    counts.set(workflow_id, mine);
  }
  return counts;
}

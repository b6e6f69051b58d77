import { DateTime } from 'luxon';
import type { Db } from '../../db/open.ts';

/** What one day of a workflow came to: records taken in then, and how many of them are unsettled now. */
export interface DayCount {
  readonly day: string;
  readonly takenIn: number;
  readonly unsettled: number;
}

const daysShown = 14;

/** The last fourteen days of each workflow by the workspace's calendar, the oldest first. */
export async function lastDays(db: Db, zone: string, now: string): Promise<Map<string, DayCount[]>> {
  const today = DateTime.fromISO(now, { zone }).startOf('day');
  const days = Array.from(
    { length: daysShown },
    (_, at) => today.minus({ days: daysShown - 1 - at }).toISODate() ?? '',
  );
  const from =
    today
      .minus({ days: daysShown - 1 })
      .toUTC()
      .toISO() ?? '';
  // Counted by the hour, which falls on one day in every zone whose offset is whole hours; quarters move at most one bar.
  const rows = await db
    .selectFrom('item')
    .select(['workflow_id', 'state'])
    .select((eb) => [
      eb.fn<string>('substr', ['taken_at', eb.val(1), eb.val(13)]).as('hour'),
      eb.fn.countAll<number>().as('count'),
    ])
    .where('taken_at', '>=', from)
    .groupBy(['workflow_id', 'state', 'hour'])
    .execute();
  const counts = new Map<string, Map<string, { takenIn: number; unsettled: number }>>();
  for (const { workflow_id, state, hour, count } of rows) {
    const day = DateTime.fromISO(`${hour}:00:00Z`, { zone }).toISODate() ?? '';
    const mine = counts.get(workflow_id) ?? new Map<string, { takenIn: number; unsettled: number }>();
    const known = mine.get(day) ?? { takenIn: 0, unsettled: 0 };
    mine.set(day, {
      takenIn: known.takenIn + count,
      unsettled: known.unsettled + (state === 'unsettled' ? count : 0),
    });
    counts.set(workflow_id, mine);
  }
  const whole = (mine: Map<string, { takenIn: number; unsettled: number }> | undefined): DayCount[] =>
    days.map((day) => ({ day, ...(mine?.get(day) ?? { takenIn: 0, unsettled: 0 }) }));
  const all = new Map<string, DayCount[]>([...counts].map(([id, mine]) => [id, whole(mine)]));
  all.set('', whole(undefined));
  return all;
}

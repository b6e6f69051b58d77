import {
  asksByCalendar,
  countsByCalendar,
  type OpenHours,
  openHours,
  usualCalendar,
  type WorkflowContent,
  type WorkingCalendar,
  WorkingCalendarSchema,
} from '@golden/core';
import { holidaysIn } from '@golden/core/holidays';
import { z } from 'zod';
import type { Trx } from './db/group-commit.ts';
import type { Db } from './db/open.ts';
import { loadSettings, readSetting, writeSetting } from './settings.ts';

// The workspace's working calendars. They count as they are now, for what waits already as well.

export const CalendarsSchema = z.array(WorkingCalendarSchema).min(1, 'A workspace keeps one calendar.').max(20);

/** Years for which days off are looked up, around the one that it is. */
const yearsBack = 1;
const yearsAhead = 6;

const name = 'calendars';

/** The calendars as they are set, the first the one that counts where none is chosen. */
export async function loadCalendars(db: Db | Trx): Promise<WorkingCalendar[]> {
  const kept = await readSetting(db, name, CalendarsSchema);
  return kept ?? [usualCalendar((await loadSettings(db)).country)];
}

/** Keeps the calendars. */
export const saveCalendars = (db: Db, calendars: readonly WorkingCalendar[]): Promise<void> =>
  writeSetting(db, name, calendars);

/** Days off are worked out once for a calendar and a year. */
const made = new Map<string, OpenHours>();

/** The same with every day off named. */
export async function openCalendars(db: Db | Trx, now: string): Promise<OpenHours[]> {
  const year = Number(now.slice(0, 4));
  return (await loadCalendars(db)).map((calendar) => {
    const key = `${year} ${JSON.stringify(calendar)}`;
    const known = made.get(key) ?? openHours(calendar, holidaysOf(calendar, year));
    if (made.size > 100) made.clear();
    made.set(key, known);
    return known;
  });
}

const holidaysOf = ({ country, region }: WorkingCalendar, year: number): Record<string, string> =>
  holidaysIn(country, region, [year - yearsBack, year + yearsAhead]);

/** The calendars for a workflow that counts by them; undefined for any other. */
export async function calendarsFor(
  db: Db | Trx,
  content: WorkflowContent,
  now: string,
): Promise<OpenHours[] | undefined> {
  const counts = content.steps.some(
    (step) => (step.kind === 'wait' && countsByCalendar(step)) || (step.kind === 'ask' && asksByCalendar(step)),
  );
  return counts ? openCalendars(db, now) : undefined;
}

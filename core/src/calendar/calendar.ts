import { z } from 'zod';
import { IdSchema } from '../values/id.ts';

// Working calendars: when a business is open, by which working hours and working days are counted.

/** A time of the day, "09:00"; as an end also "24:00". */
const clockTime = z.string().regex(/^(?:[01]\d|2[0-3]):[0-5]\d$|^24:00$/, 'A time of the day is like 09:00.');

const span = z
  .object({ from: clockTime, to: clockTime })
  .refine(({ from, to }) => from < to, 'It has to close later than it opens.');
export type OpenSpan = z.infer<typeof span>;

const day = z
  .array(span)
  .max(4)
  .refine((spans) => spans.every(({ from }, at) => at === 0 || (spans[at - 1]?.to ?? '') <= from), {
    message: 'Opening hours of a day stand in their order and don’t overlap.',
  });

const localDate = z.iso.date('A day is like 2026-12-24.');

/** A working calendar as it is set: hours of each weekday, a country's days off, and own ones. */
export const WorkingCalendarSchema = z.object({
  id: IdSchema,
  name: z.string().trim().min(1, 'Give the calendar a name.').max(60),
  /** Monday first. */
  week: z.array(day).length(7),
  /** The country whose public holidays are days off; '' for none. */
  country: z.string().regex(/^(?:[A-Z]{2})?$/),
  /** A part of that country with holidays of its own, as date-holidays names it; '' for none. */
  region: z.string().max(10),
  /** Own days off, both ends included. */
  daysOff: z
    .array(
      z
        .object({ from: localDate, to: localDate, name: z.string().trim().max(60) })
        .refine(({ from, to }) => from <= to, 'The last day off can’t be before the first.'),
    )
    .max(200),
});
export type WorkingCalendar = z.infer<typeof WorkingCalendarSchema>;

/** A calendar with every day off named, as it is counted by. */
export interface OpenHours {
  readonly id: string;
  readonly name: string;
  /** Monday first. */
  readonly week: readonly (readonly OpenSpan[])[];
  /** Days off by their date, with their names. */
  readonly off: Readonly<Record<string, string>>;
}

const officeDay: readonly OpenSpan[] = [{ from: '09:00', to: '17:00' }];
const wholeDay: readonly OpenSpan[] = [{ from: '00:00', to: '24:00' }];

/** Monday to Friday from nine to five (common practice). */
export const officeWeek = (): OpenSpan[][] => Array.from({ length: 7 }, (_, at) => (at < 5 ? [...officeDay] : []));
/** Monday to Friday all day long. */
export const wholeWeekdays = (): OpenSpan[][] => Array.from({ length: 7 }, (_, at) => (at < 5 ? [...wholeDay] : []));

/** The calendar of a workspace that has set none. */
export const usualCalendar = (country: string): WorkingCalendar => ({
  id: 'usual',
  name: 'Working hours',
  week: officeWeek(),
  country,
  region: '',
  daysOff: [],
});

/**
 * A calendar as it is counted by.
 *
 * @param holidays - the public holidays of its country and region, by date
 */
export function openHours(calendar: WorkingCalendar, holidays: Readonly<Record<string, string>>): OpenHours {
  const off: Record<string, string> = { ...holidays };
  for (const { from, to, name } of calendar.daysOff)
    for (let date = from; date <= to; date = dayAfter(date)) off[date] = name || 'day off';
  return { id: calendar.id, name: calendar.name, week: calendar.week, off };
}

/** The date after one, both as "2026-12-24". */
export function dayAfter(date: string, days = 1): string {
  const noon = Date.parse(`${date}T12:00:00Z`);
  return new Date(noon + days * 24 * 3_600_000).toISOString().slice(0, 10);
}

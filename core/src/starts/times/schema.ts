import { z } from 'zod';

/** Days of the week by their numbers in ISO 8601: 1 is Monday. */
export const weekdays = [1, 2, 3, 4, 5, 6, 7] as const;
export const monthNumbers = [1, 2, 3, 4, 5, 6, 7, 8, 9, 10, 11, 12] as const;

/** One day of a month. */
export const MonthDaySchema = z.discriminatedUnion('kind', [
  /** By its number; a month without it is passed over. */
  z.object({ kind: z.literal('day'), day: z.int().min(1).max(31) }),
  z.object({ kind: z.literal('last') }),
  /** The last one from Monday to Friday. */
  z.object({ kind: z.literal('last_working') }),
  /** The first, second … or last (-1) of a day of the week. */
  z.object({ kind: z.literal('weekday'), weekday: z.literal(weekdays), which: z.literal([1, 2, 3, 4, -1]) }),
]);
export type MonthDay = z.infer<typeof MonthDaySchema>;

/** Looked at when the clock of the workflow's zone shows one of these times, on these days. */
export const TimesTriggerSchema = z.object({
  kind: z.literal('times'),
  at: z
    .array(z.string().regex(/^([01]\d|2[0-3]):[0-5]\d$/, 'A time is written as hours and minutes, such as 06:30.'))
    .max(48),
  days: z.array(z.literal(weekdays)).max(7),
  /** A day of the month instead of days of the week; in every month where none is named. */
  month: z
    .object({ on: MonthDaySchema, months: z.array(z.literal(monthNumbers)).min(1).max(12).optional() })
    .optional(),
  /** What was missed while the server was off is left out; done once at its start when absent. */
  missed: z.literal('skip').optional(),
});
export type TimesTrigger = z.infer<typeof TimesTriggerSchema>;

import { z } from 'zod';

/** Days of the week by their numbers in ISO 8601: 1 is Monday. */
export const weekdays = [1, 2, 3, 4, 5, 6, 7] as const;

/** Looked at when the clock of the workflow's zone shows one of these times, on these days. */
export const TimesTriggerSchema = z.object({
  kind: z.literal('times'),
  at: z
    .array(z.string().regex(/^([01]\d|2[0-3]):[0-5]\d$/, 'A time is written as hours and minutes, such as 06:30.'))
    .max(48),
  days: z.array(z.literal(weekdays)).max(7),
});
export type TimesTrigger = z.infer<typeof TimesTriggerSchema>;

import { z } from 'zod';
import { TimeOfDaySchema, waitUnits } from '../../calendar/duration.ts';
import { RefSchema } from '../../mapping/refs.ts';
import { IdSchema } from '../../values/id.ts';
import { anyStep } from '../common.ts';
import { EndingSchema, mostEndings } from './endings.ts';

const amount = z.number().min(0).max(10_000);

/** How long a step waits. */
export const WaitUntilSchema = z.discriminatedUnion('kind', [
  /** So long after the record was taken in, or after the step before. */
  z.object({ kind: z.literal('time'), amount, unit: z.enum(waitUnits), from: z.enum(['start', 'step']) }),
  /** The next time that it is so late. */
  z.object({ kind: z.literal('time_of_day'), at: TimeOfDaySchema, onWorkingDays: z.boolean() }),
  /** A date of the record, or so long before or after it; at a time of that day where one is given. */
  z.object({
    kind: z.literal('date'),
    ref: RefSchema.nullable(),
    amount,
    unit: z.enum(waitUnits),
    side: z.enum(['before', 'after']),
    at: TimeOfDaySchema.optional(),
  }),
]);
export type WaitUntil = z.infer<typeof WaitUntilSchema>;

/** Lets time pass before the steps after it. */
export const WaitStepSchema = z.object({
  ...anyStep,
  kind: z.literal('wait'),
  until: WaitUntilSchema,
  /** The calendar that it counts by; the workspace's first when absent. */
  calendar: IdSchema.optional(),
  /** What becomes of a record for which that has passed already: it goes on at once when absent. */
  late: z.enum(['goes_on', 'stops']).optional(),
  /** What ends it before its time, and the waits after it too. */
  endings: z.array(EndingSchema).max(mostEndings).optional(),
});
export type WaitStep = z.infer<typeof WaitStepSchema>;

/** What it comes to. */
export interface WaitedResult {
  readonly kind: 'waited';
  /** When it was to end (UTC, ISO 8601). */
  readonly until: string;
  /** What ended it; `passed` where there was nothing left to wait for. */
  readonly by: 'time' | 'passed' | 'event' | 'person' | 'skipped';
  /** What happened elsewhere, where that ended it: a sentence, or the name of the link that was used. */
  readonly because?: string;
}

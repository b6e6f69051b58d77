import { z } from 'zod';
import { PointerSchema } from '../../values/pointer.ts';

/** Looked at as soon as an event tells of something; also every so many minutes where that is said. */
export const EventTriggerSchema = z.object({
  kind: z.literal('event'),
  /** The key that the event comes by; that of the source's own inbox when absent. */
  event: z.string().min(1).max(200).optional(),
  alsoEvery: z.int().min(1).max(1440).optional(),
  /** Events that only tell of a record, which is then fetched: where in them its id stands. */
  tells: z.object({ id: PointerSchema }).optional(),
});
export type EventTrigger = z.infer<typeof EventTriggerSchema>;

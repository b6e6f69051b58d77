import { z } from 'zod';

/** Looked at again after so many minutes. */
export const EveryTriggerSchema = z.object({ kind: z.literal('every'), minutes: z.int().min(1).max(1440) });
export type EveryTrigger = z.infer<typeof EveryTriggerSchema>;

import { z } from 'zod';

/** Looked at only when a person says so. */
export const HandTriggerSchema = z.object({ kind: z.literal('hand') });
export type HandTrigger = z.infer<typeof HandTriggerSchema>;

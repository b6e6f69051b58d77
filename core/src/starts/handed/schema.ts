import { z } from 'zod';

/** Begins for whatever other workflows hand over to it. */
export const HandedTriggerSchema = z.object({ kind: z.literal('handed') });
export type HandedTrigger = z.infer<typeof HandedTriggerSchema>;

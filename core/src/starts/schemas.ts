import { z } from 'zod';
import { EventTriggerSchema } from './event/schema.ts';
import { EveryTriggerSchema } from './every/schema.ts';
import { HandTriggerSchema } from './hand/schema.ts';
import { HandedTriggerSchema } from './handed/schema.ts';
import { TimesTriggerSchema } from './times/schema.ts';

/** The kinds of start, as they are stored: when something is to be looked at. */
export const TriggerSchema = z.discriminatedUnion('kind', [
  EveryTriggerSchema,
  TimesTriggerSchema,
  EventTriggerSchema,
  HandTriggerSchema,
  HandedTriggerSchema,
]);
export type Trigger = z.infer<typeof TriggerSchema>;

export type TriggerKind = Trigger['kind'];

/** The trigger of a kind. */
export type TriggerOf<K extends TriggerKind> = Extract<Trigger, { readonly kind: K }>;

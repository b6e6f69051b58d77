import { z } from 'zod';
import { ConditionSchema } from '../conditions/condition.ts';
import { IdSchema } from '../values/id.ts';

/** What a step of any kind has. */
export const anyStep = {
  id: IdSchema,
  /** How the person calls the sentence. */
  name: z.string().max(80).optional(),
  isOff: z.boolean().optional(),
  note: z.string().optional(),
};

/**
 * What becomes of the rest when a step can't be done: what doesn't need it goes on, everything after it
 * stops, or it goes on as if the step had given nothing.
 */
export const restChoices = ['others', 'stops', 'without'] as const;
export type Rest = (typeof restChoices)[number];

/** What a step that reaches into an app has. */
export const reachingStep = {
  /** Done only for records that meet this; the others go on without it. */
  onlyIf: ConditionSchema.optional(),
  /** What doesn't need it goes on when absent. */
  rest: z.enum(restChoices).optional(),
};

/** What a step that can stand within a “for each” has. */
export const innerStep = {
  ...anyStep,
  /** The “for each” that it stands within. */
  within: IdSchema.optional(),
};

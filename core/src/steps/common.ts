import { z } from 'zod';
import { IdSchema } from '../values/id.ts';

/** What a step of any kind has. */
export const anyStep = {
  id: IdSchema,
  /** How the person calls the sentence. */
  name: z.string().max(80).optional(),
  isOff: z.boolean().optional(),
  note: z.string().optional(),
};

/** What a step that can stand within a “for each” has. */
export const innerStep = {
  ...anyStep,
  /** The “for each” that it stands within. */
  within: IdSchema.optional(),
};

import { z } from 'zod';
import { RecordTypeSchema } from '../values/field.ts';
import { IdSchema } from '../values/id.ts';

/**
 * Where records come from or go to: one place in an app through one connection. `described` is
 * what the place looked like when it was chosen; mappings and conditions are built on it, and a
 * run compares it with what is there.
 */
export const PlaceSchema = z.object({
  connection: IdSchema,
  /** Nested choices, such as file → tab, by the ids the app gives them. */
  path: z.array(z.string()),
  /** The same choices in words. */
  labels: z.array(z.string()),
  described: RecordTypeSchema,
  /** The paths by which it was known before it was renamed, the last one at the end. */
  formerly: z.array(z.array(z.string())).max(10).optional(),
});
export type Place = z.infer<typeof PlaceSchema>;

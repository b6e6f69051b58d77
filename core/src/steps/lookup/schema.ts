import { z } from 'zod';
import { FillingSchema } from '../../mapping/filling.ts';
import { LadderSchema } from '../../matching/lookup/ladder.ts';
import { PointerSchema } from '../../values/pointer.ts';
import { PlaceSchema } from '../../workflow/place.ts';
import { innerStep, reachingStep } from '../common.ts';

/** Finds the matching record of another place, fetches it by its id, or lists all that belong to it; later sentences know them whole. */
export const LookupStepSchema = z.object({
  ...innerStep,
  ...reachingStep,
  kind: z.literal('lookup'),
  target: PlaceSchema.nullable(),
  /** Fetched by this id instead of looked for. */
  fetchId: FillingSchema.optional(),
  /** All records that hold this value in a field are listed, instead of one being found. */
  all: z.object({ path: PointerSchema, value: FillingSchema }).optional(),
  /** What is known of the record that is looked for; where it is to be created, what it is made of. */
  mapping: z.record(PointerSchema, FillingSchema),
  ladder: LadderSchema,
});
export type LookupStep = z.infer<typeof LookupStepSchema>;

/** All records with a value were listed. */
export interface ListedResult {
  readonly kind: 'listed';
  readonly count: number;
}

import { z } from 'zod';
import { FillingSchema } from '../../mapping/filling.ts';
import { FieldSchema } from '../../values/field.ts';
import { PointerSchema } from '../../values/pointer.ts';
import { PlaceSchema } from '../../workflow/place.ts';
import { innerStep, reachingStep } from '../common.ts';

/** Hands a record to another workflow, which takes it in as one of its own. */
export const HandOverStepSchema = z.object({
  ...innerStep,
  ...reachingStep,
  kind: z.literal('hand_over'),
  /** The start of the other workflow: what it takes in, and which fields it needs. */
  target: PlaceSchema.nullable(),
  mapping: z.record(PointerSchema, FillingSchema),
  /** Why a filling was proposed, by field, for those that nobody has accepted or changed yet. */
  suggested: z.record(PointerSchema, z.string()).optional(),
  /** What a person noted beside a field, by its path. */
  notes: z.record(PointerSchema, z.string().max(500)).optional(),
  /** What was handed over has to come to its end before the record goes on. */
  awaits: z.literal(true).optional(),
  /** What the other workflow writes of each, where it is waited for. */
  back: z.array(FieldSchema).max(500).optional(),
  /** Nobody is looked for: what is handed over is always one of its own. */
  ladder: z.never().optional(),
});
export type HandOverStep = z.infer<typeof HandOverStepSchema>;

/** What became of what one record handed over, as far as it has come to its end. */
export interface HandedCounts {
  readonly delivered: number;
  readonly leftOut: number;
  /** Dismissed by a person, or taken back. */
  readonly dropped: number;
}

/** It was handed over; with `back` it has come to its end as well. */
export interface HandedResult {
  readonly kind: 'handed';
  readonly count: number;
  /** Items of the list for which it isn't done. */
  readonly passedOver?: number;
  readonly back?: HandedCounts;
  /** In a rehearsal: what each would come to, the first of them. */
  readonly would?: readonly WouldBecome[];
}

/** What something that is handed over would come to. */
export interface WouldBecome {
  readonly title: string;
  readonly state: 'delivered' | 'left_out' | 'unsettled';
  readonly message?: string;
  /** "new", "changed", "same", of what it would write. */
  readonly marks: readonly string[];
}

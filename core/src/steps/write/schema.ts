import { z } from 'zod';
import { longestUnsubscribeWords, purposes } from '../../consent/purpose.ts';
import { FillingSchema, FormulaSchema } from '../../mapping/filling.ts';
import { LadderSchema } from '../../matching/lookup/ladder.ts';
import { fieldPolicies, firstDifferences } from '../../run/overwrite.ts';
import { PointerSchema } from '../../values/pointer.ts';
import { PlaceSchema } from '../../workflow/place.ts';
import { innerStep, reachingStep } from '../common.ts';

/** Makes a record in a place, or changes the one that is there. */
export const WriteStepSchema = z.object({
  ...innerStep,
  ...reachingStep,
  kind: z.literal('write'),
  target: PlaceSchema.nullable(),
  /** Append makes a record each time; create-or-update looks for one with the same key first. */
  mode: z.enum(['append', 'create_or_update']),
  /** The destination field that recognises a record, for create-or-update. */
  key: PointerSchema.optional(),
  /** For create-or-update: ways to recognise the record instead of the one key. */
  ladder: LadderSchema.optional(),
  /** By destination field, where a record is there already; as for all others when absent. */
  policies: z.record(PointerSchema, z.enum(fieldPolicies)).optional(),
  /** For all fields without a policy of their own; what has changed in the source is written when absent. */
  otherwise: z.literal('ask').optional(),
  /** Fields of a record that is there which an empty value empties as well: some, or all; none when absent. */
  empties: z.union([z.literal('all'), z.array(PointerSchema)]).optional(),
  /** Where a record holds something else and nothing was sent to it yet; a person is asked when absent. */
  firstDifference: z.enum(firstDifferences).optional(),
  /** Nothing is written: the record that is remembered as the same is removed for good, at once or after asking. */
  removes: z.enum(['at_once', 'asks']).optional(),
  /** Done only when all other steps are through, as what puts a record away is. */
  afterAll: z.literal(true).optional(),
  /** For what goes out to somebody: what it is for. As service when absent. */
  purpose: z.enum(purposes).optional(),
  /** What stands before the link by which its recipients unsubscribe; our own words when absent. */
  unsubscribeWords: z.string().trim().min(1).max(longestUnsubscribeWords).optional(),
  mapping: z.record(PointerSchema, FillingSchema),
  /** Why a filling was proposed, by destination field, for those that nobody has accepted or changed yet. */
  suggested: z.record(PointerSchema, z.string()).optional(),
  /** One choice of its place (a tab, a file, a company) worked out for each record instead of being always the same. */
  placeBy: FormulaSchema.optional(),
  /** With `placeBy`: which choice that is, counted from 0 at the front; the last when absent. */
  placePart: z.int().min(0).max(9).optional(),
  /** With `placeBy`: a place that is missing is made like the last one, with its head and formats. */
  makesPlace: z.boolean().optional(),
  /** In a file that spreadsheet programs open: texts that begin like a formula get an apostrophe; as they are when absent. */
  formulaTexts: z.literal('harmless').optional(),
  /** What a person noted beside a field, by its path. */
  notes: z.record(PointerSchema, z.string().max(500)).optional(),
});
export type WriteStep = z.infer<typeof WriteStepSchema>;

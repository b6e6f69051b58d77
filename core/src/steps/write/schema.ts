import { z } from 'zod';
import { FillingSchema, FormulaSchema } from '../../mapping/filling.ts';
import { LadderSchema } from '../../matching/lookup/ladder.ts';
import { PointerSchema } from '../../values/pointer.ts';
import { PlaceSchema } from '../../workflow/place.ts';
import { innerStep } from '../common.ts';

/** What happens to a field of a record that is there already: always written, only where it is empty, never, or by the newer record. */
export const fieldPolicies = ['always', 'if_empty', 'never', 'newest'] as const;
export type FieldPolicy = (typeof fieldPolicies)[number];

/** Makes a record in a place, or changes the one that is there. */
export const WriteStepSchema = z.object({
  ...innerStep,
  kind: z.literal('write'),
  target: PlaceSchema.nullable(),
  /** Append makes a record each time; create-or-update looks for one with the same key first. */
  mode: z.enum(['append', 'create_or_update']),
  /** The destination field that recognises a record, for create-or-update. */
  key: PointerSchema.optional(),
  /** For create-or-update: ways to recognise the record instead of the one key. */
  ladder: LadderSchema.optional(),
  /** By destination field, where a record is there already; always written when absent. */
  policies: z.record(PointerSchema, z.enum(fieldPolicies)).optional(),
  mapping: z.record(PointerSchema, FillingSchema),
  /** Why a filling was proposed, by destination field, for those that nobody has accepted or changed yet. */
  suggested: z.record(PointerSchema, z.string()).optional(),
  /** Its last choice (a tab, a file, a company) worked out for each record instead of being always the same. */
  placeBy: FormulaSchema.optional(),
  /** In a file that spreadsheet programs open: texts that begin like a formula get an apostrophe; as they are when absent. */
  formulaTexts: z.literal('harmless').optional(),
  /** What a person noted beside a field, by its path. */
  notes: z.record(PointerSchema, z.string().max(500)).optional(),
});
export type WriteStep = z.infer<typeof WriteStepSchema>;

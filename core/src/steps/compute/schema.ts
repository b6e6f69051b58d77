import { z } from 'zod';
import { FormulaSchema } from '../../mapping/filling.ts';
import type { JsonRecord } from '../../values/value.ts';
import { innerStep } from '../common.ts';

/** Named values worked out once and used in later steps. */
export const ComputeStepSchema = z.object({
  ...innerStep,
  kind: z.literal('compute'),
  /** In their order; each may use those above it. */
  values: z.array(FormulaSchema.extend({ name: z.string().max(60) })).max(100),
});
export type ComputeStep = z.infer<typeof ComputeStepSchema>;

/** What it comes to: the values by their names. */
export interface ComputedResult {
  readonly kind: 'computed';
  readonly values: JsonRecord;
}

import { z } from 'zod';
import { ConditionSchema } from '../../conditions/condition.ts';
import { innerStep } from '../common.ts';

/** Keeps the records that fit, and leaves the others out. */
export const ConditionStepSchema = z.object({
  ...innerStep,
  kind: z.literal('condition'),
  condition: ConditionSchema,
});
export type ConditionStep = z.infer<typeof ConditionStepSchema>;

/** What it comes to. */
export interface KeptResult {
  readonly kind: 'kept';
  readonly why: string;
}

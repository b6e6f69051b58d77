import { z } from 'zod';
import { RefSchema } from '../../mapping/filling.ts';
import { anyStep } from '../common.ts';

/** The steps within it are done for every item of a list. */
export const EachStepSchema = z.object({
  ...anyStep,
  kind: z.literal('each'),
  over: RefSchema.nullable(),
});
export type EachStep = z.infer<typeof EachStepSchema>;

/** What it comes to: what stands within it is done so many times. */
export interface EachResult {
  readonly kind: 'each';
  readonly count: number;
}

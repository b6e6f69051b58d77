import type { Step } from '../steps/schemas.ts';
import type { WriteStep } from '../steps/write/schema.ts';
import type { WorkflowContent } from '../workflow/schema.ts';

/** The two directions of a pair: `there` from here to there, `here` back. */
export interface Legs {
  readonly there: WorkflowContent;
  readonly here: WorkflowContent;
}

/** Two workflows aren't the two directions of one pair; the sentence says why. */
export class NotAPair extends Error {
  override readonly name = 'NotAPair';
}

/** The id of the step that brings back, in either direction. */
export const backId = 'back';

/** The write of a direction: its first sentence that writes, but for what brings back. */
export const isWrite = (step: Step): step is WriteStep =>
  step.kind === 'write' && step.id !== backId && step.afterAll !== true && step.within === undefined;

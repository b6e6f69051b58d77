import type { WorkflowContent } from '../../workflow/schema.ts';
import { type Step, withinOf } from '../schemas.ts';
import type { HandOverStep } from './schema.ts';

// Where nothing else is done for each item of a list than handing it over, the whole list is handed over by one
// step: its items need no turns of their own here, for each becomes a record of the other workflow.

/** More items than this are never handed over by one record. */
export const mostHanded = 20_000;

/** The one step within a "for each" that hands its items over; undefined where anything else is done there. */
export function handsOverAlone({ steps }: Pick<WorkflowContent, 'steps'>, each: string): HandOverStep | undefined {
  const inner = steps.filter((step: Step) => withinOf(step) === each && !step.isOff);
  const [only] = inner;
  return inner.length === 1 && only?.kind === 'hand_over' ? only : undefined;
}

import { definitionOf } from '../steps/registry.ts';
import { isPlaced } from '../steps/schemas.ts';
import { refsOfStep, startId } from '../workflow/references.ts';
import type { WorkflowContent } from '../workflow/schema.ts';
import type { ItemState } from './state.ts';

/**
 * Whether a record that was left out may come to fit once it has changed: a condition on its own fields
 * left it out, before anything was written or looked up.
 */
export function mayComeToFit({ steps }: WorkflowContent, state: ItemState): boolean {
  const at = steps.findIndex(({ id }) => state.steps[id]?.kind === 'left_out');
  const step = steps[at];
  if (!step || step.kind === 'wait' || step.kind === 'ask' || !definitionOf(step).guards) return false;
  if (steps.slice(0, at).some((before) => isPlaced(before) && !before.isOff)) return false;
  return refsOfStep(step).every((ref) => ref.step === startId);
}

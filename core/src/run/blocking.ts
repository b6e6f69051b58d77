import { definitionOf } from '../steps/registry.ts';
import { isOpen } from '../steps/results.ts';
import { withinOf } from '../steps/schemas.ts';
import { idInTurn } from '../steps/turn.ts';
import type { WorkflowContent } from '../workflow/schema.ts';
import type { LaidOutStep } from './lay-out.ts';
import type { ItemState } from './state.ts';

/** True when an earlier step of the same turn has left its item out. */
export function isTurnOver(content: WorkflowContent, state: ItemState, { turn }: LaidOutStep): boolean {
  if (!turn) return false;
  return content.steps.some(
    (step) => withinOf(step) === turn.each && state.steps[idInTurn(step.id, turn.number)]?.kind === 'left_out',
  );
}

/** The step that this one needs and that isn't settled: one that it refers to, or one that guards it. */
export function blockerOf(content: WorkflowContent, state: ItemState, { step, turn }: LaidOutStep): string | undefined {
  const needed = definitionOf(step)
    .refs(step)
    .flatMap((ref) => {
      const made = content.steps.find((one) => one.id === ref.step);
      const within = made && withinOf(made);
      if (within === undefined) return [ref.step];
      if (turn?.each === within) return [idInTurn(ref.step, turn.number)];
      // From outside, what was found for each line: all of it has to be there.
      return Object.keys(state.steps).filter((id) => id.startsWith(`${ref.step}#`));
    });
  const guards = turn
    ? content.steps
        .filter((one) => definitionOf(one).guards && withinOf(one) === turn.each)
        .map((one) => idInTurn(one.id, turn.number))
    : [];
  return [...needed, ...guards, ...(turn ? [turn.each] : [])].find((id) => isOpen(state.steps[id]));
}

import type { Rest } from '../steps/common.ts';
import { definitionOf } from '../steps/registry.ts';
import { isOpen } from '../steps/results.ts';
import { isPlaced, withinOf } from '../steps/schemas.ts';
import { idInTurn, plainStepId } from '../steps/turn.ts';
import type { WorkflowContent } from '../workflow/schema.ts';
import type { LaidOutStep } from './lay-out.ts';
import { openIn } from './open-steps.ts';
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
  const needsAll = definitionOf(step).needsAll || (step.kind === 'write' && step.afterAll);
  const others = needsAll ? Object.keys(state.steps).filter((id) => plainStepId(id) !== step.id) : [];
  const guards = turn
    ? content.steps
        .filter((one) => definitionOf(one).guards && withinOf(one) === turn.each)
        .map((one) => idInTurn(one.id, turn.number))
    : [];
  const restOf = (id: string): Rest => {
    const one = content.steps.find((other) => other.id === plainStepId(id));
    return (one && isPlaced(one) && one.rest) || 'others';
  };
  const holder = turn?.each ?? withinOf(step);
  const open = (id: string): boolean => isOpen(state.steps[id]);
  const stopping = openIn(state.steps).find((id) => restOf(id) === 'stops');
  if (stopping !== undefined) return stopping;
  // A step that was itself blocked has given nothing that could be gone on without.
  const isNeeded = (id: string): boolean => restOf(id) !== 'without' || state.steps[id]?.kind === 'blocked';
  return [
    ...needed.filter(isNeeded),
    ...others.filter(isNeeded),
    ...guards,
    ...(holder === undefined ? [] : [holder]),
  ].find(open);
}

import type { StepResult } from '../steps/results.ts';
import { withStep } from './open-steps.ts';
import type { Advance, ItemState, Outcome } from './state.ts';

// The item's state changed by what a step came to, and where an item ends.

/** The state with a step’s result, its place kept. */
export function withResult(state: ItemState, step: string, result: StepResult): ItemState {
  return { ...state, steps: withStep(state.steps, step, result) };
}

/** The state at the step after. */
export const next = (state: ItemState): ItemState => ({ ...state, at: state.at + 1 });

/** The state without the write that was under way. */
export function clearPending(state: ItemState): ItemState {
  const {
    pending: _write,
    pendingId: _id,
    pendingChanges: _changes,
    pendingKept: _kept,
    pendingBy: _by,
    ...rest
  } = state;
  return { ...rest, phase: 'ready' };
}

/** All steps have ended: delivered, or what needs a person first. */
export function end(state: ItemState): Advance {
  const ended: ItemState = { ...state, phase: 'ended' };
  return { state: ended, outcome: firstOpen(ended) ?? nothingDone(ended) ?? { kind: 'delivered' } };
}

/** What a step comes to that was done for a record; that nobody was written to, because they don't want it, is told by it too. */
const doneKinds: ReadonlySet<StepResult['kind']> = new Set(['written', 'found', 'not_sent', 'handed']);

/** A record for which no step was done is left out, not delivered. */
function nothingDone({ steps }: ItemState): Outcome | undefined {
  const results = Object.entries(steps);
  if (results.some(([, { kind }]) => doneKinds.has(kind))) return undefined;
  for (const [step, result] of results)
    if (result.kind === 'passed_over') return { kind: 'left_out', step, why: result.why };
  return undefined;
}

/** A record that was written before it was left out stays delivered: the steps that apply to it have ended. */
export function endLeftOut(state: ItemState, step: string, why: string): Advance {
  const left = withResult({ ...state, phase: 'ended' }, step, { kind: 'left_out', why });
  const open = firstOpen(left);
  if (open) return { state: left, outcome: open };
  const isWritten = Object.values(state.steps).some(
    (result) => result.kind === 'written' || (result.kind === 'handed' && result.count > 0),
  );
  return { state: left, outcome: isWritten ? { kind: 'delivered' } : { kind: 'left_out', step, why } };
}

/** The first unsettled step as the item's outcome. */
function firstOpen(state: ItemState): Outcome | undefined {
  for (const [step, result] of Object.entries(state.steps)) {
    if (result.kind === 'unsettled') return { kind: 'unsettled', step, cause: result.cause, message: result.message };
  }
  return undefined;
}

import type { FieldProblem, UnsettledCause } from '../run/outcome.ts';
import type { Settled } from '../run/plan.ts';
import type { Effect, ItemState, Park } from '../run/state.ts';
import type { StepResult, UnsettledResult } from './results.ts';

/**
 * What a step does next. `advance` takes care of what follows: the order of the steps, what a step
 * that isn't settled blocks, and where the item ends.
 */
export type Move =
  /** The step came to a result; also where a person is needed. */
  | { readonly kind: 'done'; readonly state: ItemState; readonly result: StepResult; readonly settled?: Settled }
  /** Something has to come from outside first. */
  | { readonly kind: 'ask'; readonly state: ItemState; readonly effect: Effect }
  /** The record is left out here; within a "for each" the item is. */
  | { readonly kind: 'leave_out'; readonly state: ItemState; readonly why: string }
  /** Nothing is done until it is woken. */
  | { readonly kind: 'park'; readonly state: ItemState; readonly park: Park };

/** The step is done; the next one is reached. */
export const done = (state: ItemState, result: StepResult): Move => ({ kind: 'done', state, result });

/** The record goes no further, and why. */
export const leaveOut = (state: ItemState, why: string): Move => ({ kind: 'leave_out', state, why });

/** The record goes no further at this step; that stays so, whatever else is done for it. */
export const stopFor = (id: string, state: ItemState, why: string): Move =>
  leaveOut({ ...state, stopped: { ...state.stopped, [id]: why } }, why);

/** The instant up to which an item has come: of the last answer, else that at which it was taken in. */
export const nowOf = (state: ItemState): string => state.now ?? state.takenAt;

/** A person is needed: because of `fields`, or of what `more` tells. */
export function needsPerson(
  state: ItemState,
  cause: UnsettledCause,
  message: string,
  more: Partial<Omit<UnsettledResult, 'kind' | 'cause' | 'message'>> & {
    readonly fields?: readonly FieldProblem[];
  } = {},
): Move {
  return done(state, { kind: 'unsettled', cause, message, fields: [], ...more });
}

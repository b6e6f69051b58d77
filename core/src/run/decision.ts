import { isOpen } from '../steps/results.ts';
import { clearPending, withResult } from './ending.ts';
import type { Decision, ItemState } from './state.ts';

/**
 * The state after a person's decision, at its beginning. What was written stands; only the steps that
 * are unsettled or blocked are done again, with the lookup read anew.
 */
export function decided(state: ItemState, decision: Exclude<Decision, { kind: 'dismiss' }>): ItemState {
  const told = withDecision(clearPending(state), decision);
  const steps = Object.fromEntries(
    Object.entries(told.steps).filter(([, result]) => !isOpen(result) && result.kind !== 'left_out'),
  );
  return { ...told, steps, at: 0 };
}

function withDecision(state: ItemState, decision: Exclude<Decision, { kind: 'dismiss' }>): ItemState {
  switch (decision.kind) {
    case 'set': {
      const before = state.overrides[decision.step] ?? {};
      return { ...state, overrides: { ...state.overrides, [decision.step]: { ...before, ...decision.values } } };
    }
    case 'leave_gone':
      return withoutDouble({ ...state, leftGone: { ...state.leftGone, [decision.step]: true } });
    case 'new':
      return withoutDouble({ ...state, choices: { ...state.choices, [decision.step]: '' } });
    case 'choose':
      return withoutDouble({ ...state, choices: { ...state.choices, [decision.step]: decision.id } });
    case 'accept':
      return withoutDouble(acceptStanding(state, decision.step));
    case 'retry':
    case 'send_again':
      return withoutDouble(state);
  }
}

/** A person has looked: that another record of the run is the same one is no question any more. */
function withoutDouble({ double: _told, ...state }: ItemState): ItemState {
  return state;
}

/** What stands in the destination is taken as it is. */
function acceptStanding(state: ItemState, step: string): ItemState {
  const result = state.steps[step];
  if (result?.kind !== 'unsettled' || (!result.stands && result.cause !== 'unsure')) return state;
  const { id, differences, outcome, readBack } = result.stands ?? {
    id: '',
    differences: [],
    outcome: 'new' as const,
    readBack: 'not_read' as const,
  };
  return withResult(state, step, { kind: 'written', outcome, id, changes: [], readBack, differences });
}

import { startId } from '../mapping/refs.ts';
import { definitionOf } from '../steps/registry.ts';
import { isOpen } from '../steps/results.ts';
import { plainStepId } from '../steps/turn.ts';
import { type Pointer, writePointer } from '../values/pointer.ts';
import type { JsonRecord, Value } from '../values/value.ts';
import type { WorkflowContent } from '../workflow/schema.ts';
import { clearPending, withResult } from './ending.ts';
import type { Decision, ItemState } from './state.ts';

/**
 * The state after a person's decision, at its beginning. What was written stands; only the steps that
 * are unsettled or blocked are done again, with the lookup read anew.
 */
export function decided(
  content: WorkflowContent,
  state: ItemState,
  decision: Exclude<Decision, { kind: 'dismiss' }>,
): ItemState {
  const told = withDecision(content, clearPending(state), decision);
  const isAgain = (id: string): boolean => wentWithout(content, state, id);
  const steps = Object.fromEntries(
    Object.entries(told.steps).filter(([id, result]) => !isOpen(result) && result.kind !== 'left_out' && !isAgain(id)),
  );
  return { ...told, steps, at: 0 };
}

/**
 * A step that went on although one it reads had given nothing: a create-or-update is done again with what
 * that gives now; what was appended or sent stands as it is.
 */
function wentWithout(content: WorkflowContent, { steps }: ItemState, id: string): boolean {
  const step = content.steps.find((one) => one.id === plainStepId(id));
  if (step?.kind !== 'write' || step.mode !== 'create_or_update' || steps[id]?.kind !== 'written') return false;
  return definitionOf(step)
    .refs(step)
    .some((ref) => Object.entries(steps).some(([other, result]) => plainStepId(other) === ref.step && isOpen(result)));
}

function withDecision(
  content: WorkflowContent,
  state: ItemState,
  decision: Exclude<Decision, { kind: 'dismiss' }>,
): ItemState {
  switch (decision.kind) {
    case 'set': {
      const before = state.overrides[decision.step] ?? {};
      const record = state.values[startId];
      // What a person says of the record itself is part of it from then on.
      const values =
        decision.step === startId && record
          ? { ...state.values, [startId]: withValues(record, decision.values) }
          : state.values;
      const setOver = content.inStep && whatStoodThere(state, decision.step);
      return {
        ...state,
        values,
        ...(setOver && { setOver: { ...state.setOver, [decision.step]: setOver } }),
        overrides: { ...state.overrides, [decision.step]: { ...before, ...decision.values } },
      };
    }
    case 'leave_gone':
      return withoutDouble({ ...state, leftGone: { ...state.leftGone, [decision.step]: true } });
    case 'new':
      return withoutDouble({ ...state, choices: { ...state.choices, [decision.step]: '' } });
    case 'choose':
      return withoutDouble({ ...state, choices: { ...state.choices, [decision.step]: decision.id } });
    case 'remove':
      return withRemoval(state, decision.step);
    case 'accept':
      return withoutDouble(acceptStanding(state, decision.step));
    case 'retry':
    case 'send_again':
      return withoutDouble(state);
  }
}

const withValues = (record: JsonRecord, values: Readonly<Record<Pointer, Value>>): JsonRecord =>
  Object.entries(values).reduce((all, [path, value]) => writePointer(all, path, value), record);

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

/** That a record is removed was said of it as it stood there: if it is another one by then, it is asked again. */
function withRemoval(state: ItemState, step: string): ItemState {
  const result = state.steps[step];
  const seen = result?.kind === 'unsettled' ? result.toRemove : undefined;
  if (!seen) return state;
  return {
    ...state,
    choices: { ...state.choices, [step]: seen.id },
    toRemove: { ...state.toRemove, [step]: seen.record },
  };
}

/** What the destination held of the fields that a person was asked about. */
function whatStoodThere(state: ItemState, step: string): Record<string, Value> | undefined {
  const result = state.steps[step];
  if (result?.kind !== 'unsettled' || result.cause !== 'differs') return undefined;
  return Object.fromEntries(result.fields.flatMap(({ path, there }) => (there === undefined ? [] : [[path, there]])));
}

import { withResult } from './ending.ts';
import type { FieldProblem } from './outcome.ts';
import type { Advance, ItemState } from './state.ts';

/**
 * What had gone out has come back: the item needs a person again. What was sent stands as it is until somebody says to send
 * it anew. Undefined where the step didn't write.
 *
 * @param fields - what a person may set before it is sent anew, such as the address
 */
export function returned(
  state: ItemState,
  step: string,
  message: string,
  fields: readonly FieldProblem[] = [],
): Advance | undefined {
  const written = state.steps[step];
  if (written?.kind !== 'written') return undefined;
  const { id, differences, outcome, readBack } = written;
  const stands = { id, differences, readBack, outcome: outcome === 'same' ? ('new' as const) : outcome };
  const next = withResult({ ...state, phase: 'ended' }, step, {
    kind: 'unsettled',
    cause: 'returned',
    message,
    fields,
    stands,
  });
  return { state: next, outcome: { kind: 'unsettled', step, cause: 'returned', message } };
}

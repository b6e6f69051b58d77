import type { ItemState, StepResult } from '@golden/core';

/** Whether an item's state asks about an unclear match: kept in the journal, so that its decision teaches. */
export function unclearIn(
  state: ItemState,
): readonly { readonly step: string; readonly result: Extract<StepResult, { kind: 'unsettled' }> }[] {
  return Object.entries(state.steps).flatMap(([step, result]) =>
    result.kind === 'unsettled' && result.cause === 'unclear' && result.candidates?.length ? [{ step, result }] : [],
  );
}

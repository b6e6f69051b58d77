import { startId } from '../mapping/refs.ts';
import type { StepResult } from '../steps/results.ts';
import type { JsonRecord } from '../values/value.ts';
import type { WorkflowContent } from '../workflow/schema.ts';
import { layOut } from './lay-out.ts';
import type { ItemState } from './state.ts';

/**
 * What has changed of an item between two of its states: plain data, so that of one with a thousand turns the file
 * needn't be given all of them at each. What is null is gone.
 */
export interface StateChange {
  /** All but values and results that are another one now, whole. */
  readonly own: Readonly<Record<string, unknown>>;
  readonly values: Readonly<Record<string, JsonRecord | null>>;
  readonly steps: Readonly<Record<string, StepResult | null>>;
}

/**
 * What `advance` has changed of an item that it took forward: what it keeps of the steps before where it stood stays
 * as it is, and what stands after where it is now isn't there yet, so that only the steps between are looked at.
 *
 * @returns undefined where it went back, or learned of its start's record anew: then all of it may be different
 */
export function changeOf(content: WorkflowContent, before: ItemState, after: ItemState): StateChange | undefined {
  const isForward = after.at >= before.at && before.phase !== 'parked';
  if (!isForward || after.values[startId] !== before.values[startId]) return undefined;
  const ids = layOut(content, after.values)
    .slice(before.at, after.at + 1)
    .map(({ id }) => id);
  return {
    own: changed(
      before as object as Record<string, unknown>,
      after as object as Record<string, unknown>,
      [...new Set([...Object.keys(before), ...Object.keys(after)])].filter(
        (key) => key !== 'values' && key !== 'steps',
      ),
    ),
    values: changed(before.values, after.values, ids),
    steps: changed(before.steps, after.steps, ids),
  };
}

/** The state that a change leads to. */
export function withChanges(state: ItemState, changes: readonly StateChange[]): ItemState {
  const all = { own: { ...state } as Record<string, unknown>, values: { ...state.values }, steps: { ...state.steps } };
  for (const { own, values, steps } of changes) {
    put(all.own, own);
    put(all.values, values);
    put(all.steps, steps);
  }
  return { ...(all.own as object as ItemState), values: all.values, steps: all.steps };
}

function changed<T>(
  before: Readonly<Record<string, T>>,
  after: Readonly<Record<string, T>>,
  keys: readonly string[],
): Record<string, T | null> {
  return Object.fromEntries(
    keys.filter((key) => before[key] !== after[key]).map((key) => [key, after[key] ?? null] as const),
  );
}

function put<T>(into: Record<string, T>, change: Readonly<Record<string, T | null>>): void {
  for (const [key, value] of Object.entries(change)) {
    if (value === null) delete into[key];
    else into[key] = value;
  }
}

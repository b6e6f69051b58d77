import type { Step, StepKind } from '@golden/core';
import { ask } from './ask/view.tsx';
import { compute } from './compute/view.tsx';
import { condition } from './condition/view.tsx';
import { each } from './each/view.tsx';
import { handOver } from './hand-over/view.tsx';
import { lookup } from './lookup/view.tsx';
import type { StepView } from './view.ts';
import { wait } from './wait/view.tsx';
import { write } from './write/view.tsx';

/** How each kind of step is seen, in the order in which they are offered. */
export const stepViews: { readonly [K in StepKind]: StepView<K> } = {
  condition,
  lookup,
  write,
  wait,
  ask,
  compute,
  each,
  hand_over: handOver,
};

/** How a step's kind is seen. */
export function viewOf({ kind }: Pick<Step, 'kind'>): StepView<StepKind> {
  return stepViews[kind] as unknown as StepView<StepKind>;
}

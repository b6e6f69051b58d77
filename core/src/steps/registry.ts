import { ask } from './ask/definition.ts';
import { compute } from './compute/definition.ts';
import { condition } from './condition/definition.ts';
import type { StepDefinition } from './definition.ts';
import { each } from './each/definition.ts';
import { handOver } from './hand-over/definition.ts';
import { lookup } from './lookup/definition.ts';
import type { Step, StepKind, StepOf } from './schemas.ts';
import { wait } from './wait/definition.ts';
import { write } from './write/definition.ts';

/** The one definition of each kind of step. */
export const stepKinds: { readonly [K in StepKind]: StepDefinition<StepOf<K>> } = {
  condition,
  lookup,
  write,
  compute,
  each,
  wait,
  ask,
  hand_over: handOver,
};

/** The definition of a step's kind. */
export function definitionOf<S extends Step>(step: S): StepDefinition<S> {
  return stepKinds[step.kind] as unknown as StepDefinition<S>;
}

import { z } from 'zod';
import type { Place } from '../workflow/place.ts';
import { ComputeStepSchema } from './compute/schema.ts';
import { ConditionStepSchema } from './condition/schema.ts';
import { EachStepSchema } from './each/schema.ts';
import { LookupStepSchema } from './lookup/schema.ts';
import { WriteStepSchema } from './write/schema.ts';

/** The kinds of step, as they are stored: a new kind is one more line here. */
export const StepSchema = z.discriminatedUnion('kind', [
  ConditionStepSchema,
  LookupStepSchema,
  WriteStepSchema,
  ComputeStepSchema,
  EachStepSchema,
]);
export type Step = z.infer<typeof StepSchema>;

export type StepKind = Step['kind'];

/** The step of a kind. */
export type StepOf<K extends StepKind> = Extract<Step, { readonly kind: K }>;

/** Steps that reach into a place: those that look there, and those that write. */
export type PlacedStep = Extract<Step, { target: Place | null }>;

/** Whether a step has a place of its own. */
export const isPlaced = (step: Step): step is PlacedStep => 'target' in step;

/** The "for each" that a step stands within. */
export const withinOf = (step: Step): string | undefined => ('within' in step ? step.within : undefined);

/** The writes of a workflow. */
export const writeSteps = (content: { readonly steps: readonly Step[] }): StepOf<'write'>[] =>
  content.steps.filter((step) => step.kind === 'write');

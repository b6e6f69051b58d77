import { z } from 'zod';
import type { Place } from '../workflow/place.ts';
import {
  type AnsweredResult,
  type ApprovedResult,
  AskStepSchema,
  type DeniedResult,
  type NotAskedResult,
  type WouldAskResult,
} from './ask/schema.ts';
import { type ComputedResult, ComputeStepSchema } from './compute/schema.ts';
import { ConditionStepSchema, type KeptResult } from './condition/schema.ts';
import { type EachResult, EachStepSchema } from './each/schema.ts';
import { type HandedResult, HandOverStepSchema } from './hand-over/schema.ts';
import { type ListedResult, LookupStepSchema } from './lookup/schema.ts';
import type { FoundResult, NotFoundResult, NotSentResult, WrittenResult } from './placed/result.ts';
import { type WaitedResult, WaitStepSchema } from './wait/schema.ts';
import { WriteStepSchema } from './write/schema.ts';

/** The kinds of step, as they are stored. */
export const StepSchema = z.discriminatedUnion('kind', [
  ConditionStepSchema,
  LookupStepSchema,
  WriteStepSchema,
  ComputeStepSchema,
  EachStepSchema,
  WaitStepSchema,
  AskStepSchema,
  HandOverStepSchema,
]);
export type Step = z.infer<typeof StepSchema>;

export type StepKind = Step['kind'];

/** What each kind may come to, besides what any kind may. */
export type KindResults = OfEveryKind<{
  readonly condition: KeptResult;
  readonly lookup: FoundResult | NotFoundResult | WrittenResult | ListedResult;
  readonly write: WrittenResult | NotFoundResult | NotSentResult;
  readonly compute: ComputedResult;
  readonly each: EachResult;
  readonly wait: WaitedResult;
  readonly ask: ApprovedResult | AnsweredResult | DeniedResult | NotAskedResult | WouldAskResult;
  readonly hand_over: HandedResult;
}>;
/** The compiler names the kind that is missing here, not where its result is used. */
type OfEveryKind<T extends Readonly<Record<StepKind, { readonly kind: string }>>> = T;

/** The step of a kind. */
export type StepOf<K extends StepKind> = Extract<Step, { readonly kind: K }>;

/** Steps that reach into a place: those that look there, those that write, and those that hand over. */
export type PlacedStep = Extract<Step, { target: Place | null }>;

/** Whether a step has a place of its own. */
export const isPlaced = (step: Step): step is PlacedStep => 'target' in step;

/** The "for each" that a step stands within. */
export const withinOf = (step: Step): string | undefined => ('within' in step ? step.within : undefined);

/** The writes of a workflow. */
export const writeSteps = (content: { readonly steps: readonly Step[] }): StepOf<'write'>[] =>
  content.steps.filter((step) => step.kind === 'write');

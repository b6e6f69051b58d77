import type { Candidate } from '../matching/lookup/ladder.ts';
import type { Difference, FieldProblem, ReadBackOutcome, UnsettledCause, WriteOutcome } from '../run/outcome.ts';
import type { Found } from '../run/plan.ts';
import type { LinkSubject } from '../run/recognised.ts';
import type { Pointer } from '../values/pointer.ts';
import type { JsonRecord, Value } from '../values/value.ts';
import type { KindResults, StepKind } from './schemas.ts';

/** A step that needs a person. */
export interface UnsettledResult {
  readonly kind: 'unsettled';
  readonly cause: UnsettledCause;
  readonly message: string;
  readonly fields: readonly FieldProblem[];
  readonly candidates?: readonly (Found & Partial<Candidate>)[];
  /** The way that found them. */
  readonly rung?: string;
  /** What was known of the record that is looked for. */
  readonly known?: Readonly<Record<Pointer, Value>>;
  /** The record that was linked and is gone, and whose link that was. */
  readonly gone?: { readonly id: string; readonly link: LinkSubject };
  /** The record that is to be removed, as it stands there. */
  readonly toRemove?: { readonly id: string; readonly record: JsonRecord };
  /** A write that stands although the step is unsettled (read back cut, or not found again). */
  readonly stands?: {
    readonly id: string;
    readonly differences: readonly Difference[];
    readonly outcome: WriteOutcome;
    readonly readBack: ReadBackOutcome;
  };
}

/** What a step of any kind may come to. */
export type AnyStepResult =
  | { readonly kind: 'off' }
  /** The record, or the item of a list, is left out here. */
  | { readonly kind: 'left_out'; readonly why: string }
  | UnsettledResult
  /** Not done for this record, because of its “only if”. */
  | { readonly kind: 'passed_over'; readonly why: string }
  /** Not done, because a step it depends on isn't settled. */
  | { readonly kind: 'blocked'; readonly by: string };

/** What became of one step for one item. */
export type StepResult = AnyStepResult | KindResults[StepKind];

/** True for what a step of any kind may come to. */
export const isOfAnyKind = (result: StepResult): result is AnyStepResult =>
  ['off', 'left_out', 'unsettled', 'passed_over', 'blocked'].includes(result.kind);

/** True where the step has to be done again once what kept it is out of the way. */
export const isOpen = (result: StepResult | undefined): boolean =>
  result?.kind === 'unsettled' || result?.kind === 'blocked';

/** True where the step is not done again: it is through, also as one that is switched off. */
export const isThrough = (result: StepResult | undefined): boolean =>
  result !== undefined && result.kind !== 'left_out' && !isOpen(result);

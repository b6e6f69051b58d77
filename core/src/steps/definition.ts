import type { EvaluationContext } from '../mapping/evaluation-context.ts';
import type { Ref, Scope } from '../mapping/filling.ts';
import type { Answer, ItemState } from '../run/state.ts';
import type { Locale } from '../values/coerce.ts';
import type { Field, RecordType } from '../values/field.ts';
import type { Change } from '../workflow/change.ts';
import type { ConnectionNames, Phrase } from '../workflow/phrase.ts';
import type { Place } from '../workflow/place.ts';
import type { ReadinessProblem } from '../workflow/problem.ts';
import type { WorkflowContent, WorkflowVersion } from '../workflow/schema.ts';
import type { Move } from './move.ts';
import type { PlacedStep, Step } from './schemas.ts';
import type { Turn } from './turn.ts';

/** What a definition may ask of the workflow that the step stands in. */
export interface Around {
  readonly content: WorkflowContent;
  /** The described field behind a reference; undefined when nothing makes it known. */
  fieldOf(ref: Ref): Field | undefined;
  /** The fields that a step, or the start, makes known. */
  fieldsOf(stepId: string): readonly Field[];
  /** How a referred field is called in sentences. */
  nameOf(ref: Ref): string;
  /** The place that a step's record stands in; null where it has none. */
  placeOf(stepId: string): Place | null;
}

/** The same, seen from where the step stands. */
export interface AroundHere extends Around {
  /** Whether a reference is made known before the step. */
  isKnown(ref: Ref): boolean;
  /** The lookups that are done before the step for each item of a list. */
  lookupsFor(list: Ref): PlacedStep[];
}

/** The fields that a step makes known to those after it, and what they are called together. */
export interface Given {
  readonly fields: readonly Field[];
  /** "row in Customer list". */
  readonly from: string;
}

/** A field of a place that a step rests on, and what of the step does, in a few words. */
export interface Use {
  readonly path: string;
  readonly what: string;
}

/** A place whose fields are taken anew: what its fields are called now. */
export interface Renaming {
  /** The sentence whose place it is: `start` or a step's id. */
  readonly sentence: string;
  readonly described: RecordType;
  /** A field's path now. */
  path(old: string): string;
  /** A reference, wherever it points. */
  ref(old: Ref): Ref;
}

/** The one step that is being done for one item. */
export interface Doing<S extends Step = Step> {
  readonly version: WorkflowVersion;
  readonly step: S;
  /** The step's id; with its turn after a `#` within a "for each". Results are kept under it. */
  readonly id: string;
  readonly turn: Turn | undefined;
  /** What is known to the step: the record, what earlier steps made known, and the item of its turn. */
  readonly scope: Scope;
  /** What filling a field may know besides. */
  readonly evaluation: EvaluationContext;
  readonly around: Around;
}

/**
 * All that there is to know of one kind of step. `advance`, the brief, the checks of a draft, the
 * comparison of versions and drift ask it instead of telling kinds apart. Only what lookups and writes
 * alone have, such as a place and ways to recognise a record, is told apart where it is dealt with.
 */
export interface StepDefinition<S extends Step = Step> {
  readonly kind: S['kind'];

  // Building

  /** A new one, with nothing chosen yet. */
  make(id: string): S;
  /** A new one as it is proposed once it stands before these steps. */
  before?(step: S, after: readonly Step[]): S;
  /** How the step is called in formulas, where it makes fields known. */
  alias?(step: S): string;
  /** Every reference that it makes. */
  refs(step: S): Ref[];
  /** The fields that it makes known; undefined when there are none. */
  gives(step: S, around: Around): Given | undefined;
  /** What is not ready in it. */
  problems(step: S, around: AroundHere): ReadinessProblem[];
  /** Its sentence. */
  sentence(step: S, around: Around, names: ConnectionNames): Phrase[];
  /** What is otherwise in it and doesn't show in its sentence. */
  changes(before: S, after: S, around: { readonly before: Around; readonly after: Around }, locale: Locale): Change[];
  /** Which fields of a sentence's place it rests on. */
  uses(step: S, sentence: string): Use[];
  /** The step after a place's fields were taken anew. */
  renamed(step: S, how: Renaming): S;
  /** What it does at its place, in a few words; `where` names the place. Only for steps with a place. */
  deed?(step: S, where: string): string;
  /** The step as it counts for running: without marks on what was only proposed. */
  withoutMarks?(step: S): S;
  /** Settings that are joined entry by entry when two windows changed them. */
  readonly joined?: readonly (keyof S & string)[];

  // Its part in the order of steps

  /** The list over whose items the steps within it go; only for a kind that holds others. */
  over?(step: S): Ref | null;
  /** True for a kind that decides whether the steps after it are done at all. */
  readonly guards?: boolean;
  /** True for a kind that never stands within a "for each". */
  readonly onlyOutside?: boolean;
  /** True for a kind that isn't begun while any step before it needs a person. */
  readonly needsAll?: boolean;
  /** True for a kind that is usually wanted before anything is written. */
  readonly comesFirst?: boolean;
  /** True for a kind that brings the record somewhere: a workflow needs one. */
  readonly delivers?: boolean;

  // Running

  /** Begins it. */
  enter(doing: Doing<S>, state: ItemState): Move;
  /** Goes on with what came from outside; undefined when the step doesn't wait for such an answer. */
  take?(doing: Doing<S>, state: ItemState, answer: Answer): Move | undefined;
}

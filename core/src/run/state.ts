import type { Candidate, Ladder, RungTry } from '../matching/lookup/ladder.ts';
import type { Pointer } from '../values/pointer.ts';
import type { JsonRecord, Value } from '../values/value.ts';
import type { Difference, FieldChange, ReadBackOutcome, UnsettledCause, WriteOutcome } from './outcome.ts';
import type { Found, PlannedWrite, Target } from './plan.ts';

/** A field whose value stands in the way, with the value that was given. */
export interface FieldProblem {
  readonly path: Pointer;
  readonly label: string;
  readonly message: string;
  readonly given?: Value;
}

/** What became of one step for one item. */
/** Whose match is remembered, and where. */
export interface LinkSubject {
  readonly connection: string;
  /** The place that the record stands in. */
  readonly place: readonly string[];
  readonly id: string;
}

/** A record that was linked and is gone; `isLeft` when a person said that it is to stay so. */
export interface GoneLink {
  readonly id: string;
  readonly isLeft: boolean;
}

/** How the record was recognised. */
export interface MatchedBy {
  readonly how: 'link' | 'rung' | 'chosen' | 'id' | 'rule';
  readonly rung?: string;
  readonly probability?: number;
}

export type StepResult =
  | { readonly kind: 'off' }
  | { readonly kind: 'kept'; readonly why: string }
  | { readonly kind: 'left_out'; readonly why: string }
  /** Values were worked out. */
  | { readonly kind: 'computed'; readonly values: JsonRecord }
  /** A lookup found the record. */
  | {
      readonly kind: 'found';
      readonly id: string;
      readonly title: string;
      readonly by: MatchedBy;
      readonly link?: LinkSubject;
      readonly candidates?: readonly Candidate[];
    }
  /** A lookup found nobody, and the workflow goes on without. */
  | { readonly kind: 'not_found'; readonly why: string }
  /** What stands within it is done so many times. */
  | { readonly kind: 'each'; readonly count: number }
  | {
      readonly kind: 'written';
      readonly outcome: WriteOutcome;
      readonly id: string;
      readonly changes: readonly FieldChange[];
      readonly readBack: ReadBackOutcome;
      readonly differences: readonly Difference[];
      /** How the record was recognised, where a ladder did. */
      readonly by?: MatchedBy;
      readonly link?: LinkSubject;
      /** The record as it was, for an update; what undoing goes back to. */
      readonly before?: JsonRecord;
    }
  | {
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
      /** A write that stands although the step is unsettled (read back cut, or not found again). */
      readonly stands?: {
        readonly id: string;
        readonly differences: readonly Difference[];
        readonly outcome: WriteOutcome;
        readonly readBack: ReadBackOutcome;
      };
    }
  /** Not done, because a step it depends on isn't settled. */
  | { readonly kind: 'blocked'; readonly by: string };

/**
 * Where one item is on its way: plain data, so that it can be stored after every step and taken up
 * again in another process. `shape` numbers this layout; a release that changes it migrates.
 */
export interface ItemState {
  readonly shape: 1;
  /** The index of the step being done; the number of steps when all are done. */
  readonly at: number;
  readonly phase: 'ready' | 'finding' | 'writing' | 'reading_back' | 'ended';
  /** The instant the record was taken in. */
  readonly takenAt: string;
  /** What is known by now: the start's record and each written record, by step. */
  readonly values: Readonly<Record<string, JsonRecord>>;
  readonly steps: Readonly<Record<string, StepResult>>;
  /** Values a person set by hand, by step and field. */
  readonly overrides: Readonly<Record<string, Readonly<Record<Pointer, Value>>>>;
  /** Candidates a person chose among several, by step. */
  readonly choices: Readonly<Record<string, string>>;
  /** The id of the start's record in its place, where its match is remembered. */
  readonly sourceId?: string;
  /** Another record of the same run that is the same person or firm. */
  readonly double?: { readonly of: string; readonly title: string; readonly treat: 'golden' | 'first' | 'ask' };
  /** Steps whose linked record is gone, and is to stay so. */
  readonly leftGone?: Readonly<Record<string, true>>;
  /** How the record that is being written was recognised. */
  readonly pendingBy?: MatchedBy;
  /** The write under way. */
  readonly pending?: PlannedWrite;
  /** The id the app gave to the write under way. */
  readonly pendingId?: string;
  readonly pendingChanges?: readonly FieldChange[];
}

/** What the outside is asked to do next: plain data. */
export type Effect =
  | {
      readonly kind: 'find';
      readonly step: string;
      readonly target: Target;
      readonly by: { readonly path: Pointer; readonly value: Value };
    }
  /** The ways of a ladder one after the other, as far as it takes. */
  | {
      readonly kind: 'match';
      readonly step: string;
      readonly target: Target;
      readonly ladder: Ladder;
      /** What is known of the record that is looked for. */
      readonly known: Readonly<Record<Pointer, Value>>;
      /** The fields by which any record of this step may be known; the same for all of them. */
      readonly about?: readonly Pointer[];
      /** Whose match may be remembered already. */
      readonly link?: LinkSubject;
    }
  | { readonly kind: 'fetch'; readonly step: string; readonly target: Target; readonly id: string }
  | { readonly kind: 'write'; readonly step: string; readonly write: PlannedWrite }
  | { readonly kind: 'readBack'; readonly step: string; readonly target: Target; readonly id: string };

/** A person's decision on an unsettled item. */
export type Decision =
  /** As it is. A write that may have been done is looked for first. */
  | { readonly kind: 'retry' }
  /** A person looked: what this step sent isn't there, send it. Other steps' writes are left as they are. */
  | { readonly kind: 'send_again'; readonly step: string }
  | { readonly kind: 'set'; readonly step: string; readonly values: Readonly<Record<Pointer, Value>> }
  | { readonly kind: 'choose'; readonly step: string; readonly id: string }
  /** None of the candidates: somebody new. */
  | { readonly kind: 'new'; readonly step: string }
  /** The linked record was deleted there on purpose: it isn't made again, now and later. */
  | { readonly kind: 'leave_gone'; readonly step: string }
  /** Take what stands in the destination as it is; for an unsure write: a person looked, it is there. */
  | { readonly kind: 'accept'; readonly step: string }
  | { readonly kind: 'dismiss'; readonly reason: string };

/** What came back from the outside, or from a person. */
export type Answer =
  | { readonly kind: 'begin' }
  | { readonly kind: 'found'; readonly matches: readonly Found[] }
  /**
   * What the ways of a ladder came to; `linked` is the record that was remembered, as it is now, and
   * `gone` one that was remembered and isn't there any more.
   */
  | {
      readonly kind: 'matched';
      readonly linked?: Found;
      readonly gone?: GoneLink;
      readonly tries: readonly RungTry[];
    }
  | { readonly kind: 'fetched'; readonly found: Found | null }
  | { readonly kind: 'written'; readonly id: string; readonly record?: JsonRecord }
  /** A write that this step sent earlier was found to stand: `write` is what was sent then. */
  | { readonly kind: 'settled'; readonly write: PlannedWrite; readonly id: string; readonly record?: JsonRecord }
  | { readonly kind: 'read'; readonly record: JsonRecord | null }
  | { readonly kind: 'not_readable' }
  /** The lookup that the write was planned on isn't true any more: look again. */
  | { readonly kind: 'stale' }
  | {
      readonly kind: 'refused';
      readonly cause: UnsettledCause;
      readonly message: string;
      readonly fields?: readonly FieldProblem[];
    }
  | { readonly kind: 'decided'; readonly decision: Decision };

/** Where an item ended, or stopped for a person. */
export type Outcome =
  | { readonly kind: 'delivered' }
  | { readonly kind: 'left_out'; readonly step: string; readonly why: string }
  | { readonly kind: 'unsettled'; readonly step: string; readonly cause: UnsettledCause; readonly message: string }
  | { readonly kind: 'dismissed'; readonly reason: string };

/** The next state with what to do, or with where it ended. */
export type Advance =
  | { readonly state: ItemState; readonly effect: Effect; readonly outcome?: undefined }
  | { readonly state: ItemState; readonly outcome: Outcome; readonly effect?: undefined };

import type { Candidate } from '../../matching/lookup/ladder.ts';
import type { Difference, FieldChange, KeptField, ReadBackOutcome, WriteOutcome } from '../../run/outcome.ts';
import type { LinkSubject, MatchedBy } from '../../run/recognised.ts';
import type { JsonRecord } from '../../values/value.ts';

/** A lookup found the record. */
export interface FoundResult {
  readonly kind: 'found';
  readonly id: string;
  readonly title: string;
  readonly by: MatchedBy;
  readonly link?: LinkSubject;
  readonly candidates?: readonly Candidate[];
}

/** A lookup found nobody, and the workflow goes on without. */
export interface NotFoundResult {
  readonly kind: 'not_found';
  readonly why: string;
}

/** What goes out to somebody didn't: whom it is for doesn't want it. */
export interface NotSentResult {
  readonly kind: 'not_sent';
  readonly why: string;
}

/** A record was made, changed, or was the same already. */
export interface WrittenResult {
  readonly kind: 'written';
  readonly outcome: WriteOutcome;
  readonly id: string;
  readonly changes: readonly FieldChange[];
  /** The labels of the fields that were changed, once their values aren't kept any more. */
  readonly changedFields?: readonly string[];
  /** Fields that differ and were left as they are there. */
  readonly kept?: readonly KeptField[];
  readonly readBack: ReadBackOutcome;
  readonly differences: readonly Difference[];
  /** How the record was recognised, where a ladder did. */
  readonly by?: MatchedBy;
  readonly link?: LinkSubject;
  /** The record as it was, for an update; what undoing goes back to. */
  readonly before?: JsonRecord;
}

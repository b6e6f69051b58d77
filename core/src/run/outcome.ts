import type { Pointer } from '../values/pointer.ts';
import type { Value } from '../values/value.ts';

/** Where one item stands. */
export const itemStates = [
  'running',
  'delivered',
  'left_out',
  'unsettled',
  'waiting',
  'dismissed',
  'cancelled',
  'undone',
] as const;
export type ItemStateName = (typeof itemStates)[number];

/** What a write did. */
export const writeOutcomes = ['new', 'changed', 'same', 'removed'] as const;
export type WriteOutcome = (typeof writeOutcomes)[number];

/**
 * What reading back showed: `altered` is the same value in the app's own writing, `different` another
 * value than the one that was sent, `not_read` where the app can't be asked.
 */
export type ReadBackOutcome = 'as_sent' | 'altered' | 'cut' | 'different' | 'not_read';

/** Why an item needs a person. */
export const unsettledCauses = [
  /** A value is missing or can't be read. */
  'value',
  /** The app refused the record. */
  'refused',
  /** Several records answer to the key. */
  'several',
  /** It isn't clear which record is meant, or none was found. */
  'unclear',
  /** The same person as another record of the run. */
  'double',
  /** The place isn't what the mapping was built on: a column, tab or file is gone. */
  'drift',
  /** The connection doesn't work or lacks a right. */
  'connection',
  /** It can't be found out whether a write was done. */
  'unsure',
  /** What was read back isn't what was sent. */
  'altered',
  /** A field holds something else there, and no rule says whose value counts. */
  'differs',
  /** It had gone out, and came back: it reached nobody. */
  'returned',
  /** It has been handed on from workflow to workflow so often that they may go round in a circle. */
  'circle',
  /** An earlier change of the same record is unsettled. */
  'behind',
  /** The record that it was linked to has been deleted there. */
  'gone',
  /** A record is to be removed for good, and a person says so first. */
  'removal',
  /** More than is usual came, or most of what was known is gone: a person looks first. */
  'held',
  /** Begun in another account than its connection leads to now. */
  'account',
  /** Golden Relay itself failed at it. */
  'fault',
] as const;
export type UnsettledCause = (typeof unsettledCauses)[number];

/** One field's value before and after a write. */
export interface FieldChange {
  readonly path: Pointer;
  readonly label: string;
  readonly before: Value;
  readonly after: Value;
}

/** Why a field that differs stays as it is there. */
export type KeptWhy =
  /** The source has nothing to say. */
  | 'empty'
  /** Somebody changed it there; the source has not changed since it was sent. */
  | 'changed_there'
  /** Something else was there before this workflow ever sent anything. */
  | 'first'
  /** The field's own rule. */
  | 'policy'
  | 'newer_there'
  /** Somebody said no to being contacted. */
  | 'no_stays'
  /** The value that recognises the record, with other capitals or signs. */
  | 'same_written_otherwise'
  /** It was changed on both sides, and a person is asked about it already. */
  | 'asked_already';

/** A field that was left as it is there. */
export interface KeptField extends FieldChange {
  readonly why: KeptWhy;
  /** Where a no stays: it was said since the two sides last agreed, or they never have. */
  readonly isNews?: true;
}

/** One field that was not read back as it was sent. */
export interface Difference {
  readonly path: Pointer;
  readonly label: string;
  readonly sent: Value;
  readonly read: Value;
}

/** A field whose value stands in the way, with the value that was given. */
export interface FieldProblem {
  readonly path: Pointer;
  readonly label: string;
  readonly message: string;
  readonly given?: Value;
  /** What the destination holds, where a person says which of the two counts. */
  readonly there?: Value;
  /** When the record with each of the two was changed last, where their apps say so. */
  readonly givenAt?: Value;
  readonly thereAt?: Value;
}

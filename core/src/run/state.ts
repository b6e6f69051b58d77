import type { Ladder, RungTry } from '../matching/lookup/ladder.ts';
import type { Asked } from '../steps/ask/asked.ts';
import type { HandedCounts, HandedResult, WouldBecome } from '../steps/hand-over/schema.ts';
import type { StepResult } from '../steps/results.ts';
import type { ParkEnding } from '../steps/wait/endings.ts';
import type { Pointer } from '../values/pointer.ts';
import type { JsonRecord, Value } from '../values/value.ts';
import type { FieldChange, FieldProblem, KeptField, UnsettledCause } from './outcome.ts';
import type { Found, PlannedWrite, Settled, Target } from './plan.ts';
import type { GoneLink, LinkSubject, MatchedBy } from './recognised.ts';

/**
 * Where one item is on its way: plain data, so that it can be stored after every step and taken up
 * again in another process. `shape` numbers this layout; a release that changes it migrates.
 */
export interface ItemState {
  readonly shape: 1;
  /** The place among the steps as they are laid out for this record (`layOut`: each turn of a "for each" counts); their number when all are done. */
  readonly at: number;
  readonly phase: 'ready' | 'finding' | 'writing' | 'reading_back' | 'handing' | 'parked' | 'ended';
  /** The instant the record was taken in. */
  readonly takenAt: string;
  /** What is known by now: the start's record and each written record, by step. */
  readonly values: Readonly<Record<string, JsonRecord>>;
  readonly steps: Readonly<Record<string, StepResult>>;
  /** Values a person set by hand, by step and field. */
  readonly overrides: Readonly<Record<string, Readonly<Record<Pointer, Value>>>>;
  /** What stood in the destination when they did, where that has to be so still. */
  readonly setOver?: Readonly<Record<string, Readonly<Record<Pointer, Value>>>>;
  /** Records of which a person said that they are removed, as they stood there then, by step. */
  readonly toRemove?: Readonly<Record<string, JsonRecord>>;
  /** Candidates a person chose among several, by step. */
  readonly choices: Readonly<Record<string, string>>;
  /** The id of the start's record in its place, where its match is remembered. */
  readonly sourceId?: string;
  /** The instant of the last answer, where the workflow counts time; that at which it would have come, while rehearsing. */
  readonly now?: string;
  /** When the waits that it is at were reached. */
  readonly reached?: Readonly<Record<string, string>>;
  /** Waits at which it was stopped, and why: it stays so. */
  readonly stopped?: Readonly<Record<string, string>>;
  /** What was handed over by steps that wait for it. */
  readonly handed?: Readonly<Record<string, HandedResult>>;
  /** Why a person is asked once more, by the step that asks. */
  readonly asksAgain?: Readonly<Record<string, string>>;
  /** Steps of which nobody had answered in time, and that ask on. */
  readonly remindedOf?: Readonly<Record<string, true>>;
  /** A trial: what would go out to somebody goes to this address instead. */
  readonly instead?: string;
  /** A trial that nobody waits for. */
  readonly skipsWaits?: true;
  /** It has ended long ago: what its record held isn't kept any more. */
  readonly isEmptied?: true;
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
  /** Fields of the found record that stay as they are there. */
  readonly pendingKept?: readonly KeptField[];
}

/** What the outside is asked to do next: plain data. */
export type Effect =
  | {
      readonly kind: 'find';
      readonly step: string;
      readonly target: Target;
      readonly by: { readonly path: Pointer; readonly value: Value };
      /** Every one is wanted, up to so many and one more; else those that come first. */
      readonly all?: number;
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
  | { readonly kind: 'readBack'; readonly step: string; readonly target: Target; readonly id: string }
  /** Stores so many records for another workflow; which they are `handedPiece` says. */
  | { readonly kind: 'handOver'; readonly step: string; readonly target: Target; readonly count: number }
  /** What has become of what was handed over. */
  | {
      readonly kind: 'handedBack';
      readonly step: string;
      readonly target: Target;
      readonly wants: 'counts' | 'each' | 'one';
    };

/** What an item waits for: any of these wakes it. Nothing is held meanwhile. */
export interface Park {
  readonly step: string;
  /** An instant (UTC, ISO 8601). */
  readonly until?: string;
  /** Keys of events. */
  readonly events?: readonly string[];
  /** Records elsewhere that end it. */
  readonly endings?: readonly ParkEnding[];
  /** A role whose answer is waited for. */
  readonly who?: string;
  /** False where a newer change that overtakes it waits until its own time, not as long as this one would have. */
  readonly keepsTime?: boolean;
  /** True where later changes of the record stand behind it; else the later one overtakes it. */
  readonly holdsLater?: boolean;
  /** Where it waits for what it has handed over: how many of that need a person, as its message says. */
  readonly awaitsHanded?: { readonly unsettled: number };
  /** What a person is asked, where it waits for their answer: nothing else is a yes. */
  readonly asks?: Asked;
  /** What it waits for, for people: "Until Monday 09:00". */
  readonly message: string;
}

/** What woke a parked item. */
export type WokenBy =
  | { readonly kind: 'time' }
  | { readonly kind: 'event'; readonly event: string; readonly told?: JsonRecord }
  | { readonly kind: 'person'; readonly told?: JsonRecord }
  /** Nobody waits while rehearsing. */
  | { readonly kind: 'skipped' };

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
  /** The record that was asked about is removed for good. */
  | { readonly kind: 'remove'; readonly step: string }
  /** Take what stands in the destination as it is; for an unsure write: a person looked, it is there. */
  | { readonly kind: 'accept'; readonly step: string }
  | { readonly kind: 'dismiss'; readonly reason: string };

/** What came back from the outside, or from a person, and when. */
export type Answer = { readonly at?: string } & Answered;

type Answered =
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
  /** All of it was handed over; `would` in a rehearsal, what each would come to. */
  | {
      readonly kind: 'handed';
      readonly count: number;
      readonly passedOver?: number;
      readonly would?: readonly WouldBecome[];
    }
  /** How much of what was handed over is still open, why, and what became of the rest. */
  | {
      readonly kind: 'handed_back';
      readonly open: number;
      /** Of those, how many need a person. */
      readonly unsettled: number;
      readonly message: string;
      readonly counts: HandedCounts;
      readonly each?: readonly JsonRecord[];
      readonly one?: JsonRecord;
    }
  /** What a parked item waited for has come. */
  | {
      readonly kind: 'woken';
      readonly by: WokenBy;
      /** The start's record as it is now; null where it is gone, absent where it can't be read again. */
      readonly record?: JsonRecord | null;
      /** Why it could not be read now, though it can be. */
      readonly unread?: { readonly cause: UnsettledCause; readonly message: string };
    }
  /** Whom it goes to doesn't want it: found out when it was about to leave. `leavesOut` where the record goes no further. */
  | { readonly kind: 'not_sent'; readonly why: string; readonly leavesOut?: boolean }
  /** The lookup that the write was planned on isn't true any more: look again. */
  | { readonly kind: 'stale' }
  | {
      readonly kind: 'refused';
      readonly cause: UnsettledCause;
      readonly message: string;
      readonly fields?: readonly FieldProblem[];
    }
  | { readonly kind: 'decided'; readonly decision: Decision };

/** What a rehearsal and the sheet answer an item that would wait. */
export const skipped: Answer = { kind: 'woken', by: { kind: 'skipped' } };

/** Where an item ended, or stopped for a person. */
export type Outcome =
  | { readonly kind: 'delivered' }
  | { readonly kind: 'left_out'; readonly step: string; readonly why: string }
  | { readonly kind: 'unsettled'; readonly step: string; readonly cause: UnsettledCause; readonly message: string }
  | { readonly kind: 'dismissed'; readonly reason: string };

/** The next state with what to do, with what it waits for, or with where it ended. */
export type Advance = Onward & {
  /** What a step was done with on the way here: kept together with the state. */
  readonly settled?: Settled;
};

type Onward =
  | { readonly state: ItemState; readonly effect: Effect; readonly park?: undefined; readonly outcome?: undefined }
  | { readonly state: ItemState; readonly park: Park; readonly effect?: undefined; readonly outcome?: undefined }
  | { readonly state: ItemState; readonly outcome: Outcome; readonly effect?: undefined; readonly park?: undefined };

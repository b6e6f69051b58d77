import type { Found, JsonRecord, PlannedWrite, Pointer, RecordType, Value } from '@golden/core';
import type { AppError } from './errors.ts';
import type { RestDescription } from './rest/description.ts';

/** One choice on the way to a place: a company, a file, a tab, a table. */
export interface PlaceChoice {
  readonly id: string;
  readonly label: string;
  /** True when records stand in it; false when there are choices below. */
  readonly isPlace: boolean;
  /** How many records it holds, where that is cheap to know. */
  readonly holds?: number;
  /** What limits it, such as "view only". */
  readonly remark?: string;
}

/** A record of a source with what the source says of its version. */
export interface SourceRecord {
  readonly id: string;
  readonly record: JsonRecord;
  readonly version?: string;
  readonly updated?: string;
  readonly created?: string;
}

/** A part of a listing; `cursor` goes on with it and is null at its end. */
export interface Page {
  readonly records: readonly SourceRecord[];
  readonly cursor: string | null;
  /** How many more records were left out because they are as they were. */
  readonly unchanged?: number;
}

export interface ListRequest {
  readonly path: readonly string[];
  /** Only what was updated at or after this instant, where the app can tell. */
  readonly since?: string;
  readonly cursor?: string;
  /** The field that names a record where the app gives no ids. */
  readonly identity?: Pointer;
  /** A mark of the place (`placeMark`): records that are as they were then may be left out, and are counted. */
  readonly unlessAsAt?: string;
}

/** What is known of a connection after asking the app. */
export interface Health {
  readonly signedInAs: string;
  /** The app's own stable id of the account that is signed in to, whatever it is called; absent where the app doesn't tell. */
  readonly account?: string;
  /** What this account sees, in a few words each. */
  readonly sees: readonly string[];
  readonly mayRead: boolean;
  readonly mayWrite: boolean;
  /** Why it may not be written there, in a sentence, where more is known than that the right is missing. */
  readonly readOnlyBecause?: string;
  /** Rights that differ from place to place, by the place's name. */
  readonly places?: readonly { readonly label: string; readonly mayWrite: boolean }[];
}

/** A document before it is made for good. */
export interface DocumentPreview {
  /** Its file name, with the ending. */
  readonly name: string;
  readonly bytes: Uint8Array;
  /** The text of what no page can be shown of, paragraph by paragraph; `isFilled` marks what a value says. */
  readonly paragraphs?: readonly (readonly { readonly text: string; readonly isFilled: boolean }[])[];
  /** Why it wouldn't be made so, in sentences; empty where it would. */
  readonly problems: readonly string[];
  /** What is made otherwise than somebody may expect, in sentences. */
  readonly remarks: readonly string[];
}

/** A write on its way, with what makes it findable afterwards. */
export interface WriteRequest {
  readonly write: PlannedWrite;
  /** Names this write for ever; the same when it is sent again. */
  readonly token: string;
  /** Through how many workflows its record has gone, where the connector tells that. */
  readonly hops?: number;
}

export interface Written {
  readonly id: string;
  /** The record as the app answered it, where it does. */
  readonly record?: JsonRecord;
}

/** What became of one of many new records: it was made, or why not. */
export type BulkResult = Written | AppError;

/** Takes many new records of one place in one call, with a result for each. */
export interface BulkSender {
  /** At most so many in one call. */
  readonly most: number;
  /**
   * Makes them; gives a result for each, in their order. One that is refused keeps none of the others from being made.
   *
   * @param key - names this call for ever: the same when it is sent again with the same members
   */
  send(requests: readonly WriteRequest[], key: string): Promise<readonly BulkResult[]>;
}

/** Something that was taken, and came back later: a mail that couldn't be delivered. */
export interface Returned {
  /** Of the write that it came from. */
  readonly token: string;
  readonly whom: string;
  /** In the words of whoever sent it back. */
  readonly reason: string;
}

/** How it can be found out whether a write without an answer was done. */
export type SettleBy = 'idempotency_key' | 'reference' | 'lookup';

/**
 * One signed-in account of an outside app. Every method throws an `AppError` of the kind that fits;
 * reads have been retried by then, writes never after a byte has left.
 */
export interface Connector {
  readonly settleBy: SettleBy;
  /** Milliseconds after which a request that the app hasn't answered is certainly not carried out any more; absent where nobody knows. */
  readonly settlesWithin?: number | undefined;
  /** Milliseconds for which the app remembers an idempotency key; absent where it never forgets one. */
  readonly keepsKeysFor?: number | undefined;
  health(): Promise<Health>;
  places(path: readonly string[]): Promise<readonly PlaceChoice[]>;
  describe(path: readonly string[]): Promise<RecordType>;
  list(request: ListRequest): Promise<Page>;
  /** Changes whenever what a place holds does, and is cheap to ask for; undefined where that isn't certain. */
  placeMark?(path: readonly string[]): Promise<string | undefined>;
  fetch(path: readonly string[], id: string): Promise<SourceRecord | null>;
  find(path: readonly string[], by: { readonly path: Pointer; readonly value: Value }): Promise<readonly Found[]>;
  /**
   * All records that hold a value in a field, page by page. Absent where `find` gives all of them.
   *
   * @param most - more than so many needn't be gathered; one more tells that there are
   */
  findAll?(
    path: readonly string[],
    by: { readonly path: Pointer; readonly value: Value },
    most: number,
  ): Promise<readonly Found[]>;
  /** The record that carries our token, where the app keeps a reference of the sender. */
  findByToken?(path: readonly string[], token: string): Promise<Found | null>;
  create(request: WriteRequest): Promise<Written>;
  update(request: WriteRequest): Promise<Written>;
  /** Gives what a person should know of how it was removed, in a sentence, where that isn't plain. */
  remove(path: readonly string[], id: string, expected: JsonRecord | undefined): Promise<string | undefined>;
  /** False where the app lets nobody remove records of a place; absent where only trying tells. */
  removes?(path: readonly string[]): boolean;
  /** Makes one record of two: what leads to the other leads to the survivor, the other is put away. */
  merge?(path: readonly string[], survivor: string, other: string, token: string): Promise<void>;
  /** The yes-or-no field of a place that puts a record away instead of removing it. */
  retiredField?(path: readonly string[]): Pointer | undefined;
  /** True when the app itself can make one record of two in this place. */
  canMerge?(path: readonly string[]): boolean;
  /** True when a write to this place only asks, and changes nothing there. */
  onlyReads?(path: readonly string[]): boolean;
  /** The body of a write exactly as the app would get it, where that can be told. */
  payload?(request: WriteRequest): Promise<JsonRecord>;
  /** Why a write would be refused, in sentences, as far as that is known without doing it; absent where only the app knows. */
  problemsOf?(request: WriteRequest): Promise<readonly string[]>;
  /** The document that a write would make, not put anywhere; absent where none is made. */
  document?(request: WriteRequest): Promise<DocumentPreview>;
  /**
   * Asks the app to post at an address what happens to records of a place; one that was asked for before is replaced.
   * Absent where it can't be asked.
   */
  subscribe?(path: readonly string[], url: string): Promise<Subscribed>;
  /**
   * Tells at once that something has come into a place, until it is stopped; `onEnd` is called when it ends by itself, as
   * when its connection breaks off: what comes then is seen by asking. Absent where the app doesn't tell.
   */
  watch?(path: readonly string[], onNews: () => void, onEnd: () => void): Promise<() => void>;
  /** What has come back since an instant of what was written from here; absent where nothing ever does. */
  returned?(since: string): Promise<readonly Returned[]>;
  /** True where a request carries through how many workflows its record has gone: it may lead to another one. */
  readonly tellsHops?: boolean;
  /** Where a person sees the record in the app itself. */
  linkTo(path: readonly string[], id: string): string | undefined;
  /** Where a person makes a new record in the app itself. */
  linkToNew?(path: readonly string[]): string | undefined;
  /** Present when places and fields can be made from here. */
  readonly shape?: PlaceMaker;
  /** Present when whole files can be taken from here. */
  readonly handIns?: HandIns;
  /** Takes many new records of a place in one call; undefined where that place takes one at a time. */
  bulk?(path: readonly string[]): BulkSender | undefined;
  /** Present when writes are gathered into one replacement instead of sent one by one. */
  readonly batch?: BatchWriter;
}

/** What an app posts from now on, and how it proves that it is the one. */
export interface Subscribed {
  readonly secret: string;
  /** Where an event has the id of its record. */
  readonly record: Pointer;
  /** The header with the event's own id. */
  readonly eventId: string;
  readonly signature: NonNullable<RestDescription['events']>['signature'];
}

/** How a file that has been taken is put away: under another name, or in a folder of its own. */
export type PutAway = 'marked' | 'moved';

/** The folder into which taken files are moved, and what stands before the name of a marked one. */
export const doneFolder = 'Done';
export const doneMark = 'done ';

/** Files of any kind that somebody puts into a folder to be taken from there. */
export interface HandIns {
  /** The files there, each with a mark that changes when its content does. */
  files(): Promise<readonly { readonly name: string; readonly mark: string }[]>;
  /** @throws NotThere, NoRight */
  content(name: string): Promise<Uint8Array>;
  /**
   * Puts a file away that still has this mark; nothing that is there is written over. Gives its new name.
   * @throws Changed when it has another by now, NoRight, Refused
   */
  putAway(name: string, mark: string, way: PutAway): Promise<string>;
}

/** What is to be made where records will go. */
export interface NewPlace {
  /** The place above, such as a file; empty for the top. */
  readonly above: readonly string[];
  readonly name: string;
  /** The first tab of a new file. */
  readonly tab?: string;
  readonly columns: readonly string[];
}

/** Makes what is missing in a destination: a file, a tab, a column. */
export interface PlaceMaker {
  /**
   * Makes a place with these columns and gives its path.
   * @throws Refused when there is one of that name, or the name can't be used
   */
  addPlace(place: NewPlace): Promise<readonly string[]>;
  /** Adds columns after the last one. @throws Refused when one of that name is there */
  addColumns(path: readonly string[], names: readonly string[]): Promise<void>;
  /**
   * Makes a place that is missing like the last one beside it that has the columns of `like`, with its head and formats;
   * what is above it too, such as the file of a new year. One that is there meanwhile stays as it is.
   * @throws NotThere when there is none to make it like
   */
  addLikeLast?(path: readonly string[], like: readonly string[]): Promise<void>;
}

/** What a gathered write came to, once its replacement is in place. */
export type BatchResult =
  | { readonly kind: 'written'; readonly id: string }
  /** What the write was planned on isn't true any more; nothing of it is in the replacement. */
  | { readonly kind: 'stale' }
  | { readonly kind: 'refused'; readonly error: Error };

/** A whole new content for one file, not yet in place. */
export interface Replacement {
  readonly hashBefore: string;
  readonly hashAfter: string;
  /** By token. */
  readonly results: ReadonlyMap<string, BatchResult>;
  /**
   * Puts it in place.
   * @throws Changed when the file isn't the one it was made from (nothing was written)
   * @throws Unsure when no answer came
   */
  commit(): Promise<void>;
}

/** Many writes to one file in one replacement, settled afterwards by hashes. */
export interface BatchWriter {
  /** Writes with the same group go into one replacement. */
  groupOf(path: readonly string[]): string;
  prepare(requests: readonly WriteRequest[]): Promise<Replacement>;
  /** The hash of the file as it is now. */
  hashNow(group: string): Promise<string>;
}

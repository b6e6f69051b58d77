import type { HandIns } from '../connector.ts';

/** A workbook file as a store holds it. */
export interface StoredFile {
  readonly name: string;
  readonly mayWrite: boolean;
}

/** A file's content at one moment. */
export interface TakenFile {
  readonly bytes: Uint8Array;
  /** Changes whenever the content does. */
  readonly etag: string;
  readonly mayWrite: boolean;
  /** Why it may not be written, where the store knows more than that the right is missing. */
  readonly readOnlyBecause?: string;
}

/** The file still has the content that is known; its right may have changed all the same. */
export interface UnchangedFile {
  readonly bytes: undefined;
  readonly mayWrite: boolean;
  readonly readOnlyBecause?: string;
}

/** Called at named points around a replacement, so that a test can stop the process there. */
export type Reach = (point: string) => void;

/** Where workbook files are: given and taken whole. */
export interface FileStore {
  /** The store's name in sentences, such as "Workbook shelf". */
  readonly title: string;
  /** Files of any kind that are put there to be taken. */
  readonly handIns: HandIns;
  whoAmI(): Promise<{
    readonly account: string;
    readonly id?: string;
    readonly mayWrite: boolean;
    readonly readOnlyBecause?: string;
  }>;
  list(): Promise<readonly StoredFile[]>;
  /**
   * The file; without its content when it still has the etag that is known.
   * @throws NotThere, Locked, NoRight
   */
  take(name: string, knownEtag?: string): Promise<TakenFile | UnchangedFile>;
  /**
   * Puts a new content in place, only while the file has this etag, and gives the new etag.
   * @throws Changed when it has another (nothing was written), Locked while somebody has it open, Unsure when
   * no answer came
   */
  replace(name: string, bytes: Uint8Array, etag: string): Promise<string>;
  /** Puts a new file there. @throws Refused when there is one of that name */
  add(name: string, bytes: Uint8Array): Promise<void>;
  /** Where a person sees a row. */
  linkTo(name: string, tab: string, row: number): string | undefined;
}

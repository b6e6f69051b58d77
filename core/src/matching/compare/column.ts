import type { Comparison } from '../levels.ts';
import type { Storable } from '../storable.ts';

/** What a comparison of two records came to, written into by columns: a level and a share for each comparison. */
export interface Verdicts {
  readonly levels: Uint8Array;
  /** How common the value is that two records agree on, 0 to 1; 1 where rarity doesn't count. */
  readonly shares: Float64Array;
}

/**
 * One or several fields of all records, normalised once and kept as numbers, and how two records
 * compare in them. A column may answer several comparisons at once.
 */
export interface Column {
  readonly comparisons: readonly Comparison[];
  /** Reads the next record. */
  add(record: readonly string[]): void;
  /** The record counts no more in how common its values are; its number stays taken. */
  forget(record: number): void;
  /** No more records come: what only adding needs is let go. */
  complete?(): void;
  /** Whether something of the two can't belong to one. */
  conflicts?(a: number, b: number): boolean;
  /** Writes levels and shares of its comparisons from position `at` on. */
  compare(a: number, b: number, verdicts: Verdicts, at: number): void;
  /** Adds to `parts` what blocking builds its keys from. */
  parts(record: number, parts: KeyParts): void;
  /** What it has read of all records: put aside and restored in this order. */
  readonly held: readonly Storable[];
  /** All that it holds was restored: what follows from it is worked out again. */
  restored?(): void;
}

/** What a record offers to be found by; each is a hash, by what it is of. */
export interface KeyParts {
  /** how each word of a person's name sounds */
  names: number[];
  /** each word of a person's name as written */
  spelt: number[];
  /** the first three letters and the last three of each word of a name: two numbers a word */
  pieces: number[];
  /** words of the firm, rarest first */
  firm: number[];
  email: number[];
  local: number[];
  domain: number[];
  phone: number[];
  tax: number[];
  street: number[];
  postcode: number[];
  city: number[];
  date: number[];
  yearMonth: number[];
  monthDay: number[];
  code: number[];
  text: number[];
}

/** No parts of any kind. */
export function noParts(): KeyParts {
  return {
    names: [],
    spelt: [],
    pieces: [],
    firm: [],
    email: [],
    local: [],
    domain: [],
    phone: [],
    tax: [],
    street: [],
    postcode: [],
    city: [],
    date: [],
    yearMonth: [],
    monthDay: [],
    code: [],
    text: [],
  };
}

/** A 32-bit hash of text (FNV-1a, Fowler, Noll and Vo). */
export function hashText(text: string, seed = 0x811c9dc5): number {
  let hash = seed;
  for (let i = 0; i < text.length; i++) hash = Math.imul(hash ^ text.charCodeAt(i), 0x01000193);
  // The last step of MurmurHash3 spreads the bits.
  hash = Math.imul(hash ^ (hash >>> 16), 0x85ebca6b);
  return (hash ^ (hash >>> 13)) >>> 0;
}

/** Two hashes as one; the order counts. */
export function joinHashes(a: number, b: number): number {
  const hash = Math.imul(a ^ (b + 0x9e3779b9 + (a << 6) + (a >>> 2)), 0x85ebca6b);
  return (hash ^ (hash >>> 15)) >>> 0;
}

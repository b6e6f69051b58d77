/**
 * What a level says of two records: `agrees` and `alike` speak for one and the same, `differs`
 * against it, `empty` hardly at all.
 */
export type Bearing = 'empty' | 'agrees' | 'alike' | 'differs';

/** One answer of a comparison, in words a person understands. */
export interface Level {
  readonly name: string;
  readonly bearing: Bearing;
  /** Share of the true pairs expected here before any data were seen (common practice, from memory of such data). */
  readonly expected: number;
  /** Share of pairs that have nothing to do with each other, likewise expected here. */
  readonly byChance: number;
  /** Whether how common the value is changes what the level says: a shared "Smith" says less. */
  readonly isByRarity?: boolean;
  /** The share at which `byChance` holds, where a share isn't that of a value among the table's; from the table when absent. */
  readonly usualShare?: number;
}

/**
 * What a comparison bears on: `who` it is by itself, or `where` it is found (the firm, the house,
 * the switchboard), which colleagues and families share.
 */
export type Aspect = 'who' | 'where';

/** A comparison: the fields it reads and its levels; the first two are always the empty ones. */
export interface Comparison {
  readonly key: string;
  /** The word people read for it. */
  readonly label: string;
  /** Positions of its fields in the record. */
  readonly fields: readonly number[];
  readonly aspect: Aspect;
  readonly levels: readonly Level[];
  /**
   * At least how often two records that have nothing to do with each other are the same here by
   * chance, where that can be told from the parts of the values; random pairs may be too few to
   * show it.
   */
  readonly leastByChance?: () => number;
}

/** Level 0 of every comparison: nothing on both sides. */
export const bothEmpty: Level = { name: 'empty in both', bearing: 'empty', expected: 0, byChance: 0 };
/** Level 1 of every comparison: nothing on one side. */
export const oneEmpty: Level = { name: 'empty in one', bearing: 'empty', expected: 0, byChance: 0 };

/** Levels with the two empty ones before them. */
export function levelsOf(...levels: readonly Level[]): readonly Level[] {
  return [bothEmpty, oneEmpty, ...levels];
}

import { type DecidedPair, usualErrors, verdictOf, type WantedErrors, type Zones, zonesFor } from './decide.ts';
import { type SearchFigures, type SearchProgress, weighCandidates } from './find-duplicates.ts';
import type { MatchModel } from './model.ts';
import type { MatchTable } from './table.ts';

/** What two tables have in common. */
export interface Matches {
  /** Pairs of a left and a right record (`a` on the left, `b` counted from the first right one). */
  readonly pairs: readonly DecidedPair[];
  readonly model: MatchModel;
  readonly zones: Zones;
  readonly figures: SearchFigures;
}

/**
 * Finds which records of two tables are the same. Both stand in one `MatchTable`, the left ones
 * first. A record may have several matches: either table may hold duplicates of its own.
 *
 * @param left - how many records of the table are the left one's
 */
export function* matchTables(
  table: MatchTable,
  left: number,
  options: { readonly wanted?: WantedErrors; readonly model?: MatchModel } = {},
): Generator<SearchProgress, Matches> {
  const { kept, model, figures } = yield* weighCandidates(table, left, options.model);
  const zones = zonesFor(kept.probability, table.size, options.wanted ?? usualErrors);
  const pairs: DecidedPair[] = [];
  for (const { a, b, probability } of kept) {
    const verdict = verdictOf(probability, zones);
    if (verdict !== 'different') pairs.push({ a, b: b - left, probability, verdict });
  }
  pairs.sort((x, y) => y.probability - x.probability || x.a - y.a || x.b - y.b);
  return { pairs, model, zones, figures };
}

import type { ComparedPairs } from './learn.ts';
import type { MatchTable } from './table.ts';

/** Whole numbers below a limit in an order without a pattern, the same at every call (a linear congruential generator after Numerical Recipes). */
export function mixedNumbers(seed: number): (below: number) => number {
  let state = seed >>> 0;
  return (below) => {
    state = (Math.imul(state, 1664525) + 1013904223) >>> 0;
    return Math.floor((state / 2 ** 32) * below);
  };
}

/** Compares pairs into one row each. */
export function comparePairs(
  table: MatchTable,
  pairs: readonly (readonly [number, number])[],
  standsFor: number,
): ComparedPairs {
  const width = table.comparisons.length;
  const room = table.room();
  const levels = new Uint8Array(pairs.length * width);
  const shares = new Float64Array(pairs.length * width);
  for (const [index, [a, b]] of pairs.entries()) {
    table.compare(a, b, room);
    levels.set(room.levels, index * width);
    shares.set(room.shares, index * width);
  }
  return { count: pairs.length, levels, shares, standsFor };
}

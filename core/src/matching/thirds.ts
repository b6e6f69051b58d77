import type { WeighedPair } from './cluster.ts';

/** The probability of pairs that weren't worth keeping. */
const unseen = 0.004;
/** One third record says at most so much, as a factor of the odds: what it rests on may be wrong itself. */
const mostSaid = 400;

/**
 * Pairs with what third records say of them: two who are one with a third are one with each other,
 * and who is one with a third that the other is not, isn't the other. Of a triangle's eight ways of
 * "same" and "not", only the five that are consistent are possible; the odds of a pair are those of
 * the consistent ways. Only the third that speaks most for a pair and the one that speaks most
 * against it count: thirds are records of the same few people and would be counted twice.
 *
 * @param size - how many records there are
 * @param pairs - each once; pairs that aren't given are taken as unlikely
 */
export function withThirds(size: number, pairs: readonly WeighedPair[]): WeighedPair[] {
  const near: (Map<number, number> | undefined)[] = new Array(size);
  const note = (a: number, b: number, probability: number): void => {
    near[a] ??= new Map();
    (near[a] as Map<number, number>).set(b, probability);
  };
  for (const { a, b, probability } of pairs) {
    note(a, b, probability);
    note(b, a, probability);
  }
  return pairs.map(({ a, b, probability }) => {
    const ofA = near[a] as Map<number, number>;
    const ofB = near[b] as Map<number, number>;
    if (ofA.size === 1 && ofB.size === 1) return { a, b, probability };
    let most = 1;
    let least = 1;
    const hear = (ac: number, bc: number): void => {
      const neither = (1 - ac) * (1 - bc);
      const ratio = (ac * bc + neither) / (ac * (1 - bc) + (1 - ac) * bc + neither);
      if (ratio > most) most = ratio;
      if (ratio < least) least = ratio;
    };
    for (const [third, ac] of ofA) if (third !== b) hear(ac, ofB.get(third) ?? unseen);
    for (const [third, bc] of ofB) if (third !== a && !ofA.has(third)) hear(unseen, bc);
    const odds =
      (probability / Math.max(1 - probability, 1e-12)) * Math.min(most, mostSaid) * Math.max(least, 1 / mostSaid);
    return { a, b, probability: odds / (1 + odds) };
  });
}

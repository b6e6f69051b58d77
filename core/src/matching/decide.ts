import type { WeighedPair } from './weighed-pairs.ts';

/** How often one may be wrong, as shares; what lies between is asked. */
export interface WantedErrors {
  /** Of the pairs taken as the same, at most this share are two. */
  readonly wronglySame: number;
  /** No pair less sure than this is taken as the same by itself, however good all are together. */
  readonly leastSure: number;
  /** Of the true pairs, at most this share may be passed over as different. */
  readonly wronglyDifferent: number;
  /** At most so many questions for each record. */
  readonly mostAsked: number;
}

/** What people usually want: one in twenty doubtful, few questions. */
export const usualErrors: WantedErrors = { wronglySame: 0.1, leastSure: 0.5, wronglyDifferent: 0.01, mostAsked: 0.08 };

/** A pair less likely than this isn't worth a question, however few there are. */
const leastWorth = 0.1;

/** Three zones of probability: from `same` on it is one, below `ask` it is two, between one asks. */
export interface Zones {
  readonly same: number;
  readonly ask: number;
}

/**
 * Zones for wanted error rates (after Fellegi and Sunter's decision rule, with the probabilities
 * that the model gives): the mean probability above a line is the share of true pairs above it.
 *
 * @param probabilities - of the pairs that blocking found
 */
export function zonesFor(probabilities: ArrayLike<number>, records: number, wanted: WantedErrors = usualErrors): Zones {
  const sorted = Float64Array.from(probabilities).sort().reverse();
  const all = sorted.reduce((sum, one) => sum + one, 0);
  let wrong = 0;
  let same = 1;
  let above = 0;
  let isTooWrong = false;
  for (const [index, one] of sorted.entries()) {
    if (one < wanted.leastSure) break;
    wrong += 1 - one;
    isTooWrong = wrong > wanted.wronglySame * (index + 1);
    if (isTooWrong) break;
    same = one;
    above = index + 1;
  }
  // Nothing stands between the last pair taken and the least that may be: the line lies there.
  if (above > 0 && !isTooWrong) same = wanted.leastSure;
  let lost = all - sorted.subarray(0, above).reduce((sum, one) => sum + one, 0);
  let ask = same;
  for (let index = above; index < sorted.length; index++) {
    if ((sorted[index] as number) < leastWorth) break;
    if (lost <= wanted.wronglyDifferent * all || index - above >= wanted.mostAsked * records) break;
    ask = sorted[index] as number;
    lost -= ask;
  }
  return { same, ask };
}

/** What is done about a pair. */
export type MatchVerdict = 'same' | 'ask' | 'different';

/** The zone that a probability lies in. */
export function verdictOf(probability: number, { same, ask }: Zones): MatchVerdict {
  return probability >= same ? 'same' : probability >= ask ? 'ask' : 'different';
}

/** How a record to be found compares with those it may be. */
export interface Choice<T> {
  readonly verdict: 'found' | 'none' | 'unclear';
  /** The one it is, when it was found. */
  readonly found?: T;
  /** Those worth showing, the likeliest first, with the share of probability that is each's. */
  readonly candidates: readonly { readonly candidate: T; readonly probability: number }[];
  /** How likely it is none of them. */
  readonly somebodyNew: number;
}

/**
 * Which candidate a record is, when it can be one at most. The candidates and "somebody new" share
 * one whole: their odds are set against each other, so that two candidates who are equally alike
 * leave each other less than a half, however sure each looks alone.
 */
export function choose<T>(
  weighed: readonly { readonly candidate: T; readonly probability: number }[],
  zones: Zones,
): Choice<T> {
  const odds = weighed.map(({ candidate, probability }) => {
    const sure = Math.min(probability, 1 - 1e-12);
    return { candidate, odds: sure / (1 - sure) };
  });
  const sum = odds.reduce((total, one) => total + one.odds, 1);
  const candidates = odds
    .map((one) => ({ candidate: one.candidate, probability: one.odds / sum }))
    .sort((a, b) => b.probability - a.probability);
  const shown = candidates.filter(({ probability }) => probability >= Math.min(0.02, zones.ask));
  const best = candidates[0];
  const somebodyNew = 1 / sum;
  if (best && best.probability >= zones.same)
    return { verdict: 'found', found: best.candidate, candidates: shown, somebodyNew };
  const likeliest = weighed.reduce((most, { probability }) => Math.max(most, probability), 0);
  return { verdict: likeliest >= zones.ask ? 'unclear' : 'none', candidates: shown, somebodyNew };
}

/** Pairs of a table with what to do about each. */
export interface DecidedPair extends WeighedPair {
  readonly verdict: 'same' | 'ask';
}

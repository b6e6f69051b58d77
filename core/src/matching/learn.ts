import type { Comparison } from './levels.ts';
import { classCount, type LevelChances, type MatchModel, PairClass, Weigher } from './model.ts';

/** Pairs with what they came to, row by row: one level and one share for each comparison. */
export interface ComparedPairs {
  readonly count: number;
  readonly levels: Uint8Array;
  readonly shares: Float64Array;
  /** How many pairs each of them stands for. */
  readonly standsFor: number;
}

/** Fewer pairs than this teach nothing: the fixed weights stand. */
export const fewestPairs = 400;

/**
 * What is expected of chance weighs as much as so many pairs drawn at random: a level that none of a
 * few hundred shows isn't impossible.
 */
const trustInGuess = 200;

/** That colleagues and families share what tells where they are as truly as one person does, weighs as much as so many of their pairs. */
const trustInPlace = 200;

/** How fast that floor falls with each pair that was looked at. */
const floorFalls = 20;

function normalised(values: readonly number[]): number[] {
  const sum = values.reduce((total, value) => total + value, 0);
  return values.map((value) => value / sum);
}

/** Chances of levels from how often each was seen, held near `before` by as many pairs as `trust`. */
function settled(counts: ArrayLike<number>, before: readonly number[], trust: number): number[] {
  // Levels 0 and 1 are empty: they bear on nothing, so only the others are counted.
  const values = before.map((chance, level) => (level < 2 ? 0 : (counts[level] ?? 0) + trust * chance));
  return normalised(values).map((chance, level) => (level < 2 ? 1 : Math.max(chance, 1e-7)));
}

function filledLevels(chances: readonly number[]): number[] {
  return normalised(chances.map((chance, level) => (level < 2 ? 0 : Math.max(chance, 1e-6))));
}

/** How often each level of each comparison is seen; pair `n` counts as much as `weights[n * step + from]`. */
function count(
  pairs: ComparedPairs,
  comparisons: readonly Comparison[],
  weights: Float64Array,
  step = 1,
  from = 0,
): Float64Array[] {
  const width = comparisons.length;
  const counts = comparisons.map(({ levels }) => new Float64Array(levels.length));
  for (let pair = 0; pair < pairs.count; pair++) {
    const weight = weights[pair * step + from] as number;
    if (weight < 1e-9) continue;
    for (let one = 0; one < width; one++) {
      const seen = counts[one] as Float64Array;
      const level = pairs.levels[pair * width + one] as number;
      seen[level] = (seen[level] as number) + weight;
    }
  }
  return counts;
}

/**
 * The model before any data: what is expected of each level in true pairs, and in pairs that have
 * nothing to do with each other. These are the fixed weights for tables too small to learn from.
 *
 * @param share - of all pairs that are expected to be true ones
 * @param random - compared random pairs, to learn better what chance does
 */
export function fixedModel(comparisons: readonly Comparison[], share: number, random?: ComparedPairs): MatchModel {
  const counts = random && count(random, comparisons, new Float64Array(random.count).fill(1));
  return {
    comparisons: comparisons.map((comparison, one): LevelChances => {
      const same = filledLevels(comparison.levels.map(({ expected }) => expected)).map((chance, level) =>
        level < 2 ? 1 : chance,
      );
      const guess = filledLevels(comparison.levels.map(({ byChance }) => byChance));
      const seen = settled(counts ? (counts[one] as Float64Array) : [], guess, counts ? trustInGuess : 1);
      // Where a pair's share is the chance itself there is nothing to be seen in others.
      // What no pair has shown isn't believed rarer than so few pairs can tell: in a place that is still
      // empty nobody knows yet whether its numbers stand in one block. The same value is judged by its rarity.
      const floor = 1 / (trustInGuess + (random?.count ?? 0) * floorFalls);
      const chances = seen.map((chance, level) => {
        const known = comparison.levels[level];
        if (known?.usualShare !== undefined) return guess[level] as number;
        return level > 2 && !known?.isByRarity && known?.bearing === 'agrees' ? Math.max(chance, floor) : chance;
      });
      return {
        key: comparison.key,
        same,
        other: chances,
        // One family has its name in common, and the place, as truly as one person's two records.
        kin: comparison.key === 'family_name' ? same : chances,
        random: chances,
        usualShare: comparison.levels.map((level) => level.usualShare ?? 0),
      };
    }),
    priors: priorsOf(comparisons, share),
    learntFrom: 0,
  };
}

/** Of the records, as many pairs as this share are expected to be the same, before any are weighed. */
const expectedDoubles = 0.2;

/** The model that learning starts from: fixed weights, with what random pairs show of chance. */
export function startingModel(
  comparisons: readonly Comparison[],
  random: ComparedPairs,
  records: number,
  allPairs: number,
): MatchModel {
  return fixedModel(comparisons, Math.min(0.2, (expectedDoubles * records) / Math.max(1, allPairs)), random);
}

/**
 * Learns a model from the table itself, without labels, by expectation–maximisation (Dempster,
 * Laird and Rubin, 1977; for record linkage Winkler, 1988). Chances of random pairs come from pairs
 * drawn at random, everything else from the candidates of blocking; pairs that blocking left out
 * count as unrelated.
 *
 * @param candidates - compared pairs that blocking found, or a sample of those that look related
 * @param random - compared pairs drawn at random
 * @param start - where to start from
 * @param allPairs - how many pairs the table has
 */
export function learnModel(
  comparisons: readonly Comparison[],
  candidates: ComparedPairs,
  random: ComparedPairs,
  start: MatchModel,
  allPairs: number,
  rounds = 20,
): MatchModel {
  if (candidates.count < fewestPairs) return learnPriors(start, comparisons, candidates, allPairs);
  const alike = new Float64Array(candidates.count).fill(1);
  let model: MatchModel = {
    ...start,
    comparisons: start.comparisons.map((chances, one) => ({
      ...chances,
      usualShare: averageShares(candidates, comparisons, one, alike),
    })),
  };
  const unrelated = new Float64Array(random.count).fill(1);
  const doubtful = doubtfulPairs(random, comparisons, start);
  for (let round = 1; round <= rounds; round++)
    model = improve(model, comparisons, candidates, random, allPairs, start, unrelated, doubtful, round === rounds);
  return { ...model, learntFrom: candidates.count };
}

/** Random pairs that are not plainly unrelated; the others needn't be weighed again and again. */
function doubtfulPairs(random: ComparedPairs, comparisons: readonly Comparison[], start: MatchModel): number[] {
  const weigher = new Weigher(comparisons, start);
  const doubtful: number[] = [];
  for (let pair = 0; pair < random.count; pair++) {
    weigher.weigh(random.levels, random.shares, pair * comparisons.length);
    if ((weigher.posterior[PairClass.unrelated] as number) < 0.99999) doubtful.push(pair);
  }
  return doubtful;
}

/** How common two of one place, and one family in one place, are beside pairs that are one, before any data. */
const [placeBesideMatch, kinBesideMatch] = [0.15, 0.3];

/**
 * How common two of one name in two places are beside pairs that are one: a record has at most one match
 * in a table, but the more namesakes the larger the table is (from tables of 50 to 10,000 contacts).
 */
const namesakesBesideMatch = (share: number): number => Math.min(0.6, 0.05 + 0.5 / share / 3000);

/** Shares for all related classes that the fields can tell apart. */
function priorsOf(comparisons: readonly Comparison[], share: number): MatchModel['priors'] {
  const hasBoth =
    comparisons.some(({ aspect }) => aspect === 'who') && comparisons.some(({ aspect }) => aspect === 'where');
  const hasFamilies = hasBoth && comparisons.some(({ key }) => key === 'family_name');
  if (!hasBoth) return [share, 0, 0, 0];
  return [
    share,
    share * placeBesideMatch,
    hasFamilies ? share * kinBesideMatch : 0,
    share * namesakesBesideMatch(share),
  ];
}

/** Fixed weights, with the share of true pairs learnt: that much a few pairs can teach. */
function learnPriors(
  start: MatchModel,
  comparisons: readonly Comparison[],
  candidates: ComparedPairs,
  allPairs: number,
): MatchModel {
  let model = start;
  for (let round = 0; round < 10; round++) {
    const weigher = new Weigher(comparisons, model);
    const sums = model.priors.map((prior) => prior * allPairs * 0.1);
    for (let pair = 0; pair < candidates.count; pair++) {
      weigher.weigh(candidates.levels, candidates.shares, pair * comparisons.length);
      for (let one = 0; one < sums.length; one++)
        sums[one] = (sums[one] as number) + (weigher.posterior[one] as number);
    }
    const [match, place, kin, name] = sums.map((sum, one) =>
      model.priors[one] === 0 ? 0 : Math.min(0.3, Math.max(0.5, sum) / allPairs),
    ) as [number, number, number, number];
    model = { ...model, priors: [match, place, kin, name] };
  }
  return model;
}

/** How common agreed values are on average, by level, over weighted pairs. */
function averageShares(
  pairs: ComparedPairs,
  comparisons: readonly Comparison[],
  one: number,
  classes: Float64Array,
  step = 1,
  from = 0,
): number[] {
  const { levels } = comparisons[one] as Comparison;
  const sums = levels.map(() => 0);
  const weights = levels.map(() => 0);
  for (let pair = 0; pair < pairs.count; pair++) {
    const at = pair * comparisons.length + one;
    const level = pairs.levels[at] as number;
    if (!levels[level]?.isByRarity) continue;
    const weight = classes[pair * step + from] as number;
    sums[level] = (sums[level] as number) + weight * (pairs.shares[at] as number);
    weights[level] = (weights[level] as number) + weight;
  }
  return sums.map((sum, level) =>
    (weights[level] as number) > 1 ? sum / (weights[level] as number) : (levels[level]?.usualShare ?? 0),
  );
}

/** One round: how likely each pair is each class under the model, and the model that fits that best. */
function improve(
  model: MatchModel,
  comparisons: readonly Comparison[],
  candidates: ComparedPairs,
  random: ComparedPairs,
  allPairs: number,
  start: MatchModel,
  /** How likely each random pair is unrelated, kept from round to round. */
  unrelated: Float64Array,
  /** Random pairs that may be anything else. */
  doubtful: readonly number[],
  /**
   * Only in the last round it is learnt how far colleagues and families share what tells where they are:
   * learnt from the first, the classes change places with each other.
   */
  isLast: boolean,
): MatchModel {
  const weigher = new Weigher(comparisons, model);
  const classes = new Float64Array(candidates.count * classCount);
  const sums = new Float64Array(classCount);
  for (let pair = 0; pair < candidates.count; pair++) {
    weigher.weigh(candidates.levels, candidates.shares, pair * comparisons.length);
    classes.set(weigher.posterior, pair * classCount);
    for (let one = 0; one < classCount; one++) sums[one] = (sums[one] as number) + (weigher.posterior[one] as number);
  }
  for (const pair of doubtful) {
    weigher.weigh(random.levels, random.shares, pair * comparisons.length);
    unrelated[pair] = weigher.posterior[PairClass.unrelated] as number;
  }
  const { match, samePlace, kin, sameName } = PairClass;
  const byMatch = count(candidates, comparisons, classes, classCount, match);
  const byPlace = count(candidates, comparisons, classes, classCount, samePlace);
  const byKin = count(candidates, comparisons, classes, classCount, kin);
  const byName = count(candidates, comparisons, classes, classCount, sameName);
  const byChance = count(random, comparisons, unrelated);
  const prior = (one: number): number =>
    Math.min(0.3, Math.max(1, (sums[one] as number) * candidates.standsFor) / allPairs);
  return {
    priors: [
      prior(match),
      model.priors[1] > 0 ? prior(samePlace) : 0,
      model.priors[2] > 0 ? prior(kin) : 0,
      model.priors[3] > 0 ? prior(sameName) : 0,
    ],
    learntFrom: model.learntFrom,
    comparisons: comparisons.map((comparison, one): LevelChances => {
      const isWho = comparison.aspect === 'who';
      const before = start.comparisons[one] as LevelChances;
      const pick = (counts: Float64Array[]): Float64Array => counts[one] as Float64Array;
      const same = settled(pick(byMatch), filledLevels(before.same), 30);
      const chance = settled(pick(byChance), filledLevels(before.random), 5);
      chance[2] = Math.max(chance[2] as number, comparison.leastByChance?.() ?? 0);
      return {
        key: comparison.key,
        same,
        kin: settled(isWho ? pick(byKin) : pick(byName), filledLevels(chance), 50),
        other: settled(isWho ? pick(byPlace) : pick(byName), filledLevels(chance), 50),
        random: chance,
        ...(isLast &&
          !isWho && {
            inPlace: {
              place: settled(pick(byPlace), filledLevels(same), trustInPlace),
              kin: settled(pick(byKin), filledLevels(same), trustInPlace),
            },
          }),
        usualShare: averageShares(candidates, comparisons, one, classes, classCount, match),
      };
    }),
  };
}

import { Candidates, type PassFigures } from './blocking.ts';
import { calibrationOf } from './calibrate.ts';
import { cluster } from './cluster.ts';
import { type DecidedPair, usualErrors, type WantedErrors, type Zones, zonesFor } from './decide.ts';
import { type ComparedPairs, learnModel, startingModel } from './learn.ts';
import { type MatchModel, PairClass, Weigher } from './model.ts';
import { comparePairs, mixedNumbers } from './pairs.ts';
import type { MatchTable } from './table.ts';
import { withThirds } from './thirds.ts';
import { GrowingPairs, type WeighedPairs } from './weighed-pairs.ts';

/** How far a search is. */
export interface SearchProgress {
  readonly phase: 'finding pairs' | 'learning weights' | 'weighing pairs' | 'grouping';
  readonly done: number;
  readonly of: number;
}

/** What was compared, for people to judge how thorough it was. */
export interface SearchFigures {
  readonly records: number;
  readonly comparedPairs: number;
  /** Of all the pairs there are. */
  readonly shareOfPairs: number;
  /** Share of true pairs that no pass has brought together, as estimated. */
  readonly estimatedLoss: number;
  readonly passes: readonly PassFigures[];
}

/** Duplicates of a table. */
export interface Duplicates {
  /** Pairs that are the same (all pairs within a cluster) or must be asked, by probability. */
  readonly pairs: readonly DecidedPair[];
  /** What blocking found, with what third records say of each pair; hopeless ones left out. */
  readonly weighed: WeighedPairs;
  /** The cluster of each record; every record has one. */
  readonly clusters: Int32Array;
  readonly model: MatchModel;
  readonly zones: Zones;
  readonly figures: SearchFigures;
}

/** What may be chosen about a search. */
export interface SearchOptions {
  readonly wanted?: WantedErrors;
  /** Weights to use instead of learning them. */
  readonly model?: MatchModel;
  /** Two that somebody said are different; two with conflicting tax numbers are kept apart anyway. */
  readonly mustNotLink?: (a: number, b: number) => boolean;
}

/** Pairs to learn from; more don't teach much more. */
const learnFrom = 25_000;
const randomPairs = 25_000;
/** Pairs less likely than this are forgotten at once. */
const leastKept = 0.02;
/** Records between two words of progress. */
const stride = 500;

/** Pairs drawn at random; `side` as in `Candidates`. */
function drawPairs(table: MatchTable, side: number): ComparedPairs {
  const next = mixedNumbers(20_250_101);
  const order = table.inOrder(side);
  const all = side === 0 ? (table.size * (table.size - 1)) / 2 : side * (table.size - side);
  const wanted = Math.min(randomPairs, all);
  const pairs: [number, number][] = [];
  while (pairs.length < wanted) {
    const a = side === 0 ? next(table.size) : next(side);
    const b = side === 0 ? next(table.size) : side + next(table.size - side);
    if (a !== b) pairs.push([order[a] as number, order[b] as number]);
  }
  return comparePairs(table, pairs, 1);
}

/** Pairs surer than this to have nothing to do with each other, by fixed weights, teach nothing of those that have. */
const surelyUnrelated = 0.9995;

/**
 * Candidates worth learning from, of records spread over the whole table, until there are enough.
 * Most candidates are plainly unrelated, so that a sample of all of them would hold too few families
 * and colleagues to tell them from one person's records.
 */
function samplePairs(table: MatchTable, candidates: Candidates, start: MatchModel): ComparedPairs {
  const next = mixedNumbers(7);
  const order = table.inOrder();
  const weigher = new Weigher(table.comparisons, start);
  const width = table.comparisons.length;
  const room = table.room();
  const levels = new Uint8Array(learnFrom * width);
  const shares = new Float64Array(learnFrom * width);
  let count = 0;
  let taken = 0;
  for (; taken < order.length && count < learnFrom; taken++) {
    const other = taken + next(order.length - taken);
    const record = order[other] as number;
    order[other] = order[taken] as number;
    for (const second of candidates.after(record)) {
      table.compare(record, second, room);
      weigher.weigh(room.levels, room.shares);
      if ((weigher.posterior[PairClass.unrelated] as number) > surelyUnrelated || count === learnFrom) continue;
      levels.set(room.levels, count * width);
      shares.set(room.shares, count * width);
      count += 1;
    }
  }
  return { count, levels, shares, standsFor: table.size / Math.max(1, taken) };
}

function learn(table: MatchTable, candidates: Candidates, side: number, allPairs: number): MatchModel {
  const random = drawPairs(table, side);
  const start = startingModel(table.comparisons, random, table.size, allPairs);
  return learnModel(table.comparisons, samplePairs(table, candidates, start), random, start, allPairs);
}

/** Sums come out otherwise in the last digits when they are taken in another order: those decide nothing. */
const told = (probability: number): number => Math.round(probability * 1e9) / 1e9;

/** What weighing all candidates came to. */
export interface Weighed {
  readonly kept: WeighedPairs;
  readonly model: MatchModel;
  readonly weigher: Weigher;
  readonly figures: SearchFigures;
}

/**
 * Learns weights and weighs all candidates of a table, telling how far it is; the caller may stop
 * between any two steps.
 */
export function* weighCandidates(
  table: MatchTable,
  side: number,
  given: MatchModel | undefined,
): Generator<SearchProgress, Weighed> {
  yield { phase: 'finding pairs', done: 0, of: table.size };
  const candidates = new Candidates(table, side);
  yield { phase: 'learning weights', done: 0, of: 1 };
  const allPairs = side === 0 ? (table.size * (table.size - 1)) / 2 : side * (table.size - side);
  const model = given ?? learn(table, candidates, side, allPairs);
  const weigher = new Weigher(table.comparisons, model, table.subject === 'people');
  const room = table.room();
  const ways = new Uint8Array(table.size);
  const growing = new GrowingPairs();
  let compared = 0;
  let foundOnce = 0;
  let foundTwice = 0;
  const last = side === 0 ? table.size : side;
  for (let record = 0; record < last; record++) {
    if (record % stride === 0) yield { phase: 'weighing pairs', done: record, of: last };
    for (const other of candidates.after(record, ways)) {
      compared += 1;
      table.compareWho(record, other, room);
      if (weigher.mostPossible(room.levels, room.shares) < leastKept) continue;
      table.compareWhere(record, other, room);
      const probability = told(weigher.weigh(room.levels, room.shares));
      if (probability < leastKept) continue;
      growing.push(record, other, probability);
      if (ways[other] === 1) foundOnce += probability;
      if (ways[other] === 2) foundTwice += probability;
    }
  }
  const kept = growing.all();
  const matches = kept.probability.reduce((sum, probability) => sum + probability, 0);
  // Chao's estimate of what was found by no pass, from what was found by one and by two (Chao, 1987).
  const missed = (foundOnce * foundOnce) / (2 * Math.max(1, foundTwice));
  return {
    kept,
    model,
    weigher,
    figures: {
      records: table.size,
      comparedPairs: compared,
      shareOfPairs: allPairs === 0 ? 0 : compared / allPairs,
      estimatedLoss: matches === 0 ? 0 : missed / (matches + missed),
      passes: candidates.passes,
    },
  };
}

/**
 * Finds the duplicates of a table: blocks, learns weights from the table itself, weighs, groups and
 * decides. A generator that says how far it is; to stop it, don't ask on.
 */
export function* findDuplicates(table: MatchTable, options: SearchOptions = {}): Generator<SearchProgress, Duplicates> {
  const { kept: asWeighed, model, weigher, figures } = yield* weighCandidates(table, 0, options.model);
  const calibrated = calibrationOf(table.size, asWeighed);
  const alone = asWeighed.reweighed((probability) => told(calibrated(probability)));
  const kept = withThirds(table.size, alone);
  yield { phase: 'grouping', done: 0, of: 1 };
  const room = table.room();
  const probabilityOf = (a: number, b: number): number => {
    table.compare(a, b, room);
    return told(calibrated(weigher.weigh(room.levels, room.shares)));
  };
  const zones = zonesFor(kept.probability, table.size, options.wanted ?? usualErrors);
  const clusters = cluster(table.size, alone, {
    probabilityOf,
    line: zones.same,
    order: table.inOrder(),
    mustNotLink: (a, b) => table.conflicts(a, b) || options.mustNotLink?.(a, b) === true,
  });
  return { pairs: decidePairs(kept, clusters, zones, probabilityOf), weighed: kept, clusters, model, zones, figures };
}

/** All pairs within clusters as the same, and likely ones between clusters as to be asked. */
function decidePairs(
  kept: WeighedPairs,
  clusters: Int32Array,
  zones: Zones,
  probabilityOf: (a: number, b: number) => number,
): DecidedPair[] {
  const decided: DecidedPair[] = [];
  const within = new Set<number>();
  for (const pair of kept) {
    if (clusters[pair.a] === clusters[pair.b]) {
      decided.push({ ...pair, verdict: 'same' });
      within.add(pair.a * clusters.length + pair.b);
    } else if (pair.probability >= zones.ask) decided.push({ ...pair, verdict: 'ask' });
  }
  // Pairs that are one by way of others.
  for (const group of groupsOf(clusters))
    for (const [index, a] of group.entries())
      for (const b of group.slice(index + 1))
        if (!within.has(a * clusters.length + b))
          decided.push({ a, b, probability: probabilityOf(a, b), verdict: 'same' });
  return decided.sort((x, y) => y.probability - x.probability || x.a - y.a || x.b - y.b);
}

/** The records of each cluster that has more than one, in order. */
export function groupsOf(clusters: Int32Array): number[][] {
  const groups = new Map<number, number[]>();
  for (let record = 0; record < clusters.length; record++) {
    const number = clusters[record] as number;
    const group = groups.get(number);
    if (group) group.push(record);
    else groups.set(number, [record]);
  }
  return [...groups.values()].filter(({ length }) => length > 1);
}

/** Runs a generator to its end, handing on each word of progress. */
export function runSearch<T>(
  search: Generator<SearchProgress, T>,
  heard: (progress: SearchProgress) => void = () => {},
): T {
  for (;;) {
    const step = search.next();
    if (step.done) return step.value;
    heard(step.value);
  }
}

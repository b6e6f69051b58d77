import { Candidates, type MatchModel, type MatchTable, Weigher } from '@golden/core';

/** How a learner with labels does on records that it has not learnt from. */
export interface Ceiling {
  readonly precision: number;
  readonly recall: number;
  readonly f1: number;
  readonly learntFrom: number;
}

interface Example {
  readonly a: number;
  readonly b: number;
  readonly features: readonly number[];
  readonly isTrue: boolean;
}

/** Passes over the examples; more changed nothing. */
const passes = 30;
const rate = 0.15;
const shrink = 1e-6;

/**
 * The ceiling for a table: logistic regression over each level of each comparison and each two of them
 * together, learnt with labels from the pairs of every other person, scored on those of the others. The line is
 * the best one for what it has learnt from. What our own model finds without labels is to be seen beside it.
 *
 * @param entities - who each record is
 */
export function ceiling(table: MatchTable, entities: readonly string[], model: MatchModel): Ceiling {
  const halves = halvesOf(entities);
  const pairs = examples(table, entities, model);
  const within = (half: number) => pairs.filter(({ a, b }) => halves[a] === half && halves[b] === half);
  const [learnt, kept] = [within(0), within(1)];
  const weights = regression(learnt);
  const line = bestLine(learnt.map((one) => ({ score: scoreOf(weights, one.features), isTrue: one.isTrue })));
  const same = kept.filter((one) => scoreOf(weights, one.features) >= line);
  const right = same.filter(({ isTrue }) => isTrue).length;
  const all = pairsOf(entities.filter((_, at) => halves[at] === 1));
  return {
    precision: right / same.length,
    recall: right / all,
    f1: (2 * right) / (same.length + all),
    learntFrom: learnt.length,
  };
}

/** Half of the people, each with all of their records. */
function halvesOf(entities: readonly string[]): number[] {
  const half = new Map<string, number>();
  for (const entity of entities) if (!half.has(entity)) half.set(entity, half.size % 2);
  return entities.map((entity) => half.get(entity) as number);
}

function pairsOf(entities: readonly string[]): number {
  const counts = new Map<string, number>();
  for (const entity of entities) counts.set(entity, (counts.get(entity) ?? 0) + 1);
  return [...counts.values()].reduce((sum, count) => sum + (count * (count - 1)) / 2, 0);
}

/** Pairs that blocking finds and that aren't hopeless, with what they come to as features. */
function examples(table: MatchTable, entities: readonly string[], model: MatchModel): Example[] {
  const candidates = new Candidates(table, 0);
  const weigher = new Weigher(table.comparisons, model, table.subject === 'people');
  const room = table.room();
  // Where each comparison's levels stand among the features.
  const offsets: number[] = [];
  let width = 0;
  for (const { levels } of table.comparisons) {
    offsets.push(width);
    width += levels.length;
  }
  const out: Example[] = [];
  for (let a = 0; a < table.size; a++)
    for (const b of candidates.after(a)) {
      table.compare(a, b, room);
      if (weigher.weigh(room.levels, room.shares) < 1e-4) continue;
      const single = table.comparisons.map((_, at) => (offsets[at] as number) + (room.levels[at] as number));
      const both = single.flatMap((one, at) => single.slice(at + 1).map((two) => width + one * width + two));
      out.push({ a, b, features: [...single, ...both], isTrue: entities[a] === entities[b] });
    }
  return out;
}

const scoreOf = (weights: ReadonlyMap<number, number>, features: readonly number[]): number =>
  features.reduce((sum, feature) => sum + (weights.get(feature) ?? 0), weights.get(-1) ?? 0);

/** Logistic regression by stochastic gradient descent with steps by feature (Duchi, Hazan and Singer, 2011). */
function regression(learnt: readonly Example[]): Map<number, number> {
  const weights = new Map<number, number>();
  const squares = new Map<number, number>();
  for (let pass = 0; pass < passes; pass++)
    for (let step = 0; step < learnt.length; step++) {
      // Another order at each pass, the same in each run.
      const { features, isTrue } = learnt[(step * 7919 + pass * 104_729) % learnt.length] as Example;
      const error = (isTrue ? 1 : 0) - 1 / (1 + Math.exp(-scoreOf(weights, features)));
      for (const feature of [...features, -1]) {
        const gradient = error - shrink * (weights.get(feature) ?? 0);
        const square = (squares.get(feature) ?? 1e-3) + gradient * gradient;
        squares.set(feature, square);
        weights.set(feature, (weights.get(feature) ?? 0) + (rate * gradient) / Math.sqrt(square));
      }
    }
  return weights;
}

/** The score above which F1 is best. */
function bestLine(scored: readonly { readonly score: number; readonly isTrue: boolean }[]): number {
  const sorted = [...scored].sort((x, y) => y.score - x.score);
  const all = scored.filter(({ isTrue }) => isTrue).length;
  let right = 0;
  let best = { f1: 0, line: Number.POSITIVE_INFINITY };
  for (const [at, { score, isTrue }] of sorted.entries()) {
    if (isTrue) right += 1;
    const f1 = (2 * right) / (at + 1 + all);
    if (f1 > best.f1) best = { f1, line: score };
  }
  return best.line;
}

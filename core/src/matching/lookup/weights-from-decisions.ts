import type { Comparison } from '../levels.ts';
import type { LevelChances, MatchModel } from '../model.ts';
import type { Evidence } from './ladder.ts';

/** A candidate that a person decided on, by what spoke for and against it. */
export interface DecidedEvidence {
  readonly evidence: readonly Evidence[];
  readonly isSame: boolean;
}

/** A level that says something else by the new weights, in bits. */
export interface WeightChange {
  readonly label: string;
  readonly level: string;
  readonly before: number;
  readonly after: number;
}

/** So many decisions weigh as much as what was known before them. */
const trust = 20;

/**
 * Weights moved by a person's decisions: each chosen candidate counts its levels among those of
 * pairs that are one, each refused one among those of look-alikes. What was known before keeps the
 * weight of twenty decisions (a Dirichlet prior), so that a few don't turn everything over.
 *
 * @returns the new weights and what they change, the greatest change first
 */
export function weightsFromDecisions(
  comparisons: readonly Comparison[],
  model: MatchModel,
  decided: readonly DecidedEvidence[],
): { readonly model: MatchModel; readonly changes: readonly WeightChange[] } {
  const moved = model.comparisons.map((chances, at): LevelChances => {
    const comparison = comparisons[at];
    if (!comparison) return chances;
    const counts = (isSame: boolean): number[] =>
      comparison.levels.map(
        (level) =>
          decided.filter(
            (one) =>
              one.isSame === isSame &&
              one.evidence.some((said) => said.label === comparison.label && said.level === level.name),
          ).length,
      );
    const same = updated(chances.same, counts(true));
    const other = updated(chances.other, counts(false));
    const next = { ...chances, same, other, random: mixedWith(chances.random, other, counts(false)) };
    return next;
  });
  const next = { ...model, comparisons: moved, learntFrom: model.learntFrom + decided.length };
  return { model: next, changes: weightChanges(comparisons, model, next) };
}

/** What other weights of the same comparisons say otherwise, level by level, the greatest change first. */
export function weightChanges(
  comparisons: readonly Comparison[],
  before: MatchModel,
  after: MatchModel,
): readonly WeightChange[] {
  const changes = comparisons.flatMap((comparison, at) =>
    comparison.levels.flatMap(({ name }, level): WeightChange[] => {
      const [one, other] = [before.comparisons[at], after.comparisons[at]];
      if (level < 2 || !one || !other) return [];
      const change = { label: comparison.label, level: name, before: bitsOf(one, level), after: bitsOf(other, level) };
      return Math.abs(change.before - change.after) >= 0.3 ? [change] : [];
    }),
  );
  return changes.sort((x, y) => Math.abs(y.after - y.before) - Math.abs(x.after - x.before));
}

/** Levels 0 and 1 are empty and bear on nothing. */
function updated(chances: readonly number[], counts: readonly number[]): number[] {
  const told = counts.reduce((sum, count, level) => sum + (level < 2 ? 0 : count), 0);
  return chances.map((chance, level) =>
    level < 2 ? chance : (chance * trust + (counts[level] as number)) / (trust + told),
  );
}

/** Look-alikes that a person refused are rarer than strangers: they move what chance does by a tenth only. */
function mixedWith(random: readonly number[], other: readonly number[], counts: readonly number[]): number[] {
  const isTold = counts.some((count, level) => level > 1 && count > 0);
  return random.map((chance, level) => (level < 2 || !isTold ? chance : chance * 0.9 + (other[level] as number) * 0.1));
}

const bitsOf = (chances: LevelChances, level: number): number =>
  Math.round(Math.log2((chances.same[level] as number) / (chances.random[level] as number)) * 10) / 10;

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
  const changes: WeightChange[] = [];
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
    for (const [level, { name }] of comparison.levels.entries()) {
      if (level < 2) continue;
      const [before, after] = [bitsOf(chances, level), bitsOf(next, level)];
      if (Math.abs(before - after) >= 0.3) changes.push({ label: comparison.label, level: name, before, after });
    }
    return next;
  });
  changes.sort((x, y) => Math.abs(y.after - y.before) - Math.abs(x.after - x.before));
  return { model: { ...model, comparisons: moved, learntFrom: model.learntFrom + decided.length }, changes };
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

import type { Comparison } from '../levels.ts';
import type { LevelChances, MatchModel } from '../model.ts';

/** What a comparison is of: its kind, and the paths of its fields in their order. */
function subjectOf(key: string, paths: readonly string[]): { kind: string; about: string } {
  const [kind = '', positions = ''] = key.split(':');
  const about = positions
    .split('+')
    .flatMap((at) => (at === '' ? [] : [paths[Number(at)] ?? '']))
    .join('\n');
  return { kind, about };
}

/**
 * Weights that were learnt over other fields of the same place, laid out for these: a comparison takes
 * the chances of the one that is of the same fields, or the only one of its kind; what was not compared
 * then keeps its fixed chances. Weights of the very same layout are given as they are.
 *
 * @param paths - of the fields that the comparisons are of
 */
export function fittedModel(
  model: MatchModel,
  comparisons: readonly Comparison[],
  paths: readonly string[],
  fixed: MatchModel,
): MatchModel {
  const learnt = model.fields ?? paths;
  const isSameLayout =
    model.fields === undefined || (learnt.length === paths.length && learnt.every((path, at) => path === paths[at]));
  if (isSameLayout && comparisons.every(({ key }, at) => model.comparisons[at]?.key === key)) return model;
  const known = model.comparisons.map((chances) => ({ chances, ...subjectOf(chances.key, learnt) }));
  return {
    ...model,
    comparisons: comparisons.map(({ key, levels }, at): LevelChances => {
      const { kind, about } = subjectOf(key, paths);
      const ofKind = known.filter((one) => one.kind === kind);
      const one = ofKind.find((other) => other.about === about) ?? (ofKind.length === 1 ? ofKind[0] : undefined);
      const own = fixed.comparisons[at] as LevelChances;
      return one && one.chances.same.length === levels.length ? { ...one.chances, key } : own;
    }),
  };
}

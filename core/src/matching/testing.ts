import type { MatchModel } from './model.ts';
import { proposeKinds } from './propose-kinds.ts';
import { MatchTable } from './table.ts';

/** A model of one comparison for which m and u are given: agreement is level 2, difference level 3. */
export function simpleModel(m: number, u: number, prior: number): MatchModel {
  const random = [1, 1, u, 1 - u];
  return {
    comparisons: [{ key: 'one', same: [1, 1, m, 1 - m], other: random, kin: random, random, usualShare: [0, 0, 0, 0] }],
    priors: [prior, 0, 0, 0],
    learntFrom: 0,
  };
}

/** A table of records given as objects, with kinds as proposed from them. */
export function tableOf(records: readonly Readonly<Record<string, string>>[]): MatchTable {
  const names = Object.keys(records[0] ?? {});
  const kinds = proposeKinds(names.map((name) => ({ name, values: records.map((record) => record[name] ?? '') })));
  const table = new MatchTable(names.map((name, at) => ({ name, kind: kinds[at]?.kind ?? 'text' })));
  for (const record of records) table.add(names.map((name) => record[name] ?? ''));
  return table;
}

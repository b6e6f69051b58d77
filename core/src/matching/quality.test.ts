import { readFileSync } from 'node:fs';
import { join } from 'node:path';
import { gunzipSync } from 'node:zlib';
import Papa from 'papaparse';
import { calibrationGap } from './calibrate.ts';
import type { DecidedPair } from './decide.ts';
import { type Duplicates, findDuplicates, runSearch } from './find-duplicates.ts';
import { matchTables } from './match-tables.ts';
import { proposeKinds } from './propose-kinds.ts';
import { MatchTable } from './table.ts';
import { tableOf } from './testing.ts';

// The bars of the project for data that are invented with labels, and for real names and addresses of
// the IEEE's public OUI listing, judged by reading (see core/testdata/matching). No label is used.

type Row = Readonly<Record<string, string>>;

function read(name: string): Row[] {
  const file = readFileSync(join(__dirname, '../../testdata/matching', `${name}.csv.gz`));
  return Papa.parse<Row>(gunzipSync(file).toString('utf8').trim(), { header: true }).data;
}

function judge(name: string): {
  found: Duplicates;
  isTrue: (pair: DecidedPair) => boolean;
  truePairs: number;
  size: number;
} {
  const rows = read(name);
  const truth = new Map(read(`${name}_truth`).map((row) => [row.rec_id as string, row.ent_id as string]));
  const entities = rows.map((row) => truth.get(row.rec_id as string) as string);
  const counts = new Map<string, number>();
  for (const entity of entities) counts.set(entity, (counts.get(entity) ?? 0) + 1);
  return {
    found: runSearch(findDuplicates(tableOf(rows))),
    isTrue: ({ a, b }) => entities[a] === entities[b],
    truePairs: [...counts.values()].reduce((sum, count) => sum + (count * (count - 1)) / 2, 0),
    size: rows.length,
  };
}

function scores({ found, isTrue, truePairs }: ReturnType<typeof judge>) {
  const same = found.pairs.filter(({ verdict }) => verdict === 'same');
  const asked = found.pairs.filter(({ verdict }) => verdict === 'ask');
  const right = same.filter(isTrue).length;
  const answered = asked.filter(isTrue).length;
  const [precision, recall] = [right / same.length, right / truePairs];
  return {
    f1: (2 * precision * recall) / (precision + recall),
    asked: asked.length,
    precisionAnswered: (right + answered) / (same.length + answered),
    recallAnswered: (right + answered) / truePairs,
  };
}

test('contacts_1k: aimed for .94', () => {
  expect(scores(judge('contacts_1k')).f1).toBeGreaterThan(0.94);
});

test('contacts_10k: .95 aimed for, few questions, and probabilities that mean what they say', () => {
  const judged = judge('contacts_10k');
  const { f1, asked, precisionAnswered, recallAnswered } = scores(judged);
  expect(f1).toBeGreaterThan(0.95);
  expect(asked).toBeLessThan(0.08 * judged.size);
  expect(precisionAnswered).toBeGreaterThan(0.97);
  expect(recallAnswered).toBeGreaterThan(0.9);
  expect(calibrationGap(judged.found.weighed, (pair) => judged.isTrue({ ...pair, verdict: 'same' }))).toBeLessThan(0.1);
  const { comparedPairs, estimatedLoss } = judged.found.figures;
  expect(comparedPairs).toBeLessThan(20 * judged.size);
  expect(estimatedLoss).toBeLessThan(0.02);
});

test('persons_10k: aimed for .93', () => {
  expect(scores(judge('persons_10k')).f1).toBeGreaterThan(0.93);
});

test('organisation_pairs: aimed for .95', () => {
  const rows = read('organisation_pairs');
  const [names, addresses] = [
    rows.flatMap((row) => [row.name_a, row.name_b]),
    rows.flatMap((row) => [row.address_a, row.address_b]),
  ];
  const kinds = proposeKinds([
    { name: 'name', values: names as string[] },
    { name: 'address', values: addresses as string[] },
  ]).map(({ kind }) => kind);
  expect(kinds).toEqual(['company', 'address']);
  const table = new MatchTable([
    { name: 'name', kind: 'company' },
    { name: 'address', kind: 'address' },
  ]);
  for (const row of rows) table.add([row.name_a as string, row.address_a as string]);
  for (const row of rows) table.add([row.name_b as string, row.address_b as string]);
  const { pairs } = runSearch(matchTables(table, rows.length));
  const same = new Set(pairs.flatMap(({ a, b, verdict }) => (a === b && verdict === 'same' ? [a] : [])));
  const right = rows.filter((row, at) => row.label === '1' && same.has(at)).length;
  const wanted = rows.filter((row) => row.label === '1').length;
  const f1 = (2 * right) / (same.size + wanted);
  expect(f1).toBeGreaterThan(0.95);
});

import { readFileSync } from 'node:fs';
import { join } from 'node:path';
import { performance } from 'node:perf_hooks';
import { gunzipSync } from 'node:zlib';
import {
  Candidates,
  type FieldKind,
  findDuplicates,
  fixedModel,
  MatchIndex,
  MatchTable,
  proposeKinds,
  runSearch,
} from '@golden/core';
import Papa from 'papaparse';
import jaroWinkler from 'talisman/metrics/jaro-winkler.js';
import { ceiling } from './ceiling.ts';

// Measurements of matching, each in a process of its own; the last line is JSON.

const [, , task = '', name = '', folder = ''] = process.argv;

type Row = Readonly<Record<string, string>>;

function read(file: string): Row[] {
  const text = gunzipSync(readFileSync(join(folder, `${file}.csv.gz`))).toString('utf8');
  return Papa.parse<Row>(text.trim(), { header: true }).data;
}

function entitiesOf(rows: readonly Row[]): string[] {
  const truth = new Map(read(`${name}_truth`).map((row) => [row['rec_id'] as string, row['ent_id'] as string]));
  return rows.map((row) => truth.get(row['rec_id'] as string) as string);
}

/** A table of records, with kinds as proposed from them: nothing is told about the columns. */
function tableOf(rows: readonly Row[]): MatchTable {
  const names = Object.keys(rows[0] ?? {});
  const kinds = proposeKinds(names.map((column) => ({ name: column, values: rows.map((row) => row[column] ?? '') })));
  const table = new MatchTable(names.map((column, at) => ({ name: column, kind: kinds[at]?.kind ?? 'text' })));
  for (const row of rows) table.add(names.map((column) => row[column] ?? ''));
  return table;
}

const withoutIds = (rows: readonly Row[]): Row[] => rows.map(({ rec_id: _, ...row }) => row);

/** A whole search: seconds, pairs compared, and how right it was. */
function search() {
  const rows = read(name);
  const started = performance.now();
  const found = runSearch(findDuplicates(tableOf(withoutIds(rows))));
  const seconds = (performance.now() - started) / 1000;
  const peakMb = process.resourceUsage().maxRSS / 1024;
  const entities = entitiesOf(rows);
  const same = found.pairs.filter(({ verdict }) => verdict === 'same');
  const right = same.filter(({ a, b }) => entities[a] === entities[b]).length;
  const all = truePairs(entities);
  return {
    seconds,
    peakMb,
    records: rows.length,
    comparedPairs: found.figures.comparedPairs,
    precision: right / same.length,
    recall: right / all,
    f1: (2 * right) / (same.length + all),
  };
}

function truePairs(entities: readonly string[]): number {
  const counts = new Map<string, number>();
  for (const entity of entities) counts.set(entity, (counts.get(entity) ?? 0) + 1);
  return [...counts.values()].reduce((sum, count) => sum + (count * (count - 1)) / 2, 0);
}

/** Seconds that a reference library takes for the likeness of every field of the same pairs, on one thread. */
function reference() {
  const rows = withoutIds(read(name));
  const table: MatchTable = tableOf(rows);
  const candidates = new Candidates(table, 0);
  const pairs: [number, number][] = [];
  for (let record = 0; record < table.size; record++)
    for (const other of candidates.after(record)) pairs.push([record, other]);
  const values = rows.map((row) => Object.values(row).map((value) => value.toLowerCase()));
  const width = Object.keys(rows[0] ?? {}).length;
  const started = performance.now();
  let sum = 0;
  for (const [a, b] of pairs)
    for (let field = 0; field < width; field++) sum += jaroWinkler(values[a]?.[field] ?? '', values[b]?.[field] ?? '');
  return { seconds: (performance.now() - started) / 1000, comparedPairs: pairs.length, sum };
}

/** Lookups in an index of 100,000 records: milliseconds each. */
function index() {
  const rows = withoutIds(read(name));
  const kinds: [string, FieldKind][] = [
    ['first_name', 'given_name'],
    ['last_name', 'family_name'],
    ['email', 'email'],
    ['phone', 'phone'],
    ['street', 'street'],
    ['city', 'city'],
    ['postcode', 'postcode'],
  ];
  const fields = kinds.map(([column, kind]) => ({ path: `/${column}`, label: column, kind }));
  const texts = (row: Row): string[] => kinds.map(([column]) => row[column] ?? '');
  const made = new MatchIndex(fields);
  const started = performance.now();
  const size = 100_000;
  for (let at = 0; at < size; at++) made.put(String(at), texts(rows[at % rows.length] as Row));
  const buildSeconds = (performance.now() - started) / 1000;
  const probes = rows.filter((_, at) => at % 97 === 0).slice(0, 600);
  made.propose(texts(probes[0] as Row));
  const times = (look: (row: Row) => unknown): number[] =>
    probes
      .map((row) => {
        const from = performance.now();
        look(row);
        return performance.now() - from;
      })
      .sort((a, b) => a - b);
  const at = (all: readonly number[], share: number): number => all[Math.floor(all.length * share)] as number;
  const exact = times((row) => made.exact(['/email'], texts(row)));
  const alike = times((row) => made.propose(texts(row)));
  return {
    buildSeconds,
    exactMedian: at(exact, 0.5),
    alikeMedian: at(alike, 0.5),
    alike95: at(alike, 0.95),
    peakMb: process.resourceUsage().maxRSS / 1024,
  };
}

/** What a learner with labels reaches on half of the records, having learnt on the other half. */
function labelled() {
  const rows = read(name);
  const table = tableOf(withoutIds(rows));
  // Only to leave out pairs that are hopeless by any weights.
  return ceiling(table, entitiesOf(rows), fixedModel(table.comparisons, 1 / rows.length));
}

const tasks: Readonly<Record<string, () => object>> = { search, reference, index, labelled };
console.log(JSON.stringify(tasks[task]?.() ?? {}));

import { existsSync, readFileSync } from 'node:fs';
import { performance } from 'node:perf_hooks';
import { parseArgs } from 'node:util';
import {
  calibrationGap,
  type DecidedPair,
  FieldKindSchema,
  findDuplicates,
  type MatchField,
  MatchTable,
  matchTables,
  proposeKinds,
  runSearch,
  type SearchFigures,
  type SearchProgress,
  type WeighedPair,
  type Zones,
} from '@golden/core';
import { type CsvHead, readHead, readRows, UnusableFile } from './csv-records.ts';
import type { CommandResult } from './formula.ts';
import { writeCsv } from './write-csv.ts';

const duplicatesUsage =
  'golden duplicates people.csv [--key rec_id] [--truth truth.csv] [--kinds kinds.json] --out pairs.csv [--clusters clusters.csv]';
const matchUsage =
  'golden match left.csv right.csv [--left-key id] [--right-key id] [--kinds kinds.json] [--truth truth.csv] --out links.csv';

/** The column that numbers records: the one named, else the first that is called like a key and tells all apart. */
function keyColumn({ fields, rows }: CsvHead, path: string, named: string | undefined): number {
  if (named !== undefined) {
    const at = fields.indexOf(named);
    if (at < 0)
      throw new UnusableFile(
        `${path} has no column "${named}". Its columns are ${fields.map((one) => `"${one}"`).join(', ')}.`,
      );
    return at;
  }
  return fields.findIndex(
    (field, at) =>
      /(^|_|\b)(id|key|nr|number)$/i.test(field) && new Set(rows.map((row) => row[at])).size === rows.length,
  );
}

/** Kinds by column name out of a JSON file: `{"company": "company", "since": "ignore"}`. */
function readKinds(path: string | undefined): ReadonlyMap<string, MatchField['kind']> {
  if (path === undefined) return new Map();
  let given: unknown;
  try {
    given = JSON.parse(readFileSync(path, 'utf8'));
  } catch (error) {
    throw new UnusableFile(`${path} can't be read as JSON: ${(error as Error).message}`);
  }
  if (typeof given !== 'object' || given === null || Array.isArray(given))
    throw new UnusableFile(`${path} should hold an object: the name of a column, and its kind.`);
  return new Map(
    Object.entries(given).map(([field, kind]) => {
      const known = FieldKindSchema.safeParse(kind);
      if (!known.success)
        throw new UnusableFile(
          `${path}: "${String(kind)}" for "${field}" is no kind. Kinds are ${FieldKindSchema.options.join(', ')}.`,
        );
      return [field, known.data];
    }),
  );
}

function fieldsOf(
  names: readonly string[],
  rows: readonly (readonly string[])[],
  key: number,
  chosen: ReadonlyMap<string, MatchField['kind']>,
): MatchField[] {
  for (const name of chosen.keys())
    if (!names.includes(name))
      throw new UnusableFile(
        `The file with kinds names a column "${name}", which isn't there. Columns are ${names.join(', ')}.`,
      );
  const proposals = proposeKinds(names.map((name, at) => ({ name, values: rows.map((row) => row[at] ?? '') })));
  const fields = names.map((name, at) => ({
    name,
    kind: at === key ? ('ignore' as const) : (chosen.get(name) ?? proposals[at]?.kind ?? 'text'),
  }));
  if (fields.every(({ kind }) => ['ignore', 'country'].includes(kind)))
    throw new UnusableFile(
      'No column says who a record is. Name kinds with --kinds, for example {"name": "full_name"}.',
    );
  return fields;
}

/** Ids of records in their order; an id that comes twice would make the answer ambiguous. */
class Ids {
  readonly all: string[] = [];
  private seen = new Set<string>();

  constructor(
    private readonly path: string,
    private readonly key: number,
  ) {}

  add(cells: readonly string[]): void {
    const id = this.key < 0 ? String(this.all.length + 1) : (cells[this.key] as string);
    if (id === '')
      throw new UnusableFile(
        `${this.path}: record ${this.all.length + 1} has no key. Choose another column with --key.`,
      );
    if (this.seen.has(id))
      throw new UnusableFile(`${this.path}: the key "${id}" stands in two records. Choose another column with --key.`);
    this.seen.add(id);
    this.all.push(id);
  }

  /** No more come. */
  complete(): void {
    this.seen = new Set();
  }
}

function tell({ phase, done, of }: SearchProgress): void {
  if (process.stderr.isTTY)
    process.stderr.write(`\r${phase} ${of > 1 ? `${Math.round((100 * done) / of)}%` : ''}      `);
}

const rounded = (value: number): number => Math.round(value * 10_000) / 10_000;

/** Precision, recall and their harmonic mean; also when what is asked is answered rightly. */
function score(pairs: readonly DecidedPair[], isTrue: (pair: DecidedPair) => boolean, truePairs: number) {
  const same = pairs.filter(({ verdict }) => verdict === 'same');
  const right = same.filter(isTrue).length;
  const answered = pairs.filter((pair) => pair.verdict === 'ask' && isTrue(pair)).length;
  const precision = same.length === 0 ? 1 : right / same.length;
  const recall = truePairs === 0 ? 1 : right / truePairs;
  return {
    precision: rounded(precision),
    recall: rounded(recall),
    f1: rounded(precision + recall === 0 ? 0 : (2 * precision * recall) / (precision + recall)),
    precisionAnswered: rounded(same.length + answered === 0 ? 1 : (right + answered) / (same.length + answered)),
    recallAnswered: rounded(truePairs === 0 ? 1 : (right + answered) / truePairs),
  };
}

/** Which entity each key stands for, from the first two columns. */
async function readTruth(path: string): Promise<Map<string, string>> {
  const { fields } = await readHead(path, 1);
  if (fields.length < 2) throw new UnusableFile(`${path} should have two columns: the key and whom it stands for.`);
  const truth = new Map<string, string>();
  await readRows(path, 2, ([key, entity]) => truth.set(key as string, entity as string));
  return truth;
}

function truePairsOf(entities: readonly (string | undefined)[]): number {
  const counts = new Map<string, number>();
  for (const entity of entities) if (entity !== undefined) counts.set(entity, (counts.get(entity) ?? 0) + 1);
  return [...counts.values()].reduce((sum, count) => sum + (count * (count - 1)) / 2, 0);
}

function report(
  started: number,
  fields: readonly MatchField[],
  figures: SearchFigures,
  zones: Zones,
  pairs: readonly DecidedPair[],
  scored: object,
): string {
  return JSON.stringify({
    records: figures.records,
    comparedPairs: figures.comparedPairs,
    seconds: Math.round(performance.now() - started) / 1000,
    peakMemoryMb: Math.round(process.resourceUsage().maxRSS / 1024),
    estimatedLoss: rounded(figures.estimatedLoss),
    kinds: Object.fromEntries(fields.map(({ name, kind }) => [name, kind])),
    same: pairs.filter(({ verdict }) => verdict === 'same').length,
    ask: pairs.filter(({ verdict }) => verdict === 'ask').length,
    zones: { same: rounded(zones.same), ask: rounded(zones.ask) },
    ...scored,
  });
}

function failed(error: unknown): CommandResult {
  if (error instanceof UnusableFile) return { error: error.message, code: 1 };
  throw error;
}

function usageError(error: unknown, usage: string): CommandResult {
  return { error: `${(error as Error).message}\nUsage: ${usage}`, code: 2 };
}

const probability = (value: number): string => value.toFixed(4);

/** `golden duplicates`: the doubles within one CSV file, as pairs and clusters; figures as one line of JSON. */
export async function duplicatesCommand(args: readonly string[]): Promise<CommandResult> {
  const started = performance.now();
  let given: ReturnType<typeof readDuplicatesArgs>;
  try {
    given = readDuplicatesArgs(args);
  } catch (error) {
    return usageError(error, duplicatesUsage);
  }
  try {
    const head = await readHead(given.path);
    const key = keyColumn(head, given.path, given.key);
    const fields = fieldsOf(head.fields, head.rows, key, readKinds(given.kinds));
    const table = new MatchTable(fields);
    const ids = new Ids(given.path, key);
    await readRows(given.path, head.fields.length, (cells) => {
      ids.add(cells);
      table.add(cells);
    });
    ids.complete();
    table.complete();
    if (table.size === 0) throw new UnusableFile(`${given.path} has a header and no records.`);
    const { pairs, weighed, clusters, figures, zones } = runSearch(findDuplicates(table), tell);
    if (process.stderr.isTTY) process.stderr.write('\r');
    const idOf = (record: number): string => ids.all[record] as string;
    await writeCsv(
      given.out,
      ['id_a', 'id_b', 'probability', 'verdict'],
      rowsOf(pairs, (pair) => [idOf(pair.a), idOf(pair.b), probability(pair.probability), pair.verdict]),
    );
    if (given.clusters !== undefined)
      await writeCsv(
        given.clusters,
        ['id', 'cluster'],
        rowsOf(ids.all, (id, record) => [id, (clusters[record] as number) + 1]),
      );
    let scored = {};
    if (given.truth !== undefined) {
      const truth = await readTruth(given.truth);
      const entities = ids.all.map((id) => truth.get(id));
      const isTrue = ({ a, b }: WeighedPair): boolean => entities[a] !== undefined && entities[a] === entities[b];
      const gap = calibrationGap(weighed, isTrue);
      scored = {
        ...score(pairs, isTrue, truePairsOf(entities)),
        ...(gap !== undefined && { calibrationGap: rounded(gap) }),
      };
    }
    return { out: report(started, fields, figures, zones, pairs, scored), code: 0 };
  } catch (error) {
    return failed(error);
  }
}

function* rowsOf<T>(
  all: readonly T[],
  row: (one: T, index: number) => readonly unknown[],
): Iterable<readonly unknown[]> {
  for (const [index, one] of all.entries()) yield row(one, index);
}

function readDuplicatesArgs(args: readonly string[]) {
  const { values, positionals } = parseArgs({
    args: [...args],
    allowPositionals: true,
    options: {
      key: { type: 'string' },
      truth: { type: 'string' },
      kinds: { type: 'string' },
      out: { type: 'string' },
      clusters: { type: 'string' },
    },
  });
  const [path, ...more] = positionals;
  if (path === undefined || more.length > 0) throw new Error('Name one CSV file.');
  if (values.out === undefined) throw new Error('Say with --out where the pairs should go.');
  for (const file of [values.truth, values.kinds])
    if (file !== undefined && !existsSync(file)) throw new Error(`There is no file ${file}.`);
  return { ...values, out: values.out, path };
}

function readMatchArgs(args: readonly string[]) {
  const { values, positionals } = parseArgs({
    args: [...args],
    allowPositionals: true,
    options: {
      'left-key': { type: 'string' },
      'right-key': { type: 'string' },
      kinds: { type: 'string' },
      truth: { type: 'string' },
      out: { type: 'string' },
    },
  });
  const [left, right, ...more] = positionals;
  if (left === undefined || right === undefined || more.length > 0) throw new Error('Name two CSV files.');
  if (values.out === undefined) throw new Error('Say with --out where the links should go.');
  return { ...values, out: values.out, left, right };
}

/** `golden match`: which records of two CSV files are the same. Columns are paired by their names. */
export async function matchCommand(args: readonly string[]): Promise<CommandResult> {
  const started = performance.now();
  let given: ReturnType<typeof readMatchArgs>;
  try {
    given = readMatchArgs(args);
  } catch (error) {
    return usageError(error, matchUsage);
  }
  try {
    const [left, right] = [await readHead(given.left), await readHead(given.right)];
    const leftKey = keyColumn(left, given.left, given['left-key']);
    const rightKey = keyColumn(right, given.right, given['right-key']);
    const names = left.fields.filter(
      (name, at) => at !== leftKey && right.fields.includes(name) && right.fields.indexOf(name) !== rightKey,
    );
    if (names.length === 0)
      throw new UnusableFile(
        `The two files have no column name in common: ${left.fields.join(', ')} and ${right.fields.join(', ')}. Give the columns that mean the same the same name.`,
      );
    const pick = (fields: readonly string[]): ((cells: readonly string[]) => string[]) => {
      const places = names.map((name) => fields.indexOf(name));
      return (cells) => places.map((at) => cells[at] ?? '');
    };
    const [ofLeft, ofRight] = [pick(left.fields), pick(right.fields)];
    const sample = [...left.rows.map(ofLeft), ...right.rows.map(ofRight)];
    const fields = fieldsOf(names, sample, -1, readKinds(given.kinds));
    const table = new MatchTable(fields);
    const leftIds = new Ids(given.left, leftKey);
    const rightIds = new Ids(given.right, rightKey);
    await readRows(given.left, left.fields.length, (cells) => {
      leftIds.add(cells);
      table.add(ofLeft(cells));
    });
    await readRows(given.right, right.fields.length, (cells) => {
      rightIds.add(cells);
      table.add(ofRight(cells));
    });
    if (leftIds.all.length === 0 || rightIds.all.length === 0)
      throw new UnusableFile('One of the files has a header and no records.');
    table.complete();
    const { pairs, figures, zones } = runSearch(matchTables(table, leftIds.all.length), tell);
    await writeCsv(
      given.out,
      ['left_id', 'right_id', 'probability', 'verdict'],
      rowsOf(pairs, (pair) => [leftIds.all[pair.a], rightIds.all[pair.b], probability(pair.probability), pair.verdict]),
    );
    let scored = {};
    if (given.truth !== undefined) {
      // Pairs that are the same: left key, right key.
      const wanted = new Set<string>();
      await readRows(given.truth, 2, ([a, b]) => wanted.add(`${a}\n${b}`));
      scored = score(pairs, (pair) => wanted.has(`${leftIds.all[pair.a]}\n${rightIds.all[pair.b]}`), wanted.size);
    }
    return { out: report(started, fields, figures, zones, pairs, scored), code: 0 };
  } catch (error) {
    return failed(error);
  }
}

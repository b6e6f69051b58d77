import { createHash } from 'node:crypto';
import { performance } from 'node:perf_hooks';
import { parseArgs } from 'node:util';
import { isWorkbookName, UnreadableWorkbook } from '@golden/connectors';
import {
  type Equality,
  equalities,
  figuresOf,
  formOf,
  type Pair,
  type Reconciled,
  Reconciler,
  type Side,
} from '@golden/core';
import { readHead, readRows, UnusableFile } from './csv-records.ts';
import type { CommandResult } from './formula.ts';
import { workbookRows } from './workbook.ts';
import { writeCsv } from './write-csv.ts';

const usage =
  'golden reconcile LEFT.csv RIGHT.csv --key id [--fields a,b,c] [--equal case] [--country GB] --out differences.csv';

/** A file as a side: its columns, and its rows one after the other, as often as they are asked for. */
interface Table {
  readonly path: string;
  readonly columns: readonly string[];
  readonly rows: (row: (cells: readonly string[]) => void) => Promise<void>;
}

/** Rows whose values are held at once for those that differ; the files are read again for the next ones. */
const heldAtOnce = 20_000;

async function opened(path: string): Promise<Table> {
  if (isWorkbookName(path) && !/\.(csv|tsv|txt)$/i.test(path)) {
    const { columns, rows } = await workbookRows(path);
    return {
      path,
      columns,
      rows: async (row) => {
        for (const cells of rows()) row(cells);
      },
    };
  }
  const { fields } = await readHead(path, 1);
  return { path, columns: fields, rows: (row) => readRows(path, fields.length, row) };
}

function columnOf({ columns, path }: Table, name: string): number {
  const at = columns.indexOf(name);
  if (at >= 0) return at;
  throw new UnusableFile(
    `${path} has no column "${name}". Its columns are ${columns.map((one) => `"${one}"`).join(', ')}.`,
  );
}

function argsOf(args: readonly string[]) {
  const { values, positionals } = parseArgs({
    args: [...args],
    allowPositionals: true,
    options: {
      key: { type: 'string' },
      fields: { type: 'string' },
      equal: { type: 'string', default: 'exact' },
      country: { type: 'string', default: 'GB' },
      zone: { type: 'string', default: 'utc' },
      out: { type: 'string' },
    },
  });
  const [left, right, ...more] = positionals;
  if (left === undefined || right === undefined || more.length > 0) throw new Error('Name two files.');
  if (values.key === undefined) throw new Error('Say with --key which column tells the records apart.');
  if (values.out === undefined) throw new Error('Say with --out where the differences should go.');
  const equal = equalities.find((one) => one === values.equal);
  if (equal === undefined) throw new Error(`--equal is one of ${equalities.join(', ')}.`);
  const fields = values.fields?.split(',').map((one) => one.trim());
  return { ...values, key: values.key, out: values.out, left, right, equal: equal as Equality, fields };
}

/** The values of chosen rows of a file, by row. */
async function valuesOf(table: Table, columns: readonly number[], wanted: ReadonlySet<number>) {
  const values = new Map<number, readonly string[]>();
  let at = 0;
  await table.rows((cells) => {
    if (wanted.has(at))
      values.set(
        at,
        columns.map((column) => cells[column] ?? ''),
      );
    at += 1;
  });
  return values;
}

/** What is compared of the two files, and how. */
interface Compared {
  readonly tables: Readonly<Record<Side, Table>>;
  /** Of the compared fields, in each file. */
  readonly columns: Readonly<Record<Side, readonly number[]>>;
  readonly fields: readonly string[];
  readonly form: (text: string) => string;
  readonly keyAt: (side: Side, row: string | undefined) => string;
}

/** The rows of the file of differences. */
async function* rowsOf(found: Reconciled, compared: Compared): AsyncGenerator<readonly string[]> {
  const { keyAt } = compared;
  for (let from = 0; from < found.differ.length; from += heldAtOnce)
    yield* differingFields(found.differ.slice(from, from + heldAtOnce), compared);
  for (const row of found.onlyLeft) yield [keyAt('left', row), 'onlyLeft', '', '', ''];
  for (const row of found.onlyRight) yield [keyAt('right', row), 'onlyRight', '', '', ''];
  for (const { left, right } of found.doubled) {
    const key = left.length > 0 ? keyAt('left', left[0]) : keyAt('right', right[0]);
    // How often each file has it.
    yield [key, 'doubled', '', String(left.length), String(right.length)];
  }
}

/** A row for each field that differs within some pairs, whose values are read for that. */
async function* differingFields(
  pairs: readonly Pair[],
  { tables, columns, fields, form, keyAt }: Compared,
): AsyncGenerator<readonly string[]> {
  const rows = (side: Side) => new Set(pairs.map((pair) => Number(pair[side])));
  const left = await valuesOf(tables.left, columns.left, rows('left'));
  const right = await valuesOf(tables.right, columns.right, rows('right'));
  for (const pair of pairs) {
    const [here, there] = [left.get(Number(pair.left)) ?? [], right.get(Number(pair.right)) ?? []];
    for (const [at, field] of fields.entries()) {
      const [one, other] = [here[at] ?? '', there[at] ?? ''];
      if (form(one) !== form(other)) yield [keyAt('left', pair.left), 'differ', field, one, other];
    }
  }
}

/** `golden reconcile`: whether two files hold the same records; what differs as CSV, figures as one line of JSON. */
export async function reconcileCommand(args: readonly string[]): Promise<CommandResult> {
  const started = performance.now();
  let given: ReturnType<typeof argsOf>;
  try {
    given = argsOf(args);
  } catch (error) {
    return { error: `${(error as Error).message}\nUsage: ${usage}`, code: 2 };
  }
  try {
    const tables = { left: await opened(given.left), right: await opened(given.right) };
    const key = { left: columnOf(tables.left, given.key), right: columnOf(tables.right, given.key) };
    const fields =
      given.fields ?? tables.left.columns.filter((name) => name !== given.key && tables.right.columns.includes(name));
    const columns = {
      left: fields.map((name) => columnOf(tables.left, name)),
      right: fields.map((name) => columnOf(tables.right, name)),
    };
    const where = { country: given.country, zone: given.zone };
    const form = (text: string): string => formOf(text, given.equal, where);
    const keys = { left: [] as string[], right: [] as string[] };
    const reconciler = new Reconciler([{ identifies: true }]);
    for (const side of ['left', 'right'] as const)
      await tables[side].rows((cells) => {
        const own = (cells[key[side]] ?? '').trim();
        const forms = columns[side].map((column) => form(cells[column] ?? '')).join('\u0000');
        // Known by the row: a key may stand in several.
        reconciler.add(side, String(keys[side].length), [form(own)], createHash('sha1').update(forms).digest('base64'));
        keys[side].push(own);
      });
    const found = reconciler.finish();
    const keyAt = (side: Side, row: string | undefined): string => keys[side][Number(row)] ?? '';
    const compared = { tables, columns, fields, form, keyAt };
    await writeCsv(given.out, ['key', 'kind', 'field', 'left', 'right'], rowsOf(found, compared));
    const { left, right, agree, differ, onlyLeft, onlyRight, doubled, doubledLeft, doubledRight } = figuresOf(found);
    return {
      out: JSON.stringify({
        left,
        right,
        agree,
        differ,
        onlyLeft,
        onlyRight,
        doubled,
        seconds: Math.round(performance.now() - started) / 1000,
        // Rows of each file that share their key with another one: with them, both sides add up.
        doubledLeft,
        doubledRight,
        withoutKey: keys.left.filter((one) => one === '').length + keys.right.filter((one) => one === '').length,
        fields,
        peakMemoryMb: Math.round(process.resourceUsage().maxRSS / 1024),
      }),
      code: 0,
    };
  } catch (error) {
    if (error instanceof UnusableFile || error instanceof UnreadableWorkbook) return { error: error.message, code: 1 };
    throw error;
  }
}

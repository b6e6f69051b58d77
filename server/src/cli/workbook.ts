import { existsSync, readFileSync, writeFileSync } from 'node:fs';
import { basename } from 'node:path';
import { performance } from 'node:perf_hooks';
import { parseArgs } from 'node:util';
import { isWorkbookName, openBookHere, UnreadableWorkbook } from '@golden/connectors';
import { toText, type Value } from '@golden/core';
import type { CommandResult } from './formula.ts';
import { BadRows, readRecords } from './json-records.ts';

const rowsUsage = 'golden rows list.xlsx [--tab Customers]';
const appendUsage = 'golden append list.xlsx [--tab Customers] --rows rows.json --out new.xlsx';

type Book = Awaited<ReturnType<typeof openBookHere>>;

/** A file and one of its tabs, the first where none is named. @throws UnreadableWorkbook */
async function opened(
  path: string,
  tab: string | undefined,
  keeps: 'rows' | 'outline',
): Promise<{ book: Book; sheet: Book['sheets'][number] }> {
  if (!isWorkbookName(path)) throw new UnreadableWorkbook(`${path} is no .csv, .xlsx, .xlsm or .ods file.`);
  if (!existsSync(path)) throw new UnreadableWorkbook(`There is no file ${path}.`);
  const book = await openBookHere(basename(path), readFileSync(path), keeps, tab);
  const sheet = tab === undefined ? book.sheets[0] : book.sheets.find(({ name }) => name === tab);
  if (sheet) return { book, sheet };
  const names = book.sheets.map(({ name }) => `"${name}"`).join(', ');
  throw new UnreadableWorkbook(`${path} has no tab "${tab ?? ''}". Its tabs are ${names || 'none'}.`);
}

function answered(work: () => Promise<CommandResult>): Promise<CommandResult> {
  return work().catch((error: unknown) => {
    if (error instanceof UnreadableWorkbook || error instanceof BadRows) return { error: error.message, code: 1 };
    throw error;
  });
}

function argsOf<T>(read: () => T, usage: string): T | CommandResult {
  try {
    return read();
  } catch (error) {
    return { error: `${(error as Error).message}\nUsage: ${usage}`, code: 2 };
  }
}

/** `golden rows`: the records of a tab, a line of JSON each, by the names of its first row. */
export async function rowsCommand(args: readonly string[]): Promise<CommandResult> {
  const given = argsOf(() => {
    const { values, positionals } = parseArgs({
      args: [...args],
      allowPositionals: true,
      options: { tab: { type: 'string' } },
    });
    const [path, ...more] = positionals;
    if (path === undefined || more.length > 0) throw new Error('Name one file.');
    return { path, tab: values.tab };
  }, rowsUsage);
  if ('code' in given) return given;
  return answered(async () => {
    const { sheet } = await opened(given.path, given.tab, 'rows');
    return { lines: recordLines(sheet.rows), code: 0 };
  });
}

/** The first tab of a workbook as texts: the names of its columns, and its rows as often as they are asked for. @throws UnreadableWorkbook */
export async function workbookRows(
  path: string,
): Promise<{ columns: readonly string[]; rows: () => Iterable<readonly string[]> }> {
  const { sheet } = await opened(path, undefined, 'rows');
  const columns = sheet.columns.map(({ name }) => name);
  function* rows(): Generator<readonly string[]> {
    for (const { record } of sheet.rows) yield columns.map((column) => toText(record[column]));
  }
  return { columns, rows };
}

function* recordLines(rows: Book['sheets'][number]['rows']): Generator<string> {
  for (const { record } of rows) yield JSON.stringify(record);
}

/** `golden append`: rows of a JSON file below the last row of a tab; figures as one line of JSON. */
export async function appendCommand(args: readonly string[]): Promise<CommandResult> {
  const given = argsOf(() => {
    const { values, positionals } = parseArgs({
      args: [...args],
      allowPositionals: true,
      options: { tab: { type: 'string' }, rows: { type: 'string' }, out: { type: 'string' } },
    });
    const [path, ...more] = positionals;
    if (path === undefined || more.length > 0) throw new Error('Name one file.');
    if (values.rows === undefined || values.out === undefined)
      throw new Error('Say with --rows what is appended, and with --out where to.');
    return { path, tab: values.tab, rows: values.rows, out: values.out };
  }, appendUsage);
  if ('code' in given) return given;
  return answered(async () => {
    const started = performance.now();
    const records = readRecords(given.rows);
    const { book, sheet } = await opened(given.path, given.tab, 'outline');
    if (book.readOnlyBecause) throw new UnreadableWorkbook(book.readOnlyBecause);
    let row = sheet.lastRow ?? sheet.rows.at(-1)?.number ?? 1;
    for (const [at, record] of records.entries()) {
      row += 1;
      const cells = Object.entries(record).map(([name, value]) => {
        const column = sheet.columns.find((one) => one.name === name);
        if (!column)
          throw new UnreadableWorkbook(
            `Row ${at + 1} of ${given.rows} has "${name}", and "${sheet.name}" no such column. Its columns are ${sheet.columns.map((one) => `"${one.name}"`).join(', ')}.`,
          );
        return { column: column.index, value: scalar(value), type: column.type };
      });
      book.setCells(sheet.name, row, cells);
    }
    writeFileSync(given.out, await book.save());
    const seconds = Math.round(performance.now() - started) / 1000;
    const peakMemoryMb = Math.round(process.resourceUsage().maxRSS / 1024);
    return { out: JSON.stringify({ rows: records.length, seconds, peakMemoryMb }), code: 0 };
  });
}

const scalar = (value: Value): string | number | boolean | null =>
  value !== null && typeof value === 'object' ? toText(value) : value;

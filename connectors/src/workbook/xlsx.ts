import type { FieldType } from '@golden/core';
import ExcelJS from 'exceljs';
import { expectGrid } from './limits.ts';
import {
  type BookContent,
  type BookEdit,
  type CellChange,
  type Column,
  nameColumnsAt,
  type Sheet,
  type SheetRow,
  UnreadableWorkbook,
} from './sheet.ts';
import { openZip, type ZipPart } from './unzip.ts';

/**
 * Parts of an Office Open XML package that survive reading and saving with our library. Anything
 * else (charts, pivot tables, macros, links to other files) would be lost.
 */
const keptParts = [
  /^\[Content_Types\]\.xml$/,
  /^_rels\/\.rels$/,
  /^docProps\//,
  /^xl\/workbook\.xml$/,
  /^xl\/_rels\/workbook\.xml\.rels$/,
  /^xl\/(styles|sharedStrings|calcChain|metadata)\.xml$/,
  /^xl\/theme\//,
  /^xl\/worksheets\/(_rels\/)?sheet\d+\.xml(\.rels)?$/,
  /^xl\/tables\/table\d+\.xml$/,
  /^xl\/comments\d*\.xml$/,
  /^xl\/(drawings\/)?vmlDrawing\d+\.vml$/,
  /^xl\/drawings\/(_rels\/)?(drawing|vmlDrawing)\d+\.(xml|vml)(\.rels)?$/,
  /^xl\/media\//,
  /^xl\/printerSettings\//,
];

/** The parts of a workbook that saving would drop; a file with any is read-only for us. */
const partsLostOnSaving = (parts: readonly ZipPart[]): string[] =>
  parts.map(({ name }) => name).filter((name) => !keptParts.some((part) => part.test(name)));

/**
 * Reads an .xlsx workbook whole.
 * @throws UnreadableWorkbook when the bytes are none, or it holds more than is read
 */
export async function readXlsx(bytes: Uint8Array): Promise<BookContent> {
  const lost = partsLostOnSaving(await openZip(bytes));
  const workbook = await load(bytes);
  return { sheets: workbook.worksheets.map(readSheet), lost };
}

/** The workbook with these changes, everything else as it was. @throws UnreadableWorkbook */
export async function editXlsx(bytes: Uint8Array, edits: readonly BookEdit[]): Promise<Uint8Array> {
  const workbook = await load(bytes);
  const lastColumns = new Map<string, number>();
  if (edits.some(({ kind }) => kind === 'columns'))
    for (const { name, columns } of workbook.worksheets.map(readSheet))
      lastColumns.set(name, columns.at(-1)?.index ?? 0);
  for (const edit of edits) applyTo(workbook, edit, lastColumns);
  return new Uint8Array(await workbook.xlsx.writeBuffer());
}

async function load(bytes: Uint8Array): Promise<ExcelJS.Workbook> {
  const workbook = new ExcelJS.Workbook();
  try {
    await workbook.xlsx.load(bytes as unknown as ArrayBuffer);
  } catch (error) {
    throw new UnreadableWorkbook('This is not an .xlsx workbook, or it is damaged.', { cause: error });
  }
  return workbook;
}

function applyTo(workbook: ExcelJS.Workbook, edit: BookEdit, lastColumns: Map<string, number>): void {
  const sheet = workbook.getWorksheet(edit.tab);
  switch (edit.kind) {
    case 'cells':
      for (const change of edit.cells) if (sheet) setCell(sheet.getRow(edit.row).getCell(change.column), change);
      return;
    case 'delete_row':
      sheet?.spliceRows(edit.row, 1);
      return;
    case 'columns': {
      const last = lastColumns.get(edit.tab) ?? 0;
      edit.names.forEach((name, at) => {
        const cell = sheet?.getRow(1).getCell(last + 1 + at);
        if (cell) cell.value = name;
      });
      lastColumns.set(edit.tab, last + edit.names.length);
      return;
    }
    case 'tab':
      workbook.addWorksheet(edit.tab).addRow([...edit.names]);
  }
}

type Scalar = string | number | boolean | null;

interface GridRow {
  readonly number: number;
  /** By column, counted from 1: only those with something in them. */
  readonly cells: ReadonlyMap<number, Scalar>;
}

/** Only cells with something in them are looked at: one in the last column of all makes no other. */
function readSheet(sheet: ExcelJS.Worksheet): Sheet {
  const headers = new Map<number, string>();
  sheet.getRow(1).eachCell((cell, column) => {
    const name = String(plain(cell) ?? '').trim();
    if (name !== '') headers.set(column, name);
  });
  const grid: GridRow[] = [];
  const used = new Set(headers.keys());
  sheet.eachRow((row, number) => {
    if (number === 1) return;
    const cells = new Map<number, Scalar>();
    row.eachCell((cell, column) => {
      const value = plain(cell);
      if (value === null || value === '') return;
      cells.set(column, value);
      used.add(column);
    });
    if (cells.size > 0) grid.push({ number, cells });
  });
  expectGrid(sheet.name, used.size, grid.length);
  const indexes = [...used].sort((one, other) => one - other);
  const names = nameColumnsAt(indexes.map((index) => [index, headers.get(index) ?? '']));
  const columns = indexes.map(
    (index, at): Column => ({ index, name: names[at] as string, type: columnType(sheet, index, grid) }),
  );
  const rows = grid.map(
    ({ number, cells }): SheetRow => ({
      number,
      record: Object.fromEntries(columns.map(({ name, index }) => [name, cells.get(index) ?? null])),
    }),
  );
  return { name: sheet.name, columns, rows };
}

/** A cell as data: a formula by its result, a date as ISO 8601, rich text and links by their text. */
function plain(cell: ExcelJS.Cell): Scalar {
  const value = cell.value;
  if (value === null || value === undefined) return null;
  if (value instanceof Date) return dateText(value);
  if (typeof value !== 'object') return value;
  if ('result' in value && value.result !== undefined && value.result !== null) {
    const result = value.result;
    return result instanceof Date ? dateText(result) : typeof result === 'object' ? cell.text : result;
  }
  return cell.text === '' ? null : cell.text;
}

function dateText(date: Date): string {
  if (Number.isNaN(date.getTime())) return '';
  const text = date.toISOString();
  return text.endsWith('T00:00:00.000Z') ? text.slice(0, 10) : text.replace(/\.000Z$/, '');
}

/** What a column holds, told by its cells; a column without any takes anything. */
function columnType(sheet: ExcelJS.Worksheet, index: number, grid: readonly GridRow[]): FieldType {
  const filled = grid.filter(({ cells }) => cells.has(index));
  const isEach = (fits: (cell: Scalar) => boolean): boolean =>
    filled.every(({ cells }) => fits(cells.get(index) ?? null));
  const [first] = filled;
  if (!first) return 'any';
  if (isEach((cell) => typeof cell === 'number'))
    return isEach(Number.isInteger) && !hasDecimals(sheet, index) ? 'integer' : 'decimal';
  if (isEach((cell) => typeof cell === 'boolean')) return 'boolean';
  const isDates = isEach((cell) => typeof cell === 'string' && /^\d{4}-\d{2}-\d{2}$/.test(cell));
  return isDates && sheet.getRow(first.number).getCell(index).value instanceof Date ? 'date' : 'text';
}

/** A column of figures shown with decimals takes decimals even if all so far are whole. */
function hasDecimals(sheet: ExcelJS.Worksheet, index: number): boolean {
  return /0\.0|General/.test(sheet.getRow(2).getCell(index).numFmt ?? 'General');
}

/** Values keep their kind: text that looks like a number stays text, dates are dates. */
function setCell(cell: ExcelJS.Cell, { value, type }: CellChange): void {
  if (value === null || value === '') {
    cell.value = null;
  } else if (type === 'date' && typeof value === 'string' && /^\d{4}-\d{2}-\d{2}$/.test(value)) {
    cell.value = new Date(`${value}T00:00:00Z`);
    if (!cell.numFmt || cell.numFmt === 'General') cell.numFmt = 'yyyy-mm-dd';
  } else if ((type === 'integer' || type === 'decimal') && Number.isFinite(Number(value))) {
    cell.value = Number(value);
  } else {
    cell.value = value;
    // Marked as text, so that a spreadsheet program doesn't turn 00420 into 420 when somebody edits it.
    if (typeof value === 'string') cell.numFmt = '@';
  }
}

/** A new workbook with one tab and its column names. */
export async function newXlsx(tab: string, names: readonly string[]): Promise<Uint8Array> {
  const workbook = new ExcelJS.Workbook();
  workbook.addWorksheet(tab).addRow([...names]);
  return new Uint8Array(await workbook.xlsx.writeBuffer());
}

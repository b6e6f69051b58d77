import type { FieldType } from '@golden/core';
import ExcelJS from 'exceljs';
import JSZip from 'jszip';
import {
  type CellChange,
  type Column,
  type EditableWorkbook,
  nameColumns,
  type Sheet,
  type SheetRow,
  UnreadableWorkbook,
} from './sheet.ts';

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
export async function partsLostOnSaving(bytes: Uint8Array): Promise<string[]> {
  const zip = await JSZip.loadAsync(bytes);
  return Object.values(zip.files)
    .filter((file) => !file.dir && !keptParts.some((part) => part.test(file.name)))
    .map((file) => file.name);
}

/**
 * Reads an .xlsx workbook whole.
 * @throws UnreadableWorkbook when the bytes are none
 */
export async function readXlsx(bytes: Uint8Array): Promise<EditableWorkbook> {
  const workbook = new ExcelJS.Workbook();
  try {
    await workbook.xlsx.load(bytes as unknown as ArrayBuffer);
  } catch (error) {
    throw new UnreadableWorkbook('It is no .xlsx workbook, or it is damaged.', { cause: error });
  }
  const sheets = workbook.worksheets.map(readSheet);
  return {
    sheets,
    setCells(tab, row, cells) {
      const sheet = workbook.getWorksheet(tab);
      for (const change of cells) if (sheet) setCell(sheet.getRow(row).getCell(change.column), change);
    },
    deleteRow(tab, row) {
      workbook.getWorksheet(tab)?.spliceRows(row, 1);
    },
    addColumns(tab, names) {
      const sheet = workbook.getWorksheet(tab);
      const last = sheets.find((one) => one.name === tab)?.columns.at(-1)?.index ?? 0;
      names.forEach((name, at) => {
        const cell = sheet?.getRow(1).getCell(last + 1 + at);
        if (cell) cell.value = name;
      });
    },
    addTab(tab, names) {
      workbook.addWorksheet(tab).addRow([...names]);
    },
    async save() {
      return new Uint8Array(await workbook.xlsx.writeBuffer());
    },
  };
}

type Scalar = string | number | boolean | null;

function readSheet(sheet: ExcelJS.Worksheet): Sheet {
  const width = sheet.columnCount;
  const headers = Array.from({ length: width }, (_, at) => String(plain(sheet.getRow(1).getCell(at + 1)) ?? '').trim());
  const grid: { number: number; cells: Scalar[] }[] = [];
  sheet.eachRow((row, number) => {
    if (number === 1) return;
    const cells = headers.map((_, at) => plain(row.getCell(at + 1)));
    if (cells.some((cell) => cell !== null && cell !== '')) grid.push({ number, cells });
  });
  const used = headers.map(
    (header, at) => header !== '' || grid.some((row) => row.cells[at] !== null && row.cells[at] !== ''),
  );
  const names = nameColumns(headers);
  const columns: Column[] = names
    .map((name, at) => ({
      index: at + 1,
      name,
      type: columnType(
        sheet,
        at + 1,
        grid.map((row) => row.cells[at] ?? null),
      ),
    }))
    .filter((_, at) => used[at]);
  const rows: SheetRow[] = grid.map(({ number, cells }) => ({
    number,
    record: Object.fromEntries(columns.map((column) => [column.name, cells[column.index - 1] ?? null])),
  }));
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
function columnType(sheet: ExcelJS.Worksheet, index: number, cells: readonly Scalar[]): FieldType {
  const filled = cells.filter((cell) => cell !== null && cell !== '');
  if (filled.length === 0) return 'any';
  if (filled.every((cell) => typeof cell === 'number'))
    return filled.every(Number.isInteger) && !hasDecimals(sheet, index) ? 'integer' : 'decimal';
  if (filled.every((cell) => typeof cell === 'boolean')) return 'boolean';
  const isDates = filled.every((cell) => typeof cell === 'string' && /^\d{4}-\d{2}-\d{2}$/.test(cell));
  const firstFilled = cells.findIndex((cell) => cell !== null && cell !== '');
  return isDates && isDateCell(sheet, index, firstFilled) ? 'date' : 'text';
}

/** A column of figures shown with decimals takes decimals even if all so far are whole. */
function hasDecimals(sheet: ExcelJS.Worksheet, index: number): boolean {
  return /0\.0|General/.test(sheet.getRow(2).getCell(index).numFmt ?? 'General');
}

function isDateCell(sheet: ExcelJS.Worksheet, index: number, offset: number): boolean {
  for (let row = 2 + offset; row <= sheet.rowCount; row++) {
    const value = sheet.getRow(row).getCell(index).value;
    if (value !== null && value !== undefined) return value instanceof Date;
  }
  return false;
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

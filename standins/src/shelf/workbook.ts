import type ExcelJS from 'exceljs';
import Papa from 'papaparse';

/** A tab as the screen shows it: the first row names the columns. */
export interface Tab {
  readonly name: string;
  readonly columns: readonly string[];
  readonly rows: readonly (readonly CellValue[])[];
}
export type CellValue = string | number | boolean | Date | null;

/** A change that a person makes on the screen. Columns and rows are counted from 0, rows without the header. */
export type Edit =
  | { readonly kind: 'cell'; readonly row: number; readonly column: number; readonly value: string }
  | { readonly kind: 'add_row' }
  | { readonly kind: 'delete_row'; readonly row: number }
  | { readonly kind: 'add_column'; readonly name: string }
  | { readonly kind: 'rename_column'; readonly column: number; readonly name: string }
  | { readonly kind: 'delete_column'; readonly column: number };

const isCsv = (name: string): boolean => name.toLowerCase().endsWith('.csv');

/** The tabs of a file. A CSV file has one, called after the file. */
export async function readTabs(name: string, bytes: Buffer): Promise<Tab[]> {
  if (isCsv(name)) {
    const [columns = [], ...rows] = parseCsv(bytes);
    return [{ name: name.replace(/\.csv$/i, ''), columns, rows }];
  }
  const workbook = await load(bytes);
  return workbook.worksheets.map((sheet) => {
    const width = sheet.columnCount;
    const cells = (row: number): CellValue[] =>
      Array.from({ length: width }, (_, at) => plain(sheet.getRow(row).getCell(at + 1)));
    const rows = Array.from({ length: Math.max(0, sheet.rowCount - 1) }, (_, at) => cells(at + 2));
    return { name: sheet.name, columns: cells(1).map((one) => String(one ?? '')), rows };
  });
}

/** The file with one edit made. */
export async function editTab(name: string, bytes: Buffer, tab: string, edit: Edit): Promise<Buffer> {
  if (isCsv(name)) return Buffer.from(Papa.unparse(editRows(parseCsv(bytes), edit), { newline: '\r\n' }));
  const workbook = await load(bytes);
  const sheet = workbook.getWorksheet(tab);
  if (sheet) editSheet(sheet, edit);
  return Buffer.from(await workbook.xlsx.writeBuffer());
}

async function load(bytes: Buffer): Promise<ExcelJS.Workbook> {
  const { default: Excel } = await import('exceljs');
  const workbook = new Excel.Workbook();
  await workbook.xlsx.load(bytes as unknown as ArrayBuffer);
  return workbook;
}

function parseCsv(bytes: Buffer): string[][] {
  return Papa.parse<string[]>(bytes.toString('utf8').replace(/^\ufeff/, ''), { skipEmptyLines: true }).data;
}

function plain(cell: ExcelJS.Cell): CellValue {
  const value = cell.value;
  if (value === null || value === undefined) return null;
  if (typeof value === 'object' && !(value instanceof Date)) return cell.text;
  return value;
}

function editRows(rows: string[][], edit: Edit): string[][] {
  const width = rows[0]?.length ?? 0;
  switch (edit.kind) {
    case 'cell':
      return rows.map((row, at) => (at === edit.row + 1 ? row.with(edit.column, edit.value) : row));
    case 'add_row':
      return [...rows, Array.from({ length: width }, () => '')];
    case 'delete_row':
      return rows.filter((_, at) => at !== edit.row + 1);
    case 'add_column':
      return rows.map((row, at) => [...row, at === 0 ? edit.name : '']);
    case 'rename_column':
      return rows.map((row, at) => (at === 0 ? row.with(edit.column, edit.name) : row));
    case 'delete_column':
      return rows.map((row) => row.filter((_, at) => at !== edit.column));
  }
}

function editSheet(sheet: ExcelJS.Worksheet, edit: Edit): void {
  switch (edit.kind) {
    case 'cell': {
      const cell = sheet.getRow(edit.row + 2).getCell(edit.column + 1);
      cell.value = typed(edit.value, cell.value);
      return;
    }
    case 'add_row':
      sheet.getRow(sheet.rowCount + 1).getCell(1).value = '';
      return;
    case 'delete_row':
      sheet.spliceRows(edit.row + 2, 1);
      return;
    case 'add_column':
      sheet.getRow(1).getCell(sheet.columnCount + 1).value = edit.name;
      return;
    case 'rename_column':
      sheet.getRow(1).getCell(edit.column + 1).value = edit.name;
      return;
    case 'delete_column':
      sheet.spliceColumns(edit.column + 1, 1);
      return;
  }
}

/** A typed-in text keeps the kind that the cell had: `00420` stays text unless a number stood there. */
function typed(text: string, before: ExcelJS.CellValue): ExcelJS.CellValue {
  if (text === '') return null;
  if (typeof before === 'number' && text.trim() !== '' && Number.isFinite(Number(text))) return Number(text);
  if (before instanceof Date && /^\d{4}-\d{2}-\d{2}$/.test(text)) return new Date(`${text}T00:00:00Z`);
  return text;
}

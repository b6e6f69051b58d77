import type { FieldType, JsonRecord, PlannedWrite } from '@golden/core';

/** A column of a tab: the first row names it. */
export interface Column {
  /** Counted from 1, as spreadsheets do. */
  readonly index: number;
  readonly name: string;
  readonly type: FieldType;
}

/** A row with something in it. */
export interface SheetRow {
  /** As the spreadsheet numbers it; the names stand in row 1. */
  readonly number: number;
  readonly record: JsonRecord;
  /** Columns whose cell is calculated, counted from 1. */
  readonly formulas?: readonly number[];
}

/** A rectangle of cells, columns and rows counted from 1, all ends within it. */
export interface Area {
  readonly left: number;
  readonly top: number;
  readonly right: number;
  readonly bottom: number;
}

/** Rows one after the other; they need not all be read. */
export interface RowList extends Iterable<SheetRow> {
  readonly length: number;
  /** A row by its place, counted from 0; from the end where that is negative. */
  at(index: number): SheetRow | undefined;
  map<T>(change: (row: SheetRow) => T): T[];
  find(isIt: (row: SheetRow) => boolean): SheetRow | undefined;
}

/** A tab read whole. */
export interface Sheet {
  readonly name: string;
  readonly columns: readonly Column[];
  readonly rows: RowList;
  /** The last row that has a value or a formula, where one without values stands below the last of `rows`. */
  readonly lastRow?: number;
  /** Cells that are one. */
  readonly merged?: readonly Area[];
}

/** A cell to set: the value as it travels, and its kind. */
export interface CellChange {
  readonly column: number;
  readonly value: string | number | boolean | null;
  readonly type: FieldType;
}

/** One change of a workbook, as a value: it is carried out where the file is saved. */
export type BookEdit =
  | { readonly kind: 'cells'; readonly tab: string; readonly row: number; readonly cells: readonly CellChange[] }
  /** Takes a row out: those below move up, or it is emptied where formulas, charts and the like point to rows by number. */
  | { readonly kind: 'delete_row'; readonly tab: string; readonly row: number }
  /** Names in the first row, after the last column that has anything in it. */
  | { readonly kind: 'columns'; readonly tab: string; readonly names: readonly string[] }
  /** A new tab with these names in its first row. */
  | { readonly kind: 'tab'; readonly tab: string; readonly names: readonly string[] }
  /** A new tab with the head, columns and formats of another one, and none of its rows. */
  | { readonly kind: 'tab_like'; readonly tab: string; readonly like: string }
  /** All rows below the first are taken out; the formats of the last one stay for those that come. */
  | { readonly kind: 'emptied'; readonly tab: string };

/** What a workbook file holds. */
export interface BookContent {
  readonly sheets: readonly Sheet[];
  /** Why it can only be read, in a sentence. */
  readonly readOnlyBecause?: string;
}

/** A workbook with the changes that are still to be saved; its sheets stay as they were read. */
export interface EditableWorkbook extends BookContent {
  setCells(tab: string, row: number, cells: readonly CellChange[]): void;
  deleteRow(tab: string, row: number): void;
  addColumns(tab: string, names: readonly string[]): void;
  /** Absent where a file has just one tab. */
  addTab?(tab: string, names: readonly string[]): void;
  addTabLike?(tab: string, like: string): void;
  /** Takes all rows out of a tab but its names. */
  emptyTab(tab: string): void;
  save(): Promise<Uint8Array>;
  /** The file as it was read, with no changes, to be changed by itself. */
  anew(): EditableWorkbook;
}

/** Whether a file is CSV, by its name. */
export const isCsv = (name: string): boolean => /\.csv$/i.test(name);

/** Whether a file is an Office Open XML workbook, by its name; one with macros is one too. */
export const isXlsx = (name: string): boolean => /\.xls[xm]$/i.test(name);

/** Whether a file is an OpenDocument spreadsheet, by its name. */
export const isOds = (name: string): boolean => /\.ods$/i.test(name);

/** Whether a file is read as a workbook, by its name. */
export const isWorkbookName = (name: string): boolean => isCsv(name) || isXlsx(name) || isOds(name);

/** A file that is no workbook, or holds what we can't read. */
export class UnreadableWorkbook extends Error {
  override readonly name = 'UnreadableWorkbook';
}

/** The name of a column in a record: its own, told apart by its letter when it has none or shares it. */
export function nameColumns(headers: readonly string[]): string[] {
  return nameColumnsAt(headers.map((header, at) => [at + 1, header]));
}

/** The same for columns that don't stand side by side: their places, counted from 1, with what stands above them. */
export function nameColumnsAt(headers: readonly (readonly [number, string])[]): string[] {
  const times = new Map<string, number>();
  for (const [, header] of headers) times.set(header, (times.get(header) ?? 0) + 1);
  return headers.map(([index, header]) => {
    if (header === '') return `column ${columnLetter(index)}`;
    return times.get(header) === 1 ? header : `${header} (${columnLetter(index)})`;
  });
}

/** The letters of a column, as spreadsheets write them: 1 is A, 27 is AA. */
export function columnLetter(index: number): string {
  const rest = Math.floor((index - 1) / 26);
  return (rest > 0 ? columnLetter(rest) : '') + String.fromCharCode(65 + ((index - 1) % 26));
}

/** The cells that a planned write sets, by the columns there are. Undefined when a column is missing. */
export function cellsOf(write: PlannedWrite, sheet: Sheet): { cells: CellChange[]; missing: string[] } {
  const cells: CellChange[] = [];
  const missing: string[] = [];
  for (const [path, value] of Object.entries(write.values)) {
    const name = path.slice(1).replaceAll('~1', '/').replaceAll('~0', '~');
    const column = sheet.columns.find((one) => one.name === name);
    if (!column) missing.push(name);
    else cells.push({ column: column.index, value: scalar(value), type: write.types[path] ?? 'text' });
  }
  return { cells, missing };
}

function scalar(value: PlannedWrite['values'][string] | undefined): string | number | boolean | null {
  if (value === undefined || value === null) return null;
  return typeof value === 'object' ? JSON.stringify(value) : value;
}

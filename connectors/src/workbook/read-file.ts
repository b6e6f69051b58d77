import { formatPointer, type JsonRecord, toText } from '@golden/core';
import { expectGrid } from './limits.ts';
import { openBook } from './open-book.ts';
import { isWorkbookName, UnreadableWorkbook } from './sheet.ts';

/** The rows of a file that was handed over, with the names in its first row. */
export interface FileRows {
  readonly columns: readonly string[];
  readonly rows: readonly { readonly number: number; readonly record: JsonRecord }[];
}

/**
 * Reads the first tab of a file that somebody gives.
 * @throws UnreadableWorkbook with a sentence when it is neither, or has no rows
 */
export async function readRowsOfFile(name: string, bytes: Uint8Array): Promise<FileRows> {
  if (!isWorkbookName(name)) throw new UnreadableWorkbook(`“${name}” is no .csv, .xlsx or .ods file.`);
  const book = await openBook(name, bytes);
  const sheet = book.sheets.find((one) => one.rows.length > 0);
  if (!sheet) throw new UnreadableWorkbook(`“${name}” has no rows below its first one.`);
  const columns = sheet.columns.map((column) => column.name);
  expectGrid(sheet.name, columns.length, sheet.rows.length);
  return {
    columns,
    rows: sheet.rows.map(({ number, record }) => ({
      number,
      record: Object.fromEntries(columns.map((column) => [column, toText(record[column])])),
    })),
  };
}

/** The path of a column in the records of such a file. */
export const columnPath = (column: string): string => formatPointer([column]);

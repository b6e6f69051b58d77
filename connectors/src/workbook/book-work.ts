import { editCsv, readCsv } from './csv.ts';
import { type BookContent, type BookEdit, isCsv } from './sheet.ts';
import { editXlsx, readXlsx } from './xlsx.ts';

// Reading and saving a workbook file, wherever it is done: at once, or in the thread for heavy ones.

/** @throws UnreadableWorkbook */
export async function readBook(name: string, bytes: Uint8Array): Promise<BookContent> {
  return isCsv(name) ? readCsv(name, bytes) : readXlsx(bytes);
}

/** @throws UnreadableWorkbook */
export async function editBook(name: string, bytes: Uint8Array, edits: readonly BookEdit[]): Promise<Uint8Array> {
  return isCsv(name) ? editCsv(name, bytes, edits) : editXlsx(bytes, edits);
}

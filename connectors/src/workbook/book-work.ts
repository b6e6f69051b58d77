import { editCsv, readCsv } from './csv.ts';
import { odsIsOnlyRead, readOds } from './ods.ts';
import { type BookContent, type BookEdit, isCsv, isOds, UnreadableWorkbook } from './sheet.ts';
import { editXlsx, readXlsx } from './xlsx.ts';

// Reading and saving a workbook file, wherever it is done: at once, or in the thread for heavy ones.

/** @throws UnreadableWorkbook */
export async function readBook(
  name: string,
  bytes: Uint8Array,
  keeps: 'rows' | 'outline' = 'rows',
): Promise<BookContent> {
  if (isOds(name)) return readOds(bytes, keeps);
  return isCsv(name) ? readCsv(name, bytes) : readXlsx(bytes, keeps);
}

/** @throws UnreadableWorkbook */
export async function editBook(name: string, bytes: Uint8Array, edits: readonly BookEdit[]): Promise<Uint8Array> {
  if (isOds(name)) throw new UnreadableWorkbook(odsIsOnlyRead);
  return isCsv(name) ? editCsv(name, bytes, edits) : editXlsx(bytes, edits);
}

import type { BookContent, Sheet } from './sheet.ts';
import { Workbook } from './xlsx/book.ts';
import { readSheet } from './xlsx/read-sheet.ts';

export { Workbook } from './xlsx/book.ts';
export { editXlsx, whyEmptied } from './xlsx/edit-book.ts';

/**
 * Reads an .xlsx workbook whole, or only its columns and where its last rows are.
 *
 * @param only - the one tab that is looked into; the others are given by their names alone
 * @throws UnreadableWorkbook when the bytes are none, or it holds more than is read
 */
export async function readXlsx(
  bytes: Uint8Array | Workbook,
  keeps: 'rows' | 'outline' = 'rows',
  only?: (names: readonly string[]) => string | undefined,
): Promise<BookContent> {
  const book = bytes instanceof Workbook ? bytes : await Workbook.open(bytes);
  const reading = { strings: await book.strings(), styles: await book.styles(), is1904: book.is1904 };
  const wanted = only?.(book.tabs.map(({ name }) => name));
  const sheets: Sheet[] = [];
  for (const { name, part } of book.tabs)
    if (only && name !== wanted) sheets.push({ name, columns: [], rows: [] });
    else sheets.push(readSheet(name, (await book.sheet(part)).text, reading, keeps));
  return { sheets };
}

/** A new workbook with one tab and its column names. */
export async function newXlsx(tab: string, names: readonly string[]): Promise<Uint8Array> {
  // Loaded when it is needed: it takes longer than all else that a start loads.
  const { default: ExcelJS } = await import('exceljs');
  const workbook = new ExcelJS.Workbook();
  workbook.addWorksheet(tab).addRow([...names]);
  return new Uint8Array(await workbook.xlsx.writeBuffer());
}

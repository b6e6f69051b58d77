import { BookThread } from './book-thread.ts';
import { editBook, readBook } from './book-work.ts';
import { readCsv } from './csv.ts';
import { expectFileSize } from './limits.ts';
import { type BookContent, type BookEdit, type EditableWorkbook, isCsv } from './sheet.ts';
import { isLightCsv, isLightXlsx } from './weigh.ts';
import { readXlsx } from './xlsx.ts';

/** The one thread for heavy files of this process. */
const thread = new BookThread();

/** Changes up to so many are carried out at once in a light file. */
const fewEdits = 1000;

/**
 * Opens a workbook file: a light one at once, a heavy one in a thread of its own, so that no file
 * keeps the server from answering or takes its memory.
 * @throws UnreadableWorkbook with a sentence when it is none, or holds more than is read
 */
export async function openBook(name: string, bytes: Uint8Array, heavy = thread): Promise<EditableWorkbook> {
  expectFileSize(bytes.length);
  const isLight = isCsv(name) ? isLightCsv(bytes) : isLightXlsx(bytes);
  const content = isLight ? await readBook(name, bytes) : await heavy.read(name, bytes);
  return editable(name, content, (edits) =>
    isLight && edits.length <= fewEdits ? editBook(name, bytes, edits) : heavy.edit(name, bytes, edits),
  );
}

/**
 * Opens a workbook where it is asked for, however heavy it is: for a command that does nothing else. Of an
 * outline the rows are left out.
 * @throws UnreadableWorkbook
 */
export async function openBookHere(
  name: string,
  bytes: Uint8Array,
  keeps: 'rows' | 'outline',
): Promise<EditableWorkbook> {
  expectFileSize(bytes.length);
  const content = isCsv(name) ? readCsv(name, bytes) : await readXlsx(bytes, keeps);
  return editable(name, content, (edits) => editBook(name, bytes, edits));
}

function editable(
  name: string,
  content: BookContent,
  saved: (edits: readonly BookEdit[]) => Promise<Uint8Array>,
): EditableWorkbook {
  const edits: BookEdit[] = [];
  return {
    ...content,
    setCells: (tab, row, cells) => edits.push({ kind: 'cells', tab, row, cells }),
    deleteRow: (tab, row) => edits.push({ kind: 'delete_row', tab, row }),
    addColumns: (tab, names) => edits.push({ kind: 'columns', tab, names }),
    ...(!isCsv(name) && { addTab: (tab: string, names: readonly string[]) => edits.push({ kind: 'tab', tab, names }) }),
    save: () => saved(edits),
    anew: () => editable(name, content, saved),
  };
}

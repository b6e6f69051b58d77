import { BookThread } from './book-thread.ts';
import { editBook, readBook } from './book-work.ts';
import { expectFileSize } from './limits.ts';
import { type BookContent, type BookEdit, type EditableWorkbook, isCsv, isOds } from './sheet.ts';
import { isLightCsv, isLightPackage } from './weigh.ts';

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
  const isLight = isLightFile(name, bytes);
  const content = isLight ? await readBook(name, bytes) : await heavy.read(name, bytes);
  return editable(name, content, (edits) =>
    isLight && edits.length <= fewEdits ? editBook(name, bytes, edits) : heavy.edit(name, bytes, edits),
  );
}

/** In OpenDocument a row of a few characters may stand for a million: what it unpacks to tells nothing of its weight. */
function isLightFile(name: string, bytes: Uint8Array): boolean {
  if (isOds(name)) return false;
  return isCsv(name) ? isLightCsv(bytes) : isLightPackage(bytes);
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
  const content = await readBook(name, bytes, keeps);
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

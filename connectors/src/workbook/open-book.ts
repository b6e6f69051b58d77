import { BookThread } from './book-thread.ts';
import { editBook, readBook } from './book-work.ts';
import { isBelow, lazyCsv, outlineCsv } from './csv.ts';
import type { CsvPlaces } from './csv-rows.ts';
import { expectFileSize } from './limits.ts';
import { type BookContent, type BookEdit, type EditableWorkbook, isCsv, isOds, isXlsx } from './sheet.ts';
import { isLightCsv, isLightPackage } from './weigh.ts';
import { editXlsx, readXlsx, Workbook } from './xlsx.ts';

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
  if (isCsv(name) && !isLight)
    return lazily(name, bytes, await heavy.places(name, bytes), (edits) => heavy.edit(name, bytes, edits));
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
 * outline the rows are left out. Of a workbook one tab is looked into: the one that is named, else the first.
 * @throws UnreadableWorkbook
 */
export async function openBookHere(
  name: string,
  bytes: Uint8Array,
  keeps: 'rows' | 'outline',
  tab?: string,
): Promise<EditableWorkbook> {
  expectFileSize(bytes.length);
  const edited = (edits: readonly BookEdit[]): Promise<Uint8Array> => editBook(name, bytes, edits);
  if (isCsv(name)) return lazily(name, bytes, outlineCsv(name, bytes), edited);
  const only = (names: readonly string[]): string | undefined => tab ?? names[0];
  if (!isXlsx(name)) return editable(name, await readBook(name, bytes, keeps), edited);
  // Its sheets are unpacked once for both, where the rows don't fill the memory besides.
  const book = await Workbook.open(bytes, keeps === 'outline');
  return editable(name, await readXlsx(book, keeps, only), (edits) => editXlsx(bytes, edits, book));
}

/** A CSV file whose rows are read when they are asked for; rows below the last are put there without reading the others. */
function lazily(
  name: string,
  bytes: Uint8Array,
  places: CsvPlaces,
  edited: (edits: readonly BookEdit[]) => Promise<Uint8Array>,
): EditableWorkbook {
  const { content, append } = lazyCsv(name, bytes, places);
  return editable(name, content, async (edits) =>
    isBelow(edits, places.starts.length) ? append(edits) : edited(edits),
  );
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
    emptyTab: (tab) => edits.push({ kind: 'emptied', tab }),
    addColumns: (tab, names) => edits.push({ kind: 'columns', tab, names }),
    ...(!isCsv(name) && {
      addTab: (tab: string, names: readonly string[]) => edits.push({ kind: 'tab', tab, names }),
      addTabLike: (tab: string, like: string) => edits.push({ kind: 'tab_like', tab, like }),
    }),
    save: () => saved(edits),
    anew: () => editable(name, content, saved),
  };
}

import { parentPort } from 'node:worker_threads';
import { editBook, readBook } from './book-work.ts';
import { outlineCsv } from './csv.ts';
import type { BookEdit } from './sheet.ts';

// The workbook thread: reads and saves heavy files, one after the other. It may die of one; nothing
// else is in it.

/** What the thread is asked. */
export type BookAsk =
  | { readonly kind: 'read'; readonly name: string; readonly bytes: Uint8Array }
  /** Where the rows of a CSV file stand. */
  | { readonly kind: 'places'; readonly name: string; readonly bytes: Uint8Array }
  | { readonly kind: 'edit'; readonly name: string; readonly bytes: Uint8Array; readonly edits: readonly BookEdit[] };

/** Said when rows have been taken in: the next ones are sent then, so that none heap up before the server. */
export interface BookMore {
  readonly kind: 'more';
}

/** Rows that travel in one message: taking one in keeps the server for some milliseconds only. */
const rowsAtOnce = 1000;

parentPort?.on('message', (ask: BookAsk | BookMore) => {
  if (ask.kind === 'more') return;
  void answer(ask).catch((error: unknown) => {
    const said = error instanceof Error ? error : new Error(String(error));
    parentPort?.postMessage({
      kind: 'failed',
      message: said.message,
      isUnreadable: said.name === 'UnreadableWorkbook',
    });
  });
});

async function answer(ask: BookAsk): Promise<void> {
  if (ask.kind === 'edit') {
    parentPort?.postMessage({ kind: 'done', value: await editBook(ask.name, ask.bytes, ask.edits) });
    return;
  }
  if (ask.kind === 'places') {
    parentPort?.postMessage({ kind: 'done', value: outlineCsv(ask.name, ask.bytes) });
    return;
  }
  const { sheets, ...about } = await readBook(ask.name, ask.bytes);
  for (const [at, sheet] of sheets.entries()) {
    const rows = [...sheet.rows];
    for (let from = 0; from < rows.length; from += rowsAtOnce) {
      const taken = new Promise((resolve) => parentPort?.once('message', resolve));
      parentPort?.postMessage({ kind: 'rows', at, rows: rows.slice(from, from + rowsAtOnce) });
      await taken;
    }
  }
  parentPort?.postMessage({
    kind: 'done',
    value: { ...about, sheets: sheets.map((sheet) => ({ ...sheet, rows: [] })) },
  });
}

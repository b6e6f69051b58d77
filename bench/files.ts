import { mkdtempSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { FolderStore, WorkbookConnector } from '@golden/connectors';
import ExcelJS from 'exceljs';
import { Package } from '../connectors/src/workbook/xlsx/package.ts';
import { editXlsx } from '../connectors/src/workbook/xlsx.ts';

/** What opening and listing a large file cost, and how long everything else had to wait at the most. */
export interface FileMeasure {
  readonly what: string;
  readonly megabytes: number;
  readonly rows: number;
  readonly seconds: number;
  /** Milliseconds between two turns of the event loop, at the most. */
  readonly longestPause: number;
}

const columns = ['No', 'Name', 'E-mail', 'Phone', 'Street', 'Town'];
const row = (at: number): (string | number)[] => [
  at,
  `Ada, ${at}`,
  `ada${at}@clay.example`,
  `+44 1632 960${at % 1000}`,
  `${at} Kiln Lane`,
  'Saltmarsh',
];

/** Opens and lists a CSV file and a workbook, each with as many rows as told. */
export async function measureFiles(csvRows: number, sheetRows: number): Promise<FileMeasure[]> {
  const folder = mkdtempSync(join(tmpdir(), 'golden-bench-files-'));
  try {
    const lines = Array.from({ length: csvRows }, (_, at) =>
      row(at)
        .map((cell) => `"${cell}"`)
        .join(','),
    );
    writeFileSync(join(folder, 'large.csv'), [columns.join(','), ...lines].join('\r\n'));
    const book = new ExcelJS.stream.xlsx.WorkbookWriter({ filename: join(folder, 'large.xlsx') });
    const tab = book.addWorksheet('Rows');
    tab.addRow(columns).commit();
    for (let at = 0; at < sheetRows; at++) tab.addRow(row(at)).commit();
    await book.commit();
    return [await opened(folder, 'large.csv', 'large'), await opened(folder, 'large.xlsx', 'Rows')];
  } finally {
    rmSync(folder, { recursive: true, force: true });
  }
}

/** What putting rows below the last one of a workbook takes, beside unpacking and packing the same file with nothing changed. */
export interface AppendMeasure {
  readonly rows: number;
  readonly into: number;
  readonly seconds: number;
  readonly ratio: number;
}

/** Appends a hundred rows of six cells to workbooks of so many rows. */
export async function measureAppending(sizes: readonly number[]): Promise<AppendMeasure[]> {
  const measures: AppendMeasure[] = [];
  for (const into of sizes) {
    const book = new ExcelJS.Workbook();
    const tab = book.addWorksheet('Rows');
    tab.addRow(columns);
    for (let at = 0; at < into; at++) tab.addRow(row(at));
    const bytes = new Uint8Array(await book.xlsx.writeBuffer());
    const edits = Array.from({ length: 100 }, (_, at) => ({
      kind: 'cells' as const,
      tab: 'Rows',
      row: into + 2 + at,
      cells: row(at).map((value, column) => ({ column: column + 1, value, type: 'text' as const })),
    }));
    const seconds = await secondsOf(() => editXlsx(bytes, edits));
    const plain = await secondsOf(async () => {
      const pack = Package.open(bytes);
      const contents = new Map<string, Buffer>();
      for (const { name } of pack.parts) contents.set(name, await pack.read(name));
      return pack.with(contents);
    });
    measures.push({ rows: edits.length, into, seconds, ratio: seconds / plain });
  }
  return measures;
}

async function secondsOf(work: () => Promise<unknown>): Promise<number> {
  const began = performance.now();
  await work();
  return (performance.now() - began) / 1000;
}

async function opened(folder: string, name: string, tab: string): Promise<FileMeasure> {
  const store = new FolderStore(folder);
  const connector = new WorkbookConnector(store);
  let [longestPause, isOn] = [0, true];
  let last = performance.now();
  const tick = (): void => {
    const now = performance.now();
    longestPause = Math.max(longestPause, now - last);
    last = now;
    if (isOn) setImmediate(tick);
  };
  tick();
  const began = performance.now();
  const { records } = await connector.list({ path: [name, tab] });
  const seconds = (performance.now() - began) / 1000;
  isOn = false;
  const { bytes } = await store.take(name);
  return { what: name, megabytes: (bytes?.length ?? 0) / 1024 / 1024, rows: records.length, seconds, longestPause };
}

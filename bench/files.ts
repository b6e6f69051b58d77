import { mkdtempSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { FolderStore, WorkbookConnector } from '@golden/connectors';
import ExcelJS from 'exceljs';

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

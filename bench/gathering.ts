import { readFileSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { performance } from 'node:perf_hooks';
import { emptyContent, type Place, type WorkflowContent } from '@golden/core';
import { makeServices } from '@golden/server';
import ExcelJS from 'exceljs';
import { editXlsx } from '../connectors/src/workbook/xlsx.ts';

// Rows of a CSV file into a workbook that has many already, through the whole engine: how long, and in how
// many replacements of the file.

const [, , folder = '', count = '5000', into = '20000'] = process.argv;

const columns = ['No', 'Name', 'E-mail', 'Phone', 'Street', 'Town', 'Country', 'Since', 'Amount', 'Note'];
const row = (at: number): string[] => [
  `N ${at}`,
  `Ada ${at}`,
  `ada${at}@clay.example`,
  `+44 1632 960${at % 1000}`,
  `${at} Kiln Lane`,
  'Saltmarsh',
  'GB',
  '2026-03-05',
  String(at / 4),
  'glaze',
];

const lines = Array.from({ length: Number(count) }, (_, at) => row(at).join(','));
writeFileSync(join(folder, 'new.csv'), `${[columns.join(','), ...lines].join('\r\n')}\r\n`);
const book = new ExcelJS.Workbook();
const tab = book.addWorksheet('Rows');
tab.addRow(columns);
for (let at = 0; at < Number(into); at++) tab.addRow(row(1_000_000 + at));
const made = new Uint8Array(await book.xlsx.writeBuffer());
for (const name of ['list.xlsx', 'before.xlsx']) writeFileSync(join(folder, name), made);

const services = await makeServices({ dataFile: join(folder, 'golden.sqlite'), masterKey: 'bench', descriptions: [] });
const { id: connection } = await services.connections.add({
  app: 'folder',
  name: 'Folder',
  settings: { folder },
  key: '',
});
const connector = await services.connections.connector(connection);
const place = async (path: string[]): Promise<Place> => ({
  connection,
  path,
  labels: path,
  described: await connector.describe(path),
});
const ref = (name: string) => ({ step: 'start', path: `/${name}` });
const content: WorkflowContent = {
  ...emptyContent('Bench'),
  start: {
    source: await place(['new.csv', 'new']),
    on: 'added',
    identity: '/No',
    trigger: { kind: 'every', minutes: 60 },
    fromWhen: { kind: 'all' },
  },
  steps: [
    {
      id: 'write',
      kind: 'write',
      target: await place(['list.xlsx', 'Rows']),
      mode: 'append',
      mapping: Object.fromEntries(
        columns.map((name) => [`/${name}`, { kind: 'field', ref: ref(name), tidies: [] }] as const),
      ),
    },
  ],
};
const { id } = await services.workflows.add(content);
const started = performance.now();
const { run } = await services.engine.makeLive(id);
await services.engine.finish(run);
const seconds = (performance.now() - started) / 1000;
const { replacements } = await services.db
  .selectFrom('replacement')
  .select((eb) => eb.fn.countAll<number>().as('replacements'))
  .executeTakeFirstOrThrow();
const { delivered } = await services.db
  .selectFrom('item')
  .select((eb) => eb.fn.countAll<number>().as('delivered'))
  .where('state', '=', 'delivered')
  .executeTakeFirstOrThrow();
if (delivered !== Number(count)) throw new Error(`${delivered} of ${count} were delivered.`);
// The truth is in the file.
const after = new ExcelJS.Workbook();
await after.xlsx.load(readFileSync(join(folder, 'list.xlsx')) as never);
const rows = (after.getWorksheet('Rows')?.rowCount ?? 0) - 1 - Number(into);
if (rows !== Number(count)) throw new Error(`${rows} of ${count} rows are in the file.`);
// What the same change takes by itself, and a check while nothing has changed.
const before = readFileSync(join(folder, 'before.xlsx'));
const edits = lines.map((_, at) => ({
  kind: 'cells' as const,
  tab: 'Rows',
  row: Number(into) + 2 + at,
  cells: row(at).map((value, column) => ({ column: column + 1, value, type: 'text' as const })),
}));
const begun = performance.now();
await editXlsx(before, edits);
const alone = (performance.now() - begun) / 1000;
const polls: number[] = [];
for (let tries = 0; tries < 8; tries++) {
  const from = performance.now();
  await services.engine.finish(await services.engine.checkNow(id));
  polls.push(performance.now() - from);
  await new Promise((resolve) => setTimeout(resolve, 100));
}
const pollMs = Math.min(...polls);
await services.close();
console.log(JSON.stringify({ seconds, replacements, ratio: seconds / alone, pollMs }));
process.exit(0);

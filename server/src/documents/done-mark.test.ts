import { readdirSync } from 'node:fs';
import { withAfterwards } from '@golden/core';
import ExcelJS from 'exceljs';
import { productAroundEach } from '../testing/around.ts';
import { checkNow, goLive, unbalanced } from '../testing/checks.ts';
import { notesFolder, notesWorkflow, textFilling } from '../testing/notes.ts';
import { fieldFilling, placeOf, rowsOf } from '../testing/world.ts';

// A document for each row of a workbook, and the day on which it was made in the row's own column.

afterEach(async () => expect(await unbalanced(around.services)).toEqual([]));
const around = productAroundEach();

async function workbook(rows: readonly (readonly ExcelJS.CellValue[])[]): Promise<void> {
  const book = new ExcelJS.Workbook();
  const sheet = book.addWorksheet('People');
  sheet.addRow(['Number', 'Name', 'Made']);
  for (const row of rows) sheet.addRow([...row]);
  around.world.shelf.files.replace('Course.xlsx', Buffer.from(await book.xlsx.writeBuffer()), undefined);
}

const rows = () => rowsOf(around.world.shelf.files.get('Course.xlsx')?.bytes ?? Buffer.alloc(0), 'People');

test('each row says when its document was made; run again nothing is made and nothing said anew', async () => {
  await workbook([
    ['C-1', 'Ada', null],
    ['C-2', 'Zoë', null],
  ]);
  const { services, connected } = around;
  const id = await notesWorkflow(around, {
    mapping: {
      '/$name': textFilling('Note ', { ref: '/Number' }),
      '/number': fieldFilling('/Number'),
      '/customer/name': fieldFilling('/Name'),
    },
    start: { source: await placeOf(services, connected.shelf, ['Course.xlsx', 'People']), identity: '/Number' },
  });
  const { draft, draftRev } = await services.workflows.get(id);
  const marked = withAfterwards(draft, { kind: 'mark', field: '/Made', by: '/Number' });
  await services.workflows.saveDraft(id, marked, draftRev);
  await goLive(services, id);
  expect(readdirSync(notesFolder(around))).toHaveLength(2);
  const first = await rows();
  expect(first.map(({ Made }) => Made instanceof Date)).toEqual([true, true]);
  await checkNow(services, id);
  expect(await rows()).toEqual(first);
  expect(readdirSync(notesFolder(around))).toHaveLength(2);
  // A row that somebody takes out after it was taken in is left out of that, and isn't made anew.
  await workbook([['C-3', 'Ira', null]]);
  await checkNow(services, id);
  expect((await rows()).map(({ Made }) => Made instanceof Date)).toEqual([true]);
  expect(readdirSync(notesFolder(around))).toHaveLength(3);
});

import { mkdirSync, readdirSync, readFileSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { emptyContent } from '@golden/core';
import ExcelJS from 'exceljs';
import type { Services } from '../services.ts';
import { unbalanced } from '../testing/checks.ts';
import { emptyWorkbook, fieldFilling, openServices, openWorld, placeOf, rowsOf, type World } from '../testing/world.ts';

// Records go to the tab of their year; the tab of a new year is made like the last one, when that was chosen.

let world: World;
let services: Services;
let folder: string;
let connection: string;

beforeEach(async () => {
  world = await openWorld();
  services = await openServices(world);
  folder = join(world.folder, 'office');
  mkdirSync(folder);
  writeFileSync(join(folder, 'Orders.xlsx'), await emptyWorkbook('2026', ['No', 'Placed']));
  put('1,2026-03-05\n2,2027-01-02\n3,2027-02-03\n4,2026-04-06\n');
  ({ id: connection } = await services.connections.add({ app: 'folder', name: 'Office', settings: { folder } }));
});
afterEach(async () => {
  await services.close();
  await world.close();
});

const put = (rows: string): void => writeFileSync(join(folder, 'orders.csv'), `No,Placed\n${rows}`);
const bytes = (): Buffer => readFileSync(join(folder, 'Orders.xlsx'));
const numbers = async (tab: string, file = 'Orders.xlsx') =>
  (await rowsOf(readFileSync(join(folder, file)), tab)).map((row) => String(row['No']));
const tabs = async (): Promise<string[]> => {
  const book = new ExcelJS.Workbook();
  await book.xlsx.load(bytes() as never);
  return book.worksheets.map(({ name }) => name);
};

async function workflow(
  mode: 'append' | 'create_or_update',
  makesPlace: boolean,
  into = ['Orders.xlsx', '2026'],
  by: { readonly text: string; readonly part?: number } = { text: 'LEFT(row.placed; 4)' },
): Promise<string> {
  const { id } = await services.workflows.add({
    ...emptyContent('Orders by year'),
    start: {
      source: await placeOf(services, connection, ['orders.csv', 'orders']),
      on: 'added',
      identity: '/No',
      trigger: { kind: 'every', minutes: 60 },
      fromWhen: { kind: 'all' },
    },
    steps: [
      {
        id: 'list',
        kind: 'write',
        target: await placeOf(services, connection, into),
        mode,
        ...(mode === 'create_or_update' && { key: '/No' }),
        placeBy: { text: by.text, refs: { 'row.placed': { step: 'start', path: '/Placed' } } },
        ...(by.part !== undefined && { placePart: by.part }),
        ...(makesPlace && { makesPlace }),
        mapping: { '/No': fieldFilling('/No'), '/Placed': fieldFilling('/Placed') },
      },
    ],
  });
  return id;
}

async function live(id: string): Promise<void> {
  await services.engine.finish((await services.engine.makeLive(id)).run);
  await services.engine.quiet();
}

test.each(['append', 'create_or_update'] as const)(
  '%s: the tab of a new year is made once, with its head, and each record is in its year',
  async (mode) => {
    const id = await workflow(mode, true);
    // A rehearsal shows them as new, and makes nothing.
    await services.engine.rehearse(id, 'all');
    await services.engine.rehearsals.wait(id);
    expect(await tabs()).toEqual(['2026']);
    await live(id);
    expect(await tabs()).toEqual(['2026', '2027']);
    expect(await numbers('2026')).toEqual(['1', '4']);
    expect(await numbers('2027')).toEqual(['2', '3']);
    put('5,2028-01-02\n6,2027-05-05\n');
    await services.engine.finish(await services.engine.checkNow(id));
    await services.engine.quiet();
    expect(await tabs()).toEqual(['2026', '2027', '2028']);
    expect([await numbers('2027'), await numbers('2028')]).toEqual([['2', '3', '6'], ['5']]);
    expect(await unbalanced(services)).toEqual([]);
    const states = await services.db.selectFrom('item').select('state').distinct().execute();
    expect(states).toEqual([{ state: 'delivered' }]);
  },
);

test('where it wasn’t chosen nothing is made, and the records need a person', async () => {
  await live(await workflow('append', false));
  expect(await tabs()).toEqual(['2026']);
  const items = await services.db.selectFrom('item').select(['state', 'message']).orderBy('seq').execute();
  expect(items.map(({ state }) => state)).toEqual(['delivered', 'unsettled', 'unsettled', 'delivered']);
  expect(items[1]?.message).toContain('no tab “2027”');
});

describe('a file of its own for each year', () => {
  const byYear = (ending: string) => ({ text: `"Orders " & LEFT(row.placed; 4) & "${ending}"`, part: 0 });

  test.each(['append', 'create_or_update'] as const)(
    '%s: it is made once, as the last one without its rows; what else stands in that stays',
    async (mode) => {
      const book = new ExcelJS.Workbook();
      for (const [name, rows] of Object.entries({
        Orders: [
          ['No', 'Placed'],
          ['0', '2026-01-01'],
        ],
        Notes: [['About'], ['Ask Ola']],
      }))
        book.addWorksheet(name).addRows(rows);
      await book.xlsx.writeFile(join(folder, 'Orders 2026.xlsx'));
      // An earlier one, and one of another kind: the model is the last of its series.
      writeFileSync(join(folder, 'Orders 2025.xlsx'), await emptyWorkbook('Old', ['Other']));
      const id = await workflow(mode, true, ['Orders 2026.xlsx', 'Orders'], byYear('.xlsx'));
      await services.engine.rehearse(id, 'all');
      await services.engine.rehearsals.wait(id);
      expect(readdirSync(folder).sort()).toEqual(['Orders 2025.xlsx', 'Orders 2026.xlsx', 'Orders.xlsx', 'orders.csv']);
      await live(id);
      expect(await numbers('Orders', 'Orders 2026.xlsx')).toEqual(['0', '1', '4']);
      expect(await numbers('Orders', 'Orders 2027.xlsx')).toEqual(['2', '3']);
      expect(await rowsOf(readFileSync(join(folder, 'Orders 2027.xlsx')), 'Notes')).toEqual([{ About: 'Ask Ola' }]);
      put('5,2028-01-02\n6,2027-05-05\n');
      await services.engine.finish(await services.engine.checkNow(id));
      await services.engine.quiet();
      expect(await numbers('Orders', 'Orders 2027.xlsx')).toEqual(['2', '3', '6']);
      expect(await numbers('Orders', 'Orders 2028.xlsx')).toEqual(['5']);
      expect(await unbalanced(services)).toEqual([]);
    },
  );

  test('as CSV: its one tab is called after it; separator and line ends go on', async () => {
    writeFileSync(join(folder, 'Orders 2026.csv'), 'No;Placed\n0;2026-01-01\n');
    await live(await workflow('append', true, ['Orders 2026.csv', 'Orders 2026'], byYear('.csv')));
    expect(readFileSync(join(folder, 'Orders 2026.csv'), 'utf8')).toBe(
      'No;Placed\n0;2026-01-01\n1;2026-03-05\n4;2026-04-06\n',
    );
    expect(readFileSync(join(folder, 'Orders 2027.csv'), 'utf8')).toBe('No;Placed\n2;2027-01-02\n3;2027-02-03\n');
  });

  test('one that can’t be made so needs a person, with what is wrong; the others arrive', async () => {
    writeFileSync(join(folder, 'Orders 2026.xlsx'), await emptyWorkbook('Orders', ['No', 'Placed']));
    await live(
      await workflow('append', true, ['Orders 2026.xlsx', 'Orders'], {
        text: 'IF(LEFT(row.placed; 4)="2026"; "Orders 2026.xlsx"; "Orders 2027")',
        part: 0,
      }),
    );
    const items = await services.db.selectFrom('item').select(['state', 'message']).orderBy('seq').execute();
    expect(items.map(({ state }) => state)).toEqual(['delivered', 'unsettled', 'unsettled', 'delivered']);
    expect(items[1]?.message).toContain('has to end in .xlsx');
  });
});

import { mkdirSync, readFileSync, writeFileSync } from 'node:fs';
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
const numbers = async (tab: string) => (await rowsOf(bytes(), tab)).map((row) => String(row['No']));
const tabs = async (): Promise<string[]> => {
  const book = new ExcelJS.Workbook();
  await book.xlsx.load(bytes() as never);
  return book.worksheets.map(({ name }) => name);
};

async function workflow(mode: 'append' | 'create_or_update', makesPlace: boolean): Promise<string> {
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
        target: await placeOf(services, connection, ['Orders.xlsx', '2026']),
        mode,
        ...(mode === 'create_or_update' && { key: '/No' }),
        placeBy: { text: 'LEFT(row.placed; 4)', refs: { 'row.placed': { step: 'start', path: '/Placed' } } },
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

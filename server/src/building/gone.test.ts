import { mkdirSync, readFileSync, renameSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { emptyContent, withRenamedPlace } from '@golden/core';
import type { Services } from '../services.ts';
import { unbalanced } from '../testing/checks.ts';
import type { TestClock } from '../testing/clock.ts';
import { emptyWorkbook, fieldFilling, openServices, openWorld, placeOf, rowsOf, type World } from '../testing/world.ts';
import { goneOf } from './gone.ts';

// A file that was renamed is offered under its new name; once a person has said so, everything known of it stays.

let world: World;
let services: Services;
let folder: string;
let connection: string;

beforeEach(async () => {
  world = await openWorld();
  services = await openServices(world);
  folder = join(world.folder, 'office');
  mkdirSync(folder);
  writeFileSync(join(folder, 'leads.csv'), 'Key,Name\n1,Ada\n2,Zoë\n');
  writeFileSync(join(folder, 'Customers.xlsx'), await emptyWorkbook('2026', ['Key', 'Name']));
  writeFileSync(join(folder, 'Stock.xlsx'), await emptyWorkbook('Stock', ['Article', 'Price']));
  ({ id: connection } = await services.connections.add({ app: 'folder', name: 'Office', settings: { folder } }));
});
afterEach(async () => {
  await services.close();
  await world.close();
});

async function liveWorkflow(): Promise<string> {
  const { id } = await services.workflows.add({
    ...emptyContent('Leads'),
    start: {
      source: await placeOf(services, connection, ['leads.csv', 'leads']),
      on: 'added_or_changed',
      identity: '/Key',
      trigger: { kind: 'every', minutes: 60 },
      fromWhen: { kind: 'all' },
    },
    steps: [
      {
        id: 'list',
        kind: 'write',
        target: await placeOf(services, connection, ['Customers.xlsx', '2026']),
        mode: 'create_or_update',
        key: '/Key',
        mapping: { '/Key': fieldFilling('/Key'), '/Name': fieldFilling('/Name') },
      },
    ],
  });
  await settle((await services.engine.makeLive(id)).run);
  return id;
}

async function settle(run: string): Promise<void> {
  await services.engine.finish(run);
  await services.engine.quiet();
}

async function takeFirst(id: string, sentence: string): Promise<void> {
  const { draft, draftRev } = await services.workflows.get(id);
  const [likeliest] = (await goneOf(services, draft)).find((one) => one.sentence === sentence)?.likely ?? [];
  if (!likeliest) throw new Error('Nothing is offered.');
  await services.workflows.saveDraft(id, withRenamedPlace(draft, sentence, likeliest), draftRev);
}

const rows = async (file: string, tab: string) =>
  (await rowsOf(readFileSync(join(folder, file)), tab)).map((row) => `${row['Key']} ${row['Name']}`);

test('a renamed destination: the likely ones with their reason, then what stopped goes on, and nobody is doubled', async () => {
  const id = await liveWorkflow();
  renameSync(join(folder, 'Customers.xlsx'), join(folder, 'Customer list.xlsx'));
  writeFileSync(join(folder, 'Old.xlsx'), await emptyWorkbook('2025', ['Key', 'Name', 'Town']));
  const [gone] = await goneOf(services, (await services.workflows.get(id)).draft);
  expect(gone).toMatchObject({
    sentence: 'list',
    place: 'Customers.xlsx → 2026',
    message: expect.stringContaining('no file “Customers.xlsx”'),
    likely: [
      { path: ['Customer list.xlsx', '2026'], why: 'has all 2 of its columns' },
      { path: ['Old.xlsx', '2025'], why: 'has all 2 of its columns' },
    ],
  });
  writeFileSync(join(folder, 'leads.csv'), 'Key,Name\n1,Ada L.\n2,Zoë\n3,Eve\n');
  (services.seams as TestClock).pass(6000);
  await settle(await services.engine.checkNow(id));
  const stopped = await services.db.selectFrom('item').select('cause').where('state', '=', 'unsettled').execute();
  expect(stopped).toEqual([{ cause: 'drift' }, { cause: 'drift' }]);
  await takeFirst(id, 'list');
  expect(await goneOf(services, (await services.workflows.get(id)).draft)).toEqual([]);
  await settle((await services.engine.makeLive(id)).run);
  expect(await rows('Customer list.xlsx', '2026')).toEqual(['1 Ada L.', '2 Zoë', '3 Eve']);
  expect(await unbalanced(services)).toEqual([]);
  // What was written last is known under the new name too: a colleague's correction is kept.
  const known = await services.db.selectFrom('last_written').select('place').distinct().execute();
  expect(known).toEqual([{ place: JSON.stringify(['Customer list.xlsx', '2026']) }]);
});

test('a renamed tab is offered within its file, and none of another kind is', async () => {
  const id = await liveWorkflow();
  writeFileSync(join(folder, 'Customers.xlsx'), await emptyWorkbook('Year 2026', ['Key', 'Name']));
  const [gone] = await goneOf(services, (await services.workflows.get(id)).draft);
  expect(gone?.likely.map(({ path }) => path)).toEqual([['Customers.xlsx', 'Year 2026']]);
});

test('a renamed source goes on where it stood: nothing comes twice, and what was added meanwhile comes', async () => {
  const id = await liveWorkflow();
  renameSync(join(folder, 'leads.csv'), join(folder, 'Leads 2026.csv'));
  writeFileSync(join(folder, 'Leads 2026.csv'), 'Key,Name\n1,Ada\n2,Zoë\n3,Eve\n');
  await takeFirst(id, 'start');
  expect(await services.engine.liesBetween(id)).toMatchObject({ begins: null, between: { count: 1 } });
  await settle((await services.engine.makeLive(id)).run);
  expect(await rows('Customers.xlsx', '2026')).toEqual(['1 Ada', '2 Zoë', '3 Eve']);
  const { n } = await services.db
    .selectFrom('item')
    .select((eb) => eb.fn.countAll<number>().as('n'))
    .executeTakeFirstOrThrow();
  expect(n).toBe(3);
});

import { mkdirSync, readFileSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { sql } from 'kysely';
import type { Services } from '../services.ts';
import { checkNow, decide, goLive, settled, turns, unbalanced, until } from '../testing/checks.ts';
import { customersToPeople, personLadder, personMapping } from '../testing/matching.ts';
import { customersToApp, type PeopleApp, peopleApp, peopleDescription } from '../testing/people-app.ts';
import {
  addCard,
  addCustomers,
  type Connected,
  columns,
  connectBoth,
  connectCards,
  customersWorkflow,
  emptyWorkbook,
  openServices,
  openWorld,
  placeOf,
  rowsOf,
  type World,
} from '../testing/world.ts';
import { PlaceLocks } from './locks.ts';

// What is held while records move: places, files, links, the disk; and what is taken back.

let world: World;
let services: Services;
let connected: Connected;

beforeEach(async () => {
  world = await openWorld();
  services = await openServices(world, {
    descriptions: [
      peopleDescription('nothing'),
      { ...peopleDescription('reference', { settlesWithin: 1 }), id: 'kept' },
    ],
  });
  connected = await connectBoth(world, services);
});
afterEach(async () => {
  await services.close();
  await world.close();
});

const items = () => services.db.selectFrom('item').selectAll().orderBy('seq').execute();
const states = async () => (await items()).map(({ state }) => state);
const shelfRows = async () => rowsOf(world.shelf.files.get('customers.xlsx')?.bytes ?? Buffer.alloc(0), 'Customers');
const people = () => world.cards.store.of('people').list({}, { limit: 1000 });

describe('a place is held by those who know a key and by those who go by likeness alike', () => {
  test('keys share the place, likeness has it alone, and all get in as they came', async () => {
    const locks = new PlaceLocks();
    const order: string[] = [];
    const one = await locks.takeKey('people', 'a');
    const two = await locks.takeKey('people', 'b');
    const alone = locks.takePlace('people').then((leave) => {
      order.push('place');
      return leave;
    });
    const late = locks.takeKey('people', 'c').then((leave) => {
      order.push('late key');
      return leave;
    });
    await Promise.resolve();
    expect(order).toEqual([]);
    one();
    two();
    const leave = await alone;
    expect(order).toEqual(['place']);
    leave();
    (await late)();
    expect(order).toEqual(['place', 'late key']);
  });

  test('two workflows at once, one by e-mail and one by likeness, make each person once', async () => {
    addCustomers(world, 25);
    const cards = await connectCards(world, services);
    const byLadder = await customersToPeople(services, connected, cards);
    const target = await placeOf(services, cards, ['people']);
    const byKey = await customersWorkflow(services, connected, { target: { connection: cards, path: ['people'] } });
    const { draft, draftRev } = await services.workflows.get(byKey);
    const step = {
      id: 'key',
      kind: 'write' as const,
      target,
      mode: 'create_or_update' as const,
      firstDifference: 'source' as const,
      key: '/email',
      mapping: personMapping,
    };
    await services.workflows.saveDraft(byKey, { ...draft, steps: [step] }, draftRev);
    const runs = await Promise.all([services.engine.makeLive(byLadder), services.engine.makeLive(byKey)]);
    for (const { run } of runs) await services.engine.finish(run);
    await settled(services);
    const emails = people().map(({ attributes }) => attributes['email']);
    // Alike in all but their e-mail, some may be taken for one by likeness; none is there twice under one address.
    expect(new Set(emails).size).toBe(emails.length);
    expect(await unbalanced(services)).toEqual([]);
  });
});

test('a link that a person corrected isn’t made again by the step after it', async () => {
  addCustomers(world, 1);
  const cards = await connectCards(world, services);
  const right = addCard(world, 'people', { firstName: 'Ada 1', lastName: 'Nair', email: 'ada1@clay.example' });
  const other = addCard(world, 'people', { firstName: 'Somebody', lastName: 'Else', email: 'x@clay.example' });
  const workflow = await customersToPeople(services, connected, cards);
  const { draft, draftRev } = await services.workflows.get(workflow);
  const second = {
    id: 'list',
    kind: 'write' as const,
    target: await placeOf(services, connected.shelf, ['customers.xlsx', 'Customers']).catch(() => null),
    mode: 'append' as const,
    mapping: {},
  };
  expect(second.target).toBeNull();
  world.shelf.files.replace('customers.xlsx', await emptyWorkbook('Customers', columns), undefined);
  const target = await placeOf(services, connected.shelf, ['customers.xlsx', 'Customers']);
  const steps = [
    ...draft.steps,
    {
      ...second,
      target,
      mapping: { '/Name': { kind: 'text' as const, parts: [{ kind: 'words' as const, text: 'x' }], tidies: [] } },
    },
  ];
  await services.workflows.saveDraft(workflow, { ...draft, steps }, draftRev);
  world.shelf.files.set('customers.xlsx', { right: 'view' });
  await goLive(services, workflow);
  const link = () => services.db.selectFrom('link').selectAll().executeTakeFirstOrThrow();
  expect((await link()).to_id).toBe(right);
  // A person says: no, it is the other one. Then the second step goes on.
  await services.db.updateTable('link').set({ to_id: other, origin: 'corrected' }).execute();
  world.shelf.files.set('customers.xlsx', { right: 'edit' });
  await services.engine.retryConnection(connected.shelf);
  await settled(services);
  expect(await states()).toEqual(['delivered']);
  expect(await link()).toMatchObject({ to_id: other, origin: 'corrected' });
});

test('rows go where the connection leads now: a folder that was changed in between is written, the old one isn’t', async () => {
  const folders = ['one', 'two'].map((name) => join(world.folder, name));
  for (const folder of folders) {
    mkdirSync(folder);
    writeFileSync(join(folder, 'list.csv'), `${columns.join(',')}\r\n`);
  }
  const [one = '', two = ''] = folders;
  const made = await services.connections.add({ app: 'folder', name: 'Books', settings: { folder: one } });
  addCustomers(world, 2);
  const workflow = await customersWorkflow(services, connected, {
    mode: 'append',
    target: { connection: made.id, path: ['list.csv', 'list'] },
  });
  await goLive(services, workflow);
  await services.connections.change(made.id, { name: 'Books', settings: { folder: two } }, { answer: 'other' });
  addCustomers(world, 3, 10);
  await checkNow(services, workflow);
  const rows = (folder: string) => readFileSync(join(folder, 'list.csv'), 'utf8').trim().split('\r\n').length - 1;
  expect([rows(one), rows(two)]).toEqual([2, 3]);
});

test('a matching thread that ends is replaced: the records that needed it are matched all the same', async () => {
  addCustomers(world, 12);
  const cards = await connectCards(world, services);
  const byMail = { ...personLadder, rungs: personLadder.rungs.filter(({ id }) => id === 'mail') };
  const workflow = await customersToPeople(services, connected, cards, { ladder: byMail });
  const { run } = await services.engine.makeLive(workflow);
  for (let ends = 0; ends < 3; ends++) {
    await turns(60);
    await services.worker.crash();
  }
  await services.engine.finish(run);
  await settled(services);
  for (const { id, state } of await items()) if (state === 'unsettled') await decide(services, id, { kind: 'retry' });
  expect(people()).toHaveLength(12);
  expect(new Set(await states())).toEqual(new Set(['delivered']));
});

test('a full disk: it says so, holds still and loses nothing; with room again everything goes on by itself', async () => {
  addCustomers(world, 120);
  world.shelf.files.replace('customers.xlsx', await emptyWorkbook('Customers', columns), undefined);
  const workflow = await customersWorkflow(services, connected, { mode: 'append' });
  const pages = await sql<{ page_count: number }>`PRAGMA page_count`.execute(services.db);
  const now = pages.rows[0]?.page_count ?? 0;
  // SQLite says the same when a file may not grow as when the disk is full.
  await sql.raw(`PRAGMA max_page_count = ${now + 12}`).execute(services.db);
  const { run } = await services.engine.makeLive(workflow);
  await until(() => services.storage.message !== null);
  expect(services.storage.message).toContain('The disk is full.');
  await turns(30);
  await sql.raw('PRAGMA max_page_count = 1000000').execute(services.db);
  await services.engine.finish(run);
  await settled(services);
  expect(services.storage.message).toBeNull();
  expect(await shelfRows()).toHaveLength(120);
  expect(new Set(await states())).toEqual(new Set(['delivered']));
  expect(await unbalanced(services)).toEqual([]);
});

describe('taking back', () => {
  test('a row that somebody typed where ours was read back wrongly stays', async () => {
    addCustomers(world, 1);
    world.shelf.files.replace('customers.xlsx', await emptyWorkbook('Customers', columns), undefined);
    const workflow = await customersWorkflow(services, connected, { mode: 'append' });
    await goLive(services, workflow);
    // Our row is gone, and another stands at its number.
    const { workbook } = await import('../testing/edits.ts');
    await workbook.prepare(await emptyWorkbook('Customers', columns));
    world.shelf.files.replace('customers.xlsx', workbook.note, undefined);
    await services.db.updateTable('write').set({ read: null }).execute();
    await expect(services.engine.takeBack((await items())[0]?.id ?? '')).rejects.toThrow('isn’t there any more');
    expect(await shelfRows()).toMatchObject([{ Name: 'kept by hand' }]);
  });

  test('a write that was accepted without an id can’t be taken back, and nothing else is', async () => {
    const app: PeopleApp = await peopleApp();
    addCustomers(world, 1);
    const { workflow } = await customersToApp(services, connected, app, 'nothing');
    app.after = () => 'break';
    await goLive(services, workflow);
    const [item] = await items();
    await decide(services, item?.id ?? '', { kind: 'accept', step: 'list' });
    app.after = () => undefined;
    await expect(services.engine.takeBack(item?.id ?? '')).rejects.toThrow('isn’t known which record');
    expect(app.asked.filter((one) => one.startsWith('DELETE'))).toEqual([]);
    expect(app.people).toHaveLength(1);
    await app.at.close();
  });

  test('what an app holds up is gone on with by itself', async () => {
    addCustomers(world, 1);
    const cards = await connectCards(world, services);
    const workflow = await customersToPeople(services, connected, cards);
    await goLive(services, workflow);
    world.cards.state.troubles.set('down', 40);
    await expect(services.engine.takeBack((await items())[0]?.id ?? '')).rejects.toThrow('goes on by itself');
    expect(people()).toHaveLength(1);
    world.cards.state.troubles.clear();
    await services.engine.retryConnection(cards);
    await services.engine.tick();
    await settled(services);
    expect(people()).toEqual([]);
    expect(await items()).toMatchObject([{ state: 'undone', message: 'Taken back.' }]);
  });
});

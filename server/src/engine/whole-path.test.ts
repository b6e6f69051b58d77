import { checkBalance, formatPointer } from '@golden/core';
import type { Services } from '../services.ts';
import { balanceNow, checkNow, decide, goLive, unbalanced, until } from '../testing/checks.ts';
import { tabWith } from '../testing/edits.ts';
import {
  addCustomers,
  type Connected,
  columns,
  connectBoth,
  customer,
  customersWorkflow,
  emptyWorkbook,
  fieldFilling,
  openServices,
  openWorld,
  placeOf,
  rowsOf,
  type World,
} from '../testing/world.ts';

let world: World;
let services: Services;
let connected: Connected;

beforeEach(async () => {
  world = await openWorld();
  world.shelf.files.replace('customers.xlsx', await emptyWorkbook('Customers', columns), undefined);
  services = await openServices(world);
  connected = await connectBoth(world, services);
});
afterEach(async () => {
  await services.close();
  await world.close();
});

const rows = () => rowsOf(world.shelf.files.get('customers.xlsx')?.bytes ?? Buffer.alloc(0), 'Customers');
const items = () => services.db.selectFrom('item').selectAll().orderBy('seq').execute();
const itemOf = async (state: string) => (await items()).find((item) => item.state === state);

test('every customer arrives once, and the books balance from the source on', async () => {
  addCustomers(world, 250);
  const id = await customersWorkflow(services, connected);
  const books = await balanceNow(services, await goLive(services, id));
  expect(checkBalance(books)).toEqual([]);
  expect(books).toMatchObject({ inSource: 250, notedEarlier: 0, takenIn: 250, items: { delivered: 250 } });
  const there = await rows();
  expect(there).toHaveLength(250);
  expect(new Set(there.map((row) => row['Number'])).size).toBe(250);
  expect(there[0]).toMatchObject({ Name: 'Ada 1 Nair', Phone: '+441632960771', Postcode: 'ZZ7 7EF' });
  expect(there[0]?.['Since']).toBeInstanceOf(Date);
});

test('only from now on: 0 written at first; one record added: 1 written; asked again: 0 (common practice)', async () => {
  addCustomers(world, 30);
  const id = await customersWorkflow(services, connected, { fromWhen: { kind: 'now' } });
  const first = await balanceNow(services, await goLive(services, id));
  expect(first).toMatchObject({ inSource: 30, notedEarlier: 30, takenIn: 0 });
  expect(await rows()).toHaveLength(0);
  addCustomers(world, 1, 31);
  const second = await balanceNow(services, await checkNow(services, id));
  expect(second).toMatchObject({ takenIn: 1, items: { delivered: 1 } });
  const third = await balanceNow(services, await checkNow(services, id));
  expect(third).toMatchObject({ takenIn: 0 });
  expect(await rows()).toHaveLength(1);
  expect(await unbalanced(services)).toEqual([]);
});

test('since a date takes in what was added from then on, and notes the rest', async () => {
  world.shop.store.add(customer({ email: 'old@clay.example' }), '2026-10-30T09:00:00.000Z');
  world.shop.store.add(customer({ email: 'new@clay.example' }), '2026-11-02T09:00:00.000Z');
  const id = await customersWorkflow(services, connected, { fromWhen: { kind: 'since', at: '2026-11-01' } });
  const books = await balanceNow(services, await goLive(services, id));
  expect(books).toMatchObject({ inSource: 2, notedEarlier: 1, takenIn: 1 });
  expect((await rows()).map((row) => row['E-mail'])).toEqual(['new@clay.example']);
});

test('A → B → A in the source is three revisions, each delivered; the last is written again', async () => {
  const { id: number } = world.shop.store.add(customer());
  const id = await customersWorkflow(services, connected, { on: 'added_or_changed' });
  await goLive(services, id);
  for (const street of ['10 Slip Yard', '9 Wheel Street']) {
    world.shop.store.change(number, { address: { ...customer().address, street, postcode: street.slice(0, 2) } });
    await checkNow(services, id);
  }
  expect((await items()).map((item) => item.state)).toEqual(['delivered', 'delivered', 'delivered']);
  expect(await rows()).toHaveLength(1);
});

test('plan, apply, plan again writes nothing: what is the same is not written', async () => {
  addCustomers(world, 5);
  const id = await customersWorkflow(services, connected);
  await goLive(services, id);
  const writes = world.shelf.state.writes;
  await services.db.deleteFrom('item').execute();
  await services.db.deleteFrom('seen').execute();
  const again = await goLive(services, id);
  expect(await balanceNow(services, again)).toMatchObject({ takenIn: 5, items: { delivered: 5 } });
  expect(world.shelf.state.writes).toBe(writes);
});

test('an awkward record becomes unsettled, is fixed by setting its value, and goes on; the others are not held up', async () => {
  addCustomers(world, 3);
  world.shop.store.add(customer({ first_name: 'Dirk', phone: 'ask for Dirk' }));
  const id = await customersWorkflow(services, connected);
  const run = await goLive(services, id);
  expect(await balanceNow(services, run)).toMatchObject({ takenIn: 4, items: { delivered: 3, unsettled: 1 } });
  const item = await itemOf('unsettled');
  expect(item).toMatchObject({ cause: 'value', message: 'Phone: “ask for Dirk” can’t be read as a telephone number.' });
  const phone = formatPointer(['Phone']);
  await decide(services, item?.id ?? '', { kind: 'set', step: 'list', values: { [phone]: '+441632960772' } });
  expect(await balanceNow(services, run)).toMatchObject({ items: { delivered: 4 } });
  expect((await rows()).map((row) => row['Phone'])).toContain('+441632960772');
});

test('a later change of an unsettled record stands behind it; taking the newest dismisses the earlier', async () => {
  const { id: number } = world.shop.store.add(customer({ phone: 'none' }));
  const id = await customersWorkflow(services, connected, { on: 'added_or_changed' });
  await goLive(services, id);
  world.shop.store.change(number, { phone: '01632 960 555' });
  await checkNow(services, id);
  expect((await items()).map((item) => item.cause)).toEqual(['value', 'behind']);
  await services.engine.takeNewest((await items())[0]?.id ?? '');
  expect((await items()).map((item) => item.state)).toEqual(['dismissed', 'delivered']);
  expect((await rows()).map((row) => row['Phone'])).toEqual(['+441632960555']);
  expect(await unbalanced(services)).toEqual([]);
});

test('a column that was renamed stops every write before a value lands in a wrong place', async () => {
  addCustomers(world, 4);
  const id = await customersWorkflow(services, connected);
  const renamed = columns.map((name) => (name === 'Phone' ? 'Telephone' : name));
  world.shelf.files.replace('customers.xlsx', await emptyWorkbook('Customers', renamed), undefined);
  const run = await goLive(services, id);
  expect(await balanceNow(services, run)).toMatchObject({ items: { unsettled: 4 } });
  expect(await itemOf('unsettled')).toMatchObject({ cause: 'drift' });
  expect(await rows()).toHaveLength(0);
});

test('two edits at once: somebody saves the file between our reading and our saving, and neither is lost', async () => {
  addCustomers(world, 2);
  const id = await customersWorkflow(services, connected);
  const { workbook } = await import('../testing/edits.ts');
  const original = world.shelf.files.replace.bind(world.shelf.files);
  let isFirst = true;
  world.shelf.files.replace = (name, bytes, ifMatch) => {
    if (isFirst && ifMatch) {
      isFirst = false;
      original(name, workbook.note, undefined);
    }
    return original(name, bytes, ifMatch);
  };
  await workbook.prepare(world.shelf.files.get('customers.xlsx')?.bytes ?? Buffer.alloc(0));
  const run = await goLive(services, id);
  expect(await balanceNow(services, run)).toMatchObject({ items: { delivered: 2 } });
  const there = await rows();
  expect(there.map((row) => row['Name'])).toEqual(['kept by hand', 'Ada 1 Nair', 'Ada 2 Nair']);
});

test('send one for real reads it back; taken back, the destination is as it was and the record counts anew', async () => {
  addCustomers(world, 3);
  const id = await customersWorkflow(services, connected);
  const [sample] = await services.engine.samples.of(id, true);
  const itemId = await services.engine.sendOne(id, sample?.id ?? '');
  expect(await rows()).toHaveLength(1);
  await expect(services.engine.sendOne(id, sample?.id ?? '')).rejects.toThrow('sent already');
  await services.engine.takeBack(itemId);
  expect(await rows()).toHaveLength(0);
  expect(await balanceNow(services, await goLive(services, id))).toMatchObject({
    inSource: 3,
    takenIn: 3,
    items: { delivered: 3 },
  });
  expect(await rows()).toHaveLength(3);
});

test('a changed row taken back gets its former values, but not when somebody changed it meanwhile', async () => {
  const { id: number } = world.shop.store.add(customer({ first_name: 'Zoë' }));
  const id = await customersWorkflow(services, connected, { on: 'added_or_changed' });
  await goLive(services, id);
  world.shop.store.change(number, { first_name: 'Zoë Maria' });
  await checkNow(services, id);
  expect((await rows())[0]?.['Name']).toBe('Zoë Maria Nair');
  const changed = (await items()).at(-1);
  await services.engine.takeBack(changed?.id ?? '');
  expect((await rows())[0]?.['Name']).toBe('Zoë Nair');
  await expect(services.engine.takeBack(changed?.id ?? '')).rejects.toThrow('nothing to take back');
});

test('a rehearsal writes nothing anywhere and comes to what the run then does', async () => {
  addCustomers(world, 20);
  world.shop.store.add(customer({ phone: 'none' }));
  world.shop.store.add(customer({ address: { ...customer().address, country: 'SE' } }));
  const id = await customersWorkflow(services, connected, {
    steps: [
      {
        id: 'keep',
        kind: 'condition',
        condition: { kind: 'test', ref: { step: 'start', path: '/address/country' }, operator: 'is', values: ['gb'] },
      },
    ],
  });
  const before = [world.shop.state.writes, world.shelf.state.writes];
  await services.engine.rehearse(id, 'all');
  await services.engine.rehearsals.wait(id);
  expect([world.shop.state.writes, world.shelf.state.writes]).toEqual(before);
  const rehearsed = await services.db.selectFrom('rehearsal_item').selectAll().execute();
  const expected = new Map(rehearsed.map((item) => [item.source_id, item.state]));
  await goLive(services, id);
  expect(new Map((await items()).map((item) => [item.source_id, item.state]))).toEqual(expected);
});

test('two new doubles in one rehearsal find each other, as they do in the run', async () => {
  world.shop.store.add(customer({ email: 'zoe@clay.example' }));
  world.shop.store.add(customer({ email: 'ZOE@clay.example', first_name: 'Zoe' }));
  const id = await customersWorkflow(services, connected, { key: formatPointer(['E-mail']) });
  await services.engine.rehearse(id, 'all');
  await services.engine.rehearsals.wait(id);
  const outcomes = async (table: 'item' | 'rehearsal_item') =>
    (await services.db.selectFrom(table).select('item_state').execute())
      .map((row) => JSON.parse(row.item_state).steps.list.outcome)
      .sort();
  expect(await outcomes('rehearsal_item')).toEqual(['changed', 'new']);
  await goLive(services, id);
  expect(await outcomes('item')).toEqual(['changed', 'new']);
  expect(await rows()).toHaveLength(1);
});

test('the live version never changes when the draft does, and a draft never runs', async () => {
  addCustomers(world, 1);
  const id = await customersWorkflow(services, connected, { fromWhen: { kind: 'now' } });
  await goLive(services, id);
  const { draft, draftRev } = await services.workflows.get(id);
  await services.workflows.saveDraft(id, { ...draft, steps: [] }, draftRev);
  addCustomers(world, 1, 2);
  await checkNow(services, id);
  expect(await rows()).toHaveLength(1);
  await expect(services.engine.makeLive(id)).rejects.toThrow('isn’t ready');
});

test('a run that is stopped cancels what has not begun; taken up again it is delivered', async () => {
  addCustomers(world, 400);
  const id = await customersWorkflow(services, connected);
  const { run } = await services.engine.makeLive(id);
  await until(async () => (await services.db.selectFrom('item').select('id').executeTakeFirst()) !== undefined);
  await services.engine.stopRun(run);
  await services.engine.finish(run);
  const books = await balanceNow(services, run);
  expect(checkBalance(books)).toEqual([]);
  expect(books.items.cancelled).toBeGreaterThan(0);
  const cancelled = await itemOf('cancelled');
  await services.engine.takeUp(cancelled?.id ?? '');
  expect((await balanceNow(services, run)).items.cancelled).toBe(books.items.cancelled - 1);
});

test('a server that ends in the middle of a run leaves it open, and the next start goes on with it', async () => {
  addCustomers(world, 300);
  const id = await customersWorkflow(services, connected);
  const { run } = await services.engine.makeLive(id);
  await until(async () => (await services.db.selectFrom('item').select('id').executeTakeFirst()) !== undefined);
  await services.close();
  services = await openServices(world);
  await services.engine.resume();
  const books = await balanceNow(services, run);
  expect(checkBalance(books)).toEqual([]);
  expect(books.items.cancelled).toBe(0);
  await checkNow(services, id);
  expect(await rows()).toHaveLength(300);
});

test('a tab as a source: rows are told apart by a key column, and a row that changes back is three revisions', async () => {
  const { workbook, saved } = await tabWith([
    ['00420', 'Stoneware'],
    ['', 'no number'],
    ['00421', 'Porcelain'],
  ]);
  world.shelf.files.replace('stock.xlsx', workbook, undefined);
  world.shelf.files.replace('copy.xlsx', await emptyWorkbook('Stock', ['Article', 'Name']), undefined);
  const id = await customersWorkflow(services, connected, { on: 'added_or_changed' });
  const { draft, draftRev } = await services.workflows.get(id);
  const article = formatPointer(['Article']);
  const target = await placeOf(services, connected.shelf, ['copy.xlsx', 'Stock']);
  const mapping = { [article]: fieldFilling(article), '/Name': fieldFilling('/Name') };
  const step = {
    id: 'copy',
    kind: 'write' as const,
    target,
    mode: 'create_or_update' as const,
    firstDifference: 'source' as const,
    key: article,
    mapping,
  };
  const start = {
    ...draft.start,
    source: await placeOf(services, connected.shelf, ['stock.xlsx', 'Stock']),
    identity: article,
  };
  await services.workflows.saveDraft(id, { ...draft, start, steps: [step] }, draftRev);
  expect(await balanceNow(services, await goLive(services, id))).toMatchObject({
    inSource: 3,
    items: { delivered: 2, unsettled: 1 },
  });
  for (const name of ['Stoneware, fine', 'Stoneware']) {
    world.shelf.files.replace('stock.xlsx', await saved(name), undefined);
    await checkNow(services, id);
  }
  const copied = await rowsOf(world.shelf.files.get('copy.xlsx')?.bytes ?? Buffer.alloc(0), 'Stock');
  expect(copied.map((row) => row['Name'])).toEqual(['Stoneware', 'Porcelain']);
  expect((await items()).filter((item) => item.source_id === '00420').map((item) => item.state)).toEqual([
    'delivered',
    'delivered',
    'delivered',
  ]);
  expect(await unbalanced(services)).toEqual([]);
});

test('the source is asked by itself when its time has come, and not while the workflow is off', async () => {
  const id = await customersWorkflow(services, connected, { fromWhen: { kind: 'now' } });
  await goLive(services, id);
  await services.engine.start();
  const due = () => services.db.updateTable('trigger_state').set({ next_at: '2020-01-01T00:00:00.000Z' }).execute();
  addCustomers(world, 2);
  expect(await rows()).toHaveLength(0);
  await due();
  await until(async () => (await rows()).length === 2);
  const { next_at } = await services.db.selectFrom('trigger_state').select('next_at').executeTakeFirstOrThrow();
  expect(Date.parse(next_at ?? '') - Date.now()).toBeGreaterThan(4 * 60_000);
  await services.engine.switchOff(id);
  addCustomers(world, 1, 3);
  await due();
  await services.engine.tick();
  await services.engine.quiet();
  expect(await rows()).toHaveLength(2);
});

import { emptyContent, formatPointer, type Start, type WorkflowContent } from '@golden/core';
import type { Services } from '../services.ts';
import { until } from '../testing/checks.ts';
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

// What brings records in: each event fires when it should, and only then; every record is accounted for.

let world: World;
let services: Services;
let connected: Connected;
let now = Date.parse('2026-11-23T12:00:00Z');

beforeEach(async () => {
  now = Date.parse('2026-11-23T12:00:00Z');
  world = await openWorld();
  world.shelf.files.replace('customers.xlsx', await emptyWorkbook('Customers', columns), undefined);
  let id = 0;
  services = await openServices(world, {
    seams: {
      now: () => new Date(now).toISOString(),
      id: () => `id-${String(id++).padStart(6, '0')}`,
      uptime: () => now,
      chance: () => 0.5,
      pause: () => Promise.resolve(),
      reach: () => undefined,
    },
  });
  connected = await connectBoth(world, services);
});

afterEach(async () => {
  await services.close();
  await world.close();
});

/** Makes the customers' workflow with another start, and the draft live. */
async function live(change: Partial<Start>): Promise<string> {
  const id = await customersWorkflow(services, connected, { fromWhen: { kind: 'now' } });
  const { draft, draftRev } = await services.workflows.get(id);
  await services.workflows.saveDraft(id, { ...draft, start: { ...draft.start, ...change } }, draftRev);
  await finish((await services.engine.makeLive(id)).run);
  return id;
}

async function check(id: string): Promise<string> {
  now += 300_000;
  const run = await services.engine.checkNow(id);
  await finish(run);
  return run;
}

async function finish(run: string): Promise<void> {
  await services.engine.finish(run);
  const row = await runOf(run);
  // In the source = noted earlier + taken in, and taken in = the items there are.
  expect(row.in_source).toBe(row.noted_earlier + row.taken_in);
  const { items } = await services.db
    .selectFrom('item')
    .select((eb) => eb.fn.countAll<number>().as('items'))
    .where('run_id', '=', run)
    .executeTakeFirstOrThrow();
  expect(items).toBe(row.taken_in);
}

const runOf = (run: string) =>
  services.db.selectFrom('run').selectAll().where('id', '=', run).executeTakeFirstOrThrow();
const names = async () =>
  (await rowsOf(world.shelf.files.get('customers.xlsx')?.bytes ?? Buffer.alloc(0), 'Customers')).map(
    (row) => row['Name'],
  );

describe('becomes', () => {
  const becomes = { on: 'becomes' as const, becomes: { path: '/account_type', value: 'Trade' } };

  test('it fires once, when the value comes to be what is asked, and again only after it was something else', async () => {
    const ada = world.shop.store.add(customer({ first_name: 'Ada' }));
    world.shop.store.add(customer({ first_name: 'Bo', account_type: 'trade' }));
    const id = await live(becomes);
    await check(id);
    expect(await names()).toEqual([]);
    world.shop.store.change(ada.id, { account_type: 'trade' });
    expect((await runOf(await check(id))).taken_in).toBe(1);
    expect(await names()).toEqual(['Ada Nair']);
    // Changed otherwise, asked twice: nothing fires.
    world.shop.store.change(ada.id, { phone: null });
    expect((await runOf(await check(id))).taken_in).toBe(0);
    world.shop.store.change(ada.id, { account_type: 'hobby' });
    expect((await runOf(await check(id))).taken_in).toBe(0);
    world.shop.store.change(ada.id, { account_type: 'trade' });
    expect((await runOf(await check(id))).taken_in).toBe(1);
  });

  test('a record that comes up with the value has come to it; one without hasn’t', async () => {
    const id = await live(becomes);
    world.shop.store.add(customer({ first_name: 'Cleo', account_type: 'trade' }));
    world.shop.store.add(customer({ first_name: 'Dag' }));
    await check(id);
    expect(await names()).toEqual(['Cleo Nair']);
  });

  test('with everything that is there, only those that have the value are taken in', async () => {
    world.shop.store.add(customer({ first_name: 'Ada' }));
    world.shop.store.add(customer({ first_name: 'Bo', account_type: 'trade' }));
    await live({ ...becomes, fromWhen: { kind: 'all' } });
    expect(await names()).toEqual(['Bo Nair']);
  });
});

describe('removed', () => {
  test('a record that is gone is taken in once, as it last was; one that comes back can go again', async () => {
    addCustomers(world, 3);
    const eve = world.shop.store.add(customer({ first_name: 'Eve' }));
    const id = await live({ on: 'removed' });
    expect((await runOf(await check(id))).taken_in).toBe(0);
    world.shop.store.remove(eve.id);
    expect((await runOf(await check(id))).taken_in).toBe(1);
    expect(await names()).toEqual(['Eve Nair']);
    expect((await runOf(await check(id))).taken_in).toBe(0);
  });

  test('when most are gone at once nothing is taken in until a person says so', async () => {
    addCustomers(world, 30);
    const id = await live({ on: 'removed' });
    for (const one of world.shop.store.search('', 40, 0)) world.shop.store.remove(one.id);
    now += 3_600_000;
    // As the clock would do it, not a person.
    await services.engine.tick();
    await services.engine.quiet();
    await settled(id);
    expect(await triggerOf(id)).toMatchObject({ cause: 'held', is_paused: 1 });
    expect(await names()).toEqual([]);
    const run = await services.engine.letIn(id, { kind: 'removed', count: 30, answer: 'take' });
    await services.engine.finish(run);
    expect((await runOf(run)).taken_in).toBe(30);
  });
});

/** Waits until no run of the workflow is under way. */
const settled = (id: string): Promise<void> =>
  until(async () => {
    const runs = await services.db.selectFrom('run').select('state').where('workflow_id', '=', id).execute();
    return runs.every((run) => ['done', 'broken', 'stopped'].includes(run.state));
  });

const triggerOf = (id: string) =>
  services.db.selectFrom('trigger_state').selectAll().where('workflow_id', '=', id).executeTakeFirstOrThrow();

test('at most N a run: the rest come with the next ones, none twice and none lost', async () => {
  addCustomers(world, 12);
  const id = await live({ fromWhen: { kind: 'all' }, mostPerRun: 5 });
  expect(await names()).toHaveLength(5);
  const second = await runOf(await check(id));
  expect(second).toMatchObject({ taken_in: 5, note: expect.stringContaining('at most 5') });
  const third = await runOf(await check(id));
  expect(third).toMatchObject({ taken_in: 2, note: null });
  expect(new Set(await names()).size).toBe(12);
  addCustomers(world, 1, 13);
  expect((await runOf(await check(id))).taken_in).toBe(1);
});

test('gathered: records wait, counted as waiting, until enough are there or the first has waited long enough', async () => {
  const id = await live({ gather: { records: 3, minutes: 60 } });
  const tick = async () => {
    await services.engine.tick();
    await services.engine.quiet();
  };
  const states = async () =>
    (await services.db.selectFrom('item').select('state').where('workflow_id', '=', id).execute()).map(
      (one) => one.state,
    );
  addCustomers(world, 2);
  await check(id);
  expect(await states()).toEqual(['waiting', 'waiting']);
  await tick();
  expect(await states()).toEqual(['waiting', 'waiting']);
  addCustomers(world, 1, 3);
  await check(id);
  await tick();
  expect(await states()).toEqual(['delivered', 'delivered', 'delivered']);
  addCustomers(world, 1, 4);
  await check(id);
  now += 61 * 60_000;
  await tick();
  expect(await states()).toHaveLength(4);
  expect((await states()).every((state) => state === 'delivered')).toBe(true);
});

test('only picked fields are fetched: a change in another one starts nothing, and is sent nowhere', async () => {
  const ada = world.shop.store.add(customer({ first_name: 'Ada' }));
  const fields = ['/first_name', '/last_name', '/email', '/phone', '/address/postcode', '/created_at'];
  const id = await live({ on: 'added_or_changed', fromWhen: { kind: 'all' }, fields });
  expect(await names()).toEqual(['Ada Nair']);
  world.shop.store.change(ada.id, { company: 'Kiln & Co.' });
  expect((await runOf(await check(id))).taken_in).toBe(0);
  world.shop.store.change(ada.id, { last_name: 'Lovelace' });
  expect((await runOf(await check(id))).taken_in).toBe(1);
  expect(await names()).toEqual(['Ada Lovelace']);
  const [sample] = await services.engine.samples.of(id, true);
  expect(Object.keys(sample?.record ?? {}).sort()).toEqual(
    ['address', 'created_at', 'email', 'first_name', 'id', 'last_name', 'phone'].sort(),
  );
});

describe('several places', () => {
  const tab = (name: string, rows: readonly string[]) => ({ name, rows });
  async function workbook(tabs: readonly { name: string; rows: readonly string[] }[]): Promise<Buffer> {
    const { default: ExcelJS } = await import('exceljs');
    const book = new ExcelJS.Workbook();
    for (const { name, rows } of tabs) {
      const sheet = book.addWorksheet(name);
      sheet.addRow(['Number', 'Name']);
      rows.forEach((row, at) => {
        sheet.addRow([String(at + 1), row]);
      });
    }
    return Buffer.from(await book.xlsx.writeBuffer());
  }

  async function fromTabs(also: Start['also']): Promise<string> {
    const source = await placeOf(services, connected.shelf, ['spring.xlsx', 'March']);
    const content: WorkflowContent = {
      ...emptyContent('Enquiries'),
      start: {
        source,
        ...(also && { also }),
        on: 'added',
        trigger: { kind: 'every', minutes: 5 },
        fromWhen: { kind: 'all' },
        identity: '/Number',
      },
      steps: [
        {
          id: 'list',
          kind: 'write',
          target: await placeOf(services, connected.shelf, ['customers.xlsx', 'Customers']),
          mode: 'append',
          mapping: { [formatPointer(['Name'])]: fieldFilling('/Name') },
        },
      ],
    };
    const { id } = await services.workflows.add(content);
    await finish((await services.engine.makeLive(id)).run);
    return id;
  }

  test('all beside it, now and later: a tab that comes up is read without anybody’s doing', async () => {
    const march = tab('March', ['Ada', 'Bo']);
    const april = tab('April', ['Cleo']);
    world.shelf.files.replace('spring.xlsx', await workbook([march, april]), undefined);
    const id = await fromTabs({ kind: 'all' });
    expect((await names()).sort()).toEqual(['Ada', 'Bo', 'Cleo']);
    world.shelf.files.replace('spring.xlsx', await workbook([march, april, tab('May', ['Dag'])]), undefined);
    await check(id);
    expect((await names()).sort()).toEqual(['Ada', 'Bo', 'Cleo', 'Dag']);
  });

  test('some: only the chosen ones, with the same key in two places kept apart', async () => {
    const tabs = [tab('March', ['Ada']), tab('April', ['Bo']), tab('Old', ['Zed'])];
    world.shelf.files.replace('spring.xlsx', await workbook(tabs), undefined);
    await fromTabs({ kind: 'some', places: [{ path: ['spring.xlsx', 'April'], labels: ['spring.xlsx', 'April'] }] });
    expect((await names()).sort()).toEqual(['Ada', 'Bo']);
  });

  test('a source column that is renamed stops the run before an empty value is carried anywhere', async () => {
    world.shelf.files.replace('spring.xlsx', await workbook([tab('March', ['Ada'])]), undefined);
    const id = await fromTabs(undefined);
    const { editTab } = await import('../../../standins/src/shelf/workbook.ts');
    const bytes = world.shelf.files.get('spring.xlsx')?.bytes ?? Buffer.alloc(0);
    const renamed = await editTab('spring.xlsx', bytes, 'March', {
      kind: 'rename_column',
      column: 1,
      name: 'Full name',
    });
    world.shelf.files.replace('spring.xlsx', renamed, undefined);
    const run = await runOf(await check(id));
    expect(run).toMatchObject({ state: 'broken', taken_in: 0 });
    expect(run.message).toContain('“Name” is likely “Full name” now');
    expect(await triggerOf(id)).toMatchObject({ cause: 'drift' });
    expect(await names()).toEqual(['Ada']);
  });
});

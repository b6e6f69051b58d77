import fc from 'fast-check';
import type { Services } from '../services.ts';
import {
  addCustomers,
  columns,
  connectBoth,
  customer,
  customersWorkflow,
  emptyWorkbook,
  openServices,
  openWorld,
  rowsOf,
  type World,
} from '../testing/world.ts';
import { alikeCases, settleAlike } from './alike.ts';

// Many cases that one answer settles, judged by the workbook they were to arrive in.

let world: World;
let services: Services;

beforeEach(async () => {
  world = await openWorld();
  world.shelf.files.replace('customers.xlsx', await emptyWorkbook('Customers', columns), undefined);
  services = await openServices(world);
});
afterEach(async () => {
  await services.close();
  await world.close();
});

const rows = () => rowsOf(world.shelf.files.get('customers.xlsx')?.bytes ?? Buffer.of(), 'Customers');
const open = () =>
  services.db.selectFrom('item').select(['id', 'title']).where('state', '=', 'unsettled').orderBy('seq').execute();

/** Customers of whom some have a telephone that is none, and one a day that is none. */
async function run(bad: number, good: number): Promise<void> {
  const connected = await connectBoth(world, services);
  addCustomers(world, good);
  for (let at = 0; at < bad; at++)
    world.shop.store.add(
      customer({ first_name: `Bad${at}`, last_name: 'Phone', email: `bad${at}@clay.example`, phone: `ask ${at}` }),
    );
  const id = await customersWorkflow(services, connected, { fromWhen: { kind: 'all' } });
  const { run: first } = await services.engine.makeLive(id);
  await services.engine.finish(first);
}

test('nine telephones that are none are left empty at once: all arrive, each once, the others untouched', async () => {
  await run(9, 4);
  const cases = await open();
  expect(cases).toHaveLength(9);
  const [first] = cases;
  const alike = await alikeCases(services, first?.id ?? '');
  expect(alike.map(({ id }) => id)).toEqual(cases.map(({ id }) => id));
  const [path = ''] = alike[0]?.fields.map((field) => field.path) ?? [];
  const ids = cases.slice(0, 8).map(({ id }) => id);
  const done = await settleAlike(services, first?.id ?? '', ids, { kind: 'set', values: { [path]: '' } });
  expect(done).toEqual({ settled: 8, left: [] });
  const there = await rows();
  expect(there).toHaveLength(12);
  expect(new Set(there.map((row) => row['E-mail'])).size).toBe(12);
  for (const row of there) if (/^bad/.test(String(row['E-mail']))) expect(row['Phone']).toBeNull();
  // The one that wasn't chosen waits; one that is settled already is told, and nothing is written twice.
  expect((await open()).map(({ id }) => id)).toEqual([cases[8]?.id]);
  const again = await settleAlike(services, cases[8]?.id ?? '', [cases[8]?.id ?? '', ids[0] ?? ''], {
    kind: 'dismiss',
    reason: 'No telephone',
  });
  expect(again).toMatchObject({ settled: 1, left: [{ id: ids[0] }] });
  expect(await rows()).toHaveLength(12);
});

test('property: whatever is chosen, each chosen one is settled once and each other one waits as before', async () => {
  await run(6, 0);
  const all = (await open()).map(({ id }) => id);
  const path = (await alikeCases(services, all[0] ?? ''))[0]?.fields[0]?.path ?? '';
  let left = new Set(all);
  await fc.assert(
    fc.asyncProperty(fc.subarray(all), async (chosen) => {
      const [lead] = left;
      if (lead === undefined) return;
      const done = await settleAlike(services, lead, chosen, { kind: 'set', values: { [path]: '' } });
      const settled = chosen.filter((id) => left.has(id));
      expect([done.settled, done.left.length]).toEqual([settled.length, chosen.length - settled.length]);
      left = new Set([...left].filter((id) => !chosen.includes(id)));
      expect((await open()).map(({ id }) => id)).toEqual([...left]);
      expect(await rows()).toHaveLength(all.length - left.size);
    }),
    { numRuns: 6, seed: 60_021 },
  );
});

import { type PracticeState, shopKeys, type TroubleKind, troubleKinds } from '@golden/standins';
import fc from 'fast-check';
import type { Services } from '../services.ts';
import { checkNow, decide, goLive, retryConnection, unbalanced } from '../testing/checks.ts';
import {
  addCustomers,
  type Connected,
  columns,
  connectBoth,
  customersWorkflow,
  emptyWorkbook,
  openServices,
  openWorld,
  rowsOf,
  type World,
} from '../testing/world.ts';

// The practice apps misbehave in every way they can; each customer arrives once all the same.

let world: World;
let services: Services;
let connected: Connected;

/** Slow means a second and a half: where that is no part of it, no answer is late on a busy machine. */
async function open(timeout = 900): Promise<void> {
  world = await openWorld();
  world.shelf.files.replace('customers.xlsx', await emptyWorkbook('Customers', columns), undefined);
  services = await openServices(world, { open: { timeout, retries: 2 } });
  connected = await connectBoth(world, services);
}
async function close(): Promise<void> {
  await services.close();
  await world.close();
}

const emails = async () =>
  (await rowsOf(world.shelf.files.get('customers.xlsx')?.bytes ?? Buffer.alloc(0), 'Customers')).map(
    (row) => row['E-mail'],
  );

function trouble(state: PracticeState, kind: TroubleKind, times: number): void {
  state.troubles.set(kind, times);
}

/** As a person would: when all is calm again, check the connections and retry what is left. */
async function setRight(workflow: string): Promise<void> {
  world.shop.state.troubles.clear();
  world.shelf.state.troubles.clear();
  await retryConnection(services, connected.shop);
  await retryConnection(services, connected.shelf);
  const left = await services.db.selectFrom('item').select('id').where('state', '=', 'unsettled').execute();
  for (const { id } of left) await decide(services, id, { kind: 'retry' });
  await checkNow(services, workflow);
}

async function expectExactlyOnce(count: number): Promise<void> {
  const there = await emails();
  expect(there).toHaveLength(count);
  expect(new Set(there).size).toBe(count);
  expect(await unbalanced(services)).toEqual([]);
  const states = await services.db.selectFrom('item').select('state').execute();
  expect(states.every((item) => item.state === 'delivered')).toBe(true);
}

describe.each(['append', 'create_or_update'] as const)('%s', (mode) => {
  beforeEach(() => open());
  afterEach(close);

  test.each(troubleKinds)('with the trouble “%s” in both apps, until it ends', async (kind) => {
    addCustomers(world, 15);
    const workflow = await customersWorkflow(services, connected, { mode });
    trouble(world.shop.state, kind, 2);
    trouble(world.shelf.state, kind, 2);
    await goLive(services, workflow);
    expect(await unbalanced(services)).toEqual([]);
    await setRight(workflow);
    await expectExactlyOnce(15);
  });
});

describe('one trouble looked at closely', () => {
  beforeEach(() => open(30_000));
  afterEach(close);

  test('a shelf that gives no right leaves one case to settle, in the app’s own words', async () => {
    addCustomers(world, 6);
    const workflow = await customersWorkflow(services, connected);
    world.shelf.files.set('customers.xlsx', { right: 'view' });
    await goLive(services, workflow);
    const left = await services.db.selectFrom('item').select(['cause', 'waits_for', 'message']).execute();
    expect(left).toHaveLength(6);
    for (const item of left) {
      expect(item).toMatchObject({ cause: 'connection', waits_for: connected.shelf });
      expect(item.message).toContain('“customers.xlsx” may be viewed, not edited');
    }
    world.shelf.files.set('customers.xlsx', { right: 'edit' });
    await retryConnection(services, connected.shelf);
    await expectExactlyOnce(6);
  });

  test('records given twice in one listing are counted as repeats and are no items', async () => {
    addCustomers(world, 5);
    const workflow = await customersWorkflow(services, connected);
    trouble(world.shop.state, 'answer_twice', 1);
    const run = await goLive(services, workflow);
    const row = await services.db.selectFrom('run').selectAll().where('id', '=', run).executeTakeFirstOrThrow();
    expect(row).toMatchObject({ in_source: 5, taken_in: 5, repeats: 5 });
  });

  test('a wrong key pauses asking and says so; with the right one it goes on', async () => {
    addCustomers(world, 3);
    const workflow = await customersWorkflow(services, connected);
    const { name, settings } = await services.connections.get(connected.shop);
    await services.connections.change(connected.shop, { name, settings, key: 'a wrong key' });
    await goLive(services, workflow);
    const trigger = await services.db.selectFrom('trigger_state').selectAll().executeTakeFirstOrThrow();
    expect(trigger).toMatchObject({ is_paused: 1, message: expect.stringContaining('doesn’t accept the access key') });
    await services.connections.change(connected.shop, { name, settings, key: shopKeys[0]?.key ?? '' });
    await retryConnection(services, connected.shop);
    await checkNow(services, workflow);
    await expectExactlyOnce(3);
  });
});

test('property: after any sequence of troubles each customer is there once and the books balance', async () => {
  const fault = fc.record({
    app: fc.constantFrom('shop', 'shelf'),
    kind: fc.constantFrom(...troubleKinds),
    times: fc.integer({ min: 1, max: 4 }),
  });
  const faults = fc.array(fault, { minLength: 1, maxLength: 5 });
  await fc.assert(
    fc.asyncProperty(faults, fc.constantFrom('append' as const, 'create_or_update' as const), async (list, mode) => {
      await open();
      try {
        addCustomers(world, 9);
        const workflow = await customersWorkflow(services, connected, { mode });
        for (const { app, kind, times } of list)
          trouble(app === 'shop' ? world.shop.state : world.shelf.state, kind, times);
        await goLive(services, workflow);
        expect(await unbalanced(services)).toEqual([]);
        await setRight(workflow);
        await expectExactlyOnce(9);
      } finally {
        await close();
      }
    }),
    { numRuns: 6, seed: 1861, endOnFailure: true },
  );
});

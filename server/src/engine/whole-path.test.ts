import { checkBalance } from '@golden/core';
import { balanceOfRun, countItems } from '../api/views.ts';
import type { Services } from '../services.ts';
import {
  addCustomers,
  type Connected,
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

async function balance(runId: string) {
  const run = await services.db.selectFrom('run').selectAll().where('id', '=', runId).executeTakeFirstOrThrow();
  return balanceOfRun(run, (await countItems(services.db, [runId])).get(runId));
}

async function makeLive(id: string): Promise<string> {
  const { run } = await services.engine.makeLive(id);
  await services.engine.finish(run);
  return run;
}

async function check(id: string): Promise<string> {
  const run = await services.engine.checkNow(id);
  await services.engine.finish(run);
  return run;
}

test('every customer arrives once, and the books balance from the source on', async () => {
  addCustomers(world, 250);
  const id = await customersWorkflow(services, connected);
  const run = await makeLive(id);
  const books = await balance(run);
  expect(checkBalance(books)).toEqual([]);
  expect(books).toMatchObject({ inSource: 250, notedEarlier: 0, takenIn: 250, items: { delivered: 250 } });
  const there = await rows();
  expect(there).toHaveLength(250);
  expect(new Set(there.map((row) => row['Number'])).size).toBe(250);
  expect(there[0]).toMatchObject({ Name: 'Ada 1 Nair', Phone: '+441632960771', Postcode: 'ZZ7 7EF' });
  expect(there[0]?.['Since']).toBeInstanceOf(Date);
});

import type { ItemState, WorkflowContent } from '@golden/core';
import type { Services } from '../services.ts';
import { addOrders } from '../testing/orders.ts';
import { type Connected, connectBoth, connectLedger, openServices, openWorld, type World } from '../testing/world.ts';
import { copyBetween } from './copies.ts';

// Three choices, "shop orders" into "retail invoices": the draft has to be right as it is proposed. The
// Ledger judges its totals by EN 16931, BR-CO-10 to BR-CO-17.

let world: World;
let services: Services;
let connected: Connected;
let ledger: string;

beforeEach(async () => {
  world = await openWorld();
  services = await openServices(world);
  connected = await connectBoth(world, services);
  ledger = await connectLedger(world, services);
});
afterEach(async () => {
  await services.close();
  await world.close();
});

const choose = (): Promise<WorkflowContent> =>
  copyBetween(
    services,
    { connection: connected.shop, path: ['orders'], labels: ['orders'] },
    { connection: ledger, path: ['retail', 'invoices'], labels: ['retail', 'invoices'] },
    'each_new',
  );

test('lines, every total, dates and the customer come proposed and right: each order would be a new invoice', async () => {
  addOrders(world, 25);
  const draft = await choose();
  const write = draft.steps.find((step) => step.kind === 'write');
  const filled = write?.kind === 'write' ? write.mapping : {};
  expect(draft.start).toMatchObject({ on: 'becomes', becomes: { path: '/status', value: 'paid' } });
  expect(draft.steps.map((step) => step.kind)).toEqual(['lookup', 'write']);
  expect(filled['/customerId']).toMatchObject({ ref: { step: draft.steps[0]?.id, path: '/id' } });
  expect(filled['/chargeTotalAmount']).toMatchObject({ ref: { path: '/shipping' } });
  expect(filled['/taxAmount']).toMatchObject({ ref: { path: '/tax_total' } });
  expect(filled['/taxInclusiveAmount']).toMatchObject({ ref: { path: '/total' } });
  expect(filled['/allowanceTotalAmount']).toBeUndefined();
  expect(filled['/prepaidAmount']).toBeUndefined();
  const { id } = await services.workflows.add(draft);
  await services.engine.rehearse(id, 'all');
  await services.engine.rehearsals.wait(id);
  const rows = await services.db.selectFrom('rehearsal_item').selectAll().execute();
  expect(
    rows.map(({ state, message }) => `${state} ${message ?? ''}`.trim()).filter((one) => one !== 'delivered'),
  ).toEqual([]);
  expect(rows).toHaveLength(25);
  // And really sent: the Ledger takes each of them.
  const sent = (JSON.parse(rows[0]?.item_state ?? '{}') as ItemState).sourceId ?? '';
  const item = await services.engine.sendOne(id, sent);
  await services.engine.quiet();
  const row = await services.db
    .selectFrom('item')
    .select(['state', 'message'])
    .where('id', '=', item)
    .executeTakeFirst();
  expect(row).toEqual({ state: 'delivered', message: null });
});

test('sums that don’t agree are not proposed', async () => {
  addOrders(world, 12);
  const orders = world.shop.store.sales.orders;
  for (const order of orders.list({}, { limit: 100 })) orders.change(order.id, { total: '999.00' });
  const write = (await choose()).steps.find((step) => step.kind === 'write');
  const filled = write?.kind === 'write' ? write.mapping : {};
  expect(Object.keys(filled)).not.toContain('/taxInclusiveAmount');
  expect(Object.keys(filled)).not.toContain('/taxExclusiveAmount');
  expect(Object.keys(filled)).not.toContain('/payableAmount');
});

import { checkReadiness } from '@golden/core';
import type { Services } from '@golden/server';
import {
  connectBoth,
  connectLedger,
  openServices,
  openWorld,
  placeOf,
  type World,
} from '../../server/src/testing/world.ts';
import { demoCustomers } from './customers.ts';
import { demoOrders, demoProducts, ledgerItems, ordersToInvoices } from './orders.ts';

const now = '2026-11-24T09:00:00.000Z';
let world: World;
let services: Services;
let ledgerId: string;
let workflow: string;

beforeEach(async () => {
  world = await openWorld();
  services = await openServices(world);
  const { shop } = await connectBoth(world, services);
  ledgerId = await connectLedger(world, services);
  const content = ordersToInvoices(
    await placeOf(services, shop, ['orders']),
    await placeOf(services, ledgerId, ['retail', 'customers']),
    await placeOf(services, ledgerId, ['retail', 'invoices']),
  );
  expect(checkReadiness(content).filter((one) => one.severity === 'blocks')).toEqual([]);
  workflow = (await services.workflows.add({ ...content, start: { ...content.start, fromWhen: { kind: 'all' } } })).id;
});
afterEach(async () => {
  await services.close();
  await world.close();
});

async function runAll() {
  const { run } = await services.engine.makeLive(workflow);
  await services.engine.finish(run);
  return services.db.selectFrom('item').selectAll().execute();
}

test('orders with lines become invoices that the Ledger’s rules take, each customer once', async () => {
  const orders = demoOrders(demoCustomers(60, now), 40, now);
  world.shop.store.sales.orders.addAll(orders);
  const items = await runAll();
  const wanted = orders.filter(
    ({ content }) => ['open', 'paid', 'sent'].includes(content.status) && content.email?.trim(),
  );
  const unsettled = items.filter((one) => one.state === 'unsettled').map((one) => one.message);
  expect(unsettled).toEqual([]);
  expect(items.filter((one) => one.state === 'delivered')).toHaveLength(wanted.length);
  const invoices = world.ledger.store.invoices.list({ company: 'retail' }, { limit: 1000 });
  expect(invoices).toHaveLength(wanted.length);
  for (const { content } of wanted) {
    const invoice = invoices.find((one) => one.invoiceNumber === content.number);
    expect(invoice?.taxInclusiveAmount).toBe(Math.round(Number(content.total) * 100));
    expect(invoice?.invoiceLines.map((line) => line.invoicedQuantity)).toEqual(
      content.lines.map((line) => line.quantity),
    );
    expect(invoice?.payableAmount).toBe(content.status === 'open' ? invoice?.taxInclusiveAmount : 0);
    expect(invoice?.reference).toMatch(/\S/);
  }
  const customers = world.ledger.store.customers.list({ company: 'retail' }, { limit: 1000 });
  const buyers = new Set(wanted.map(({ content }) => content.email?.trim().toLowerCase()));
  expect(customers.map((one) => one.electronicMail?.toLowerCase()).sort()).toEqual([...buyers].sort());
});

test('a token that expires in the middle of a run is renewed once, and nothing is lost or doubled', async () => {
  world.shop.store.sales.orders.addAll(demoOrders(demoCustomers(40, now), 30, now));
  const refresh = jest.spyOn(world.ledger.signIn, 'refresh');
  const { run } = await services.engine.makeLive(workflow);
  const timer = setInterval(() => {
    if (world.ledger.state.writes >= 7) {
      clearInterval(timer);
      world.ledger.signIn.expireAll();
    }
  }, 1);
  await services.engine.finish(run);
  clearInterval(timer);
  const items = await services.db.selectFrom('item').select('state').execute();
  expect(items.filter((one) => one.state === 'unsettled')).toEqual([]);
  const delivered = items.filter((one) => one.state === 'delivered').length;
  expect(world.ledger.store.invoices.count()).toBe(delivered);
  expect(refresh.mock.calls.length).toBe(1);
  // What was renewed is kept: another process starts with it.
  await services.close();
  services = await openServices(world);
  expect(await services.connections.check(ledgerId)).toMatchObject({ status: 'working', health: { mayWrite: true } });
  expect(refresh.mock.calls.length).toBe(1);
});

test('withdrawn leave makes one case of the connection, and signing in again carries on', async () => {
  world.shop.store.sales.orders.addAll(demoOrders(demoCustomers(20, now), 5, now));
  world.ledger.signIn.revokeAll();
  const items = await runAll();
  expect(items.some((one) => one.state === 'unsettled' && one.waits_for === ledgerId)).toBe(true);
  const tokens = world.ledger.signIn.issue({
    user: 'Mira Holm',
    client: 'golden-relay',
    scope: 'ledger.read ledger.write',
  });
  await services.connections.change(ledgerId, {
    name: 'Ledger',
    settings: { address: `${world.ledger.at.url}/api` },
    key: JSON.stringify({ access: tokens.access_token, refresh: tokens.refresh_token }),
  });
  await services.engine.retryConnection(ledgerId);
  await services.engine.quiet();

  const states = (await services.db.selectFrom('item').select('state').execute()).map((one) => one.state);
  expect(states).not.toContain('unsettled');
});

test('an invoice that the Ledger refuses says so in its words; the customer stands, and only what is missing is done again', async () => {
  const [first] = demoOrders(demoCustomers(20, now), 1, now);
  const order = {
    ...(first as NonNullable<typeof first>).content,
    status: 'paid' as const,
    email: 'zoe@clay.example',
    total: '1.00',
  };
  world.shop.store.sales.orders.add(order);
  const [item] = await runAll();
  expect(item?.message).toContain('BR-CO-15');
  expect(world.ledger.store.customers.count()).toBe(1);
  expect(world.ledger.store.invoices.count()).toBe(0);
});

test('the goods of the demo are priced in whole pence and known to both apps', () => {
  const items = new Map(ledgerItems().map((one) => [one.sellersItemId, one]));
  expect(demoProducts().length).toBeGreaterThan(10);
  for (const product of demoProducts()) {
    expect(product.price).toMatch(/^\d+\.\d{2}$/);
    // The Ledger knows the article under its own spelling, at the same price in pence.
    const item = items.get(product.sku.replaceAll('-', ''));
    expect([product.sku, item?.priceAmount]).toEqual([product.sku, Math.round(Number(product.price) * 100)]);
  }
});

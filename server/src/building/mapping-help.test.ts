import type { JsonRecord } from '@golden/core';
import { demoCustomers } from '../../../demo/src/customers.ts';
import { demoOrders, ordersToInvoices } from '../../../demo/src/orders.ts';
import { makeApi } from '../api/app.ts';
import type { Services } from '../services.ts';
import {
  type Connected,
  connectBoth,
  connectLedger,
  emptyWorkbook,
  openServices,
  openWorld,
  placeOf,
  type World,
} from '../testing/world.ts';
import { payloadFor } from './payload.ts';
import { placeFromLink } from './place-link.ts';
import { takenValues } from './taken.ts';

const now = '2026-11-24T09:00:00.000Z';
let world: World;
let services: Services;
let connected: Connected;
let ledgerId: string;

beforeEach(async () => {
  world = await openWorld();
  services = await openServices(world);
  connected = await connectBoth(world, services);
  ledgerId = await connectLedger(world, services);
});
afterEach(async () => {
  await services.close();
  await world.close();
});

const connector = (id: string) => services.connections.connector(id);

test('what would be sent is what the app gets: minor units, nested lines, and nothing leaves', async () => {
  world.shop.store.sales.orders.addAll(demoOrders(demoCustomers(20, now), 1, now));
  const [order] = world.shop.store.sales.orders.list({}, { limit: 1 });
  const content = ordersToInvoices(
    await placeOf(services, connected.shop, ['orders']),
    await placeOf(services, ledgerId, ['retail', 'customers']),
    await placeOf(services, ledgerId, ['retail', 'invoices']),
  );
  const { id } = await services.workflows.add({ ...content, steps: content.steps.slice(1) });
  const record = { ...order, email: 'zoe@clay.example' } as unknown as JsonRecord;
  const writes = world.ledger.state.writes;
  const { body, isExact, problem, made } = await payloadFor(services, id, { step: 'invoice', sourceId: '1', record });
  expect([isExact, problem, made]).toEqual([true, null, null]);
  expect(body).toMatchObject({
    invoiceNumber: order?.number,
    taxInclusiveAmount: Math.round(Number(order?.total) * 100),
  });
  expect((body as { invoiceLines: JsonRecord[] }).invoiceLines.map((line) => line['priceAmount'])).toEqual(
    order?.lines.map((line) => Math.round(Number(line.unit_price) * 100)),
  );
  expect(world.ledger.state.writes).toBe(writes);
  const broken = await payloadFor(services, id, {
    step: 'invoice',
    sourceId: '1',
    record: { ...record, currency: 'pounds' },
  });
  expect(broken.body).toBeNull();
  expect(broken.problem).toContain('doesn’t have the form');
});

test('a link pasted from an app leads to the place: a table of a company, a tab of a file', async () => {
  world.shelf.files.replace('Trade list.xlsx', await emptyWorkbook('Customers', ['Name']), undefined);
  expect(await placeFromLink(await connector(ledgerId), `${world.ledger.at.url}/trade/invoices/8001?print=1`)).toEqual({
    path: ['trade', 'invoices'],
    labels: ['Saltmarsh Kiln Supply · trade', 'invoices'],
  });
  const tab = await placeFromLink(await connector(connected.shelf), `${world.shelf.at.url}/files/Trade%20list.xlsx`);
  expect(tab?.path).toEqual(['Trade list.xlsx', 'Customers']);
  expect(await placeFromLink(await connector(connected.shop), `${world.shop.at.url}/orders/50001`)).toMatchObject({
    path: ['orders'],
  });
  expect(await placeFromLink(await connector(connected.shop), 'https://elsewhere.example/boards/7')).toBeUndefined();
  expect(await placeFromLink(await connector(connected.shop), 'no link at all')).toBeUndefined();
});

test('numbers that another record has already are told', async () => {
  world.shop.store.sales.products.add({
    sku: 'CLAY',
    name: 'Clay',
    price: '1.00',
    currency: 'GBP',
    tax_rate: '20.00',
    in_stock: 1,
    is_active: true,
  });
  expect(await takenValues(await connector(connected.shop), ['products'], '/sku', ['CLAY', 'GLAZE', 'clay'])).toEqual([
    'CLAY',
    'clay',
  ]);
});

describe('signing in', () => {
  const wish = () => ({
    app: 'ledger',
    name: 'Ledger, trade',
    settings: { address: `${world.ledger.at.url}/api` },
    mayWrite: false,
  });
  const api = () => makeApi(services);
  const begin = async () => services.signIns.begin(wish(), 'http://127.0.0.1:4600/api/sign-in/back');

  /** A person answers on the app's own page; gives where they are sent back to. */
  async function answerThere(url: string, answer: 'yes' | 'no'): Promise<URL> {
    const form = new URLSearchParams([...new URL(url).searchParams, ['answer', answer]]);
    const sent = await world.ledger.app.request(`${world.ledger.at.url}/oauth/authorize`, {
      method: 'POST',
      body: form,
    });
    return new URL(sent.headers.get('location') ?? '');
  }

  test('allowed, it is a connection with just the right that was asked for; its tokens are told to nobody', async () => {
    const { url, state } = await begin();
    expect(new URL(url).searchParams.get('scope')).toBe('ledger.read');
    const back = await answerThere(url, 'yes');
    const page = await api().request(`/api/sign-in/back${back.search}`);
    expect(await page.text()).toContain('Signed in');
    const now = (await (await api().request(`/api/sign-ins/${state}`)).json()) as {
      state: string;
      connection: { id: string; health: object };
    };
    expect(now).toMatchObject({ state: 'done', connection: { status: 'working', health: { mayWrite: false } } });
    const row = await services.db
      .selectFrom('connection')
      .select('secret')
      .where('id', '=', now.connection.id)
      .executeTakeFirstOrThrow();
    expect(row.secret).not.toContain('access');
    // Sent back a second time, nothing more is made of it.
    await services.signIns.end(back.searchParams);
    expect((await services.connections.list()).filter((one) => one.app === 'ledger')).toHaveLength(2);
  });

  test('refused, forged or forgotten it says so, and no connection is made', async () => {
    const refused = await begin();
    await services.signIns.end((await answerThere(refused.url, 'no')).searchParams);
    expect(services.signIns.outcome(refused.state)).toMatchObject({
      state: 'failed',
      message: 'Ledger: leave was refused.',
    });
    const forged = await begin();
    const back = await answerThere(forged.url, 'yes');
    back.searchParams.set('code', 'made-up');
    expect(await services.signIns.end(back.searchParams)).toMatchObject({ state: 'failed' });
    const strange = await api().request('/api/sign-in/back?state=nobody&code=x');
    expect(strange.status).toBe(400);
    expect((await services.connections.list()).filter((one) => one.app === 'ledger')).toHaveLength(1);
  });
});

import { type ItemState, notCovered, type Uncovered } from '@golden/core';
import { openStep } from '../matching/cases.ts';
import type { Services } from '../services.ts';
import { addOrders } from '../testing/orders.ts';
import { connectBoth, connectLedger, openServices, openWorld, type World } from '../testing/world.ts';
import { copyBetween } from './copies.ts';
import { cover, coverageOf } from './covering.ts';

// What becomes of an order after it was invoiced, and who is told of it; judged by the Ledger's own books.

let world: World;
let services: Services;
let invoices: string;

beforeEach(async () => {
  world = await openWorld();
  services = await openServices(world);
  const { shop } = await connectBoth(world, services);
  const ledger = await connectLedger(world, services);
  addOrders(world, 25);
  const draft = await copyBetween(
    services,
    { connection: shop, path: ['orders'], labels: ['orders'] },
    { connection: ledger, path: ['retail', 'invoices'], labels: ['retail', 'invoices'] },
    'each_new',
  );
  const start = { ...draft.start, fromWhen: { kind: 'all' as const } };
  invoices = (await services.workflows.add({ ...draft, start })).id;
  await services.engine.finish((await services.engine.makeLive(invoices)).run);
  await services.engine.samples.of(invoices);
});
afterEach(async () => {
  await services.close();
  await world.close();
});

const cancelled: Uncovered = { kind: 'becomes', path: '/status', label: 'status', value: 'cancelled' };
const orders = () => world.shop.store.sales.orders.list({}, { limit: 100 });
const books = () => world.ledger.store.invoices.list({ company: 'retail' }, { limit: 100 });

test('what isn’t covered is named: removed, cancelled; what a workflow beside it sees to is said', async () => {
  const open = await coverageOf(services, invoices);
  expect(open.map(({ kind, by }) => [kind, by])).toEqual([
    ['removed', null],
    ['becomes', null],
    ['becomes', null],
  ]);
  expect(open.slice(1)).toMatchObject([{ value: 'cancelled', label: 'status' }, { value: 'refunded' }]);
  const { id } = await cover(services, invoices, cancelled, 'tell');
  expect((await coverageOf(services, invoices))[1]).toMatchObject({ by: { id } });
  // A start that looks for it itself covers it.
  const { draft } = await services.workflows.get(id);
  const writes = (await services.workflows.get(invoices)).draft.steps;
  const values = notCovered({ ...draft, steps: writes }, []).map((one) =>
    one.kind === 'becomes' ? one.value : one.kind,
  );
  expect(values).toEqual(['removed', 'refunded']);
});

test('“Tell me”: an invoiced order that is cancelled later is shown with its invoice; one never invoiced isn’t', async () => {
  const { id } = await cover(services, invoices, cancelled, 'tell');
  await services.engine.quiet();
  const { writes } = world.ledger.state;
  const [paid] = orders().filter(({ status }) => status === 'paid');
  const [open] = orders().filter(({ status }) => status === 'open');
  for (const order of [paid, open]) world.shop.store.sales.orders.change(order?.id ?? 0, { status: 'cancelled' });
  await services.engine.finish(await services.engine.checkNow(id, 'asked'));
  const items = await services.db.selectFrom('item').selectAll().where('workflow_id', '=', id).execute();
  const byState = Object.fromEntries(items.map((item) => [item.title.split(' ')[0], item]));
  expect(items.map(({ state }) => state).sort()).toEqual(['left_out', 'unsettled']);
  const told = byState[paid?.number ?? ''];
  expect(told?.message).toContain('The order came to “cancelled” after this invoice was written');
  const [, result] = openStep(JSON.parse(told?.item_state ?? '{}') as ItemState) ?? [];
  const invoice = books().find(({ invoiceNumber }) => invoiceNumber === paid?.number);
  expect(result?.candidates?.map((one) => one.id)).toEqual([String(invoice?.id)]);
  // It is dealt with by saying so, and nothing was written anywhere.
  await services.engine.decide(told?.id ?? '', { kind: 'choose', step: 'written', id: String(invoice?.id) });
  expect(world.ledger.state.writes).toBe(writes);
});

test('“Add it”: the draft is a credit note for each cancelled order, right by EN 16931, of the invoice that it takes back', async () => {
  const { id } = await cover(services, invoices, cancelled, 'add');
  const { draft } = await services.workflows.get(id);
  expect(draft.start).toMatchObject({ on: 'becomes', becomes: { path: '/status', value: 'cancelled' } });
  const [paid] = orders().filter(({ status }) => status === 'paid');
  world.shop.store.sales.orders.change(paid?.id ?? 0, { status: 'cancelled' });
  await services.engine.samples.of(id);
  const item = await services.engine.sendOne(id, String(paid?.id));
  await services.engine.quiet();
  const row = await services.db
    .selectFrom('item')
    .select(['state', 'message'])
    .where('id', '=', item)
    .executeTakeFirst();
  expect(row).toEqual({ state: 'delivered', message: null });
  const [note, ...more] = world.ledger.store.creditNotes.list({ company: 'retail' }, { limit: 10 });
  const invoice = books().find(({ invoiceNumber }) => invoiceNumber === paid?.number);
  expect(more).toEqual([]);
  expect(note).toMatchObject({
    invoiceId: invoice?.id,
    customerId: invoice?.customerId,
    taxInclusiveAmount: invoice?.taxInclusiveAmount,
    payableAmount: invoice?.taxInclusiveAmount,
  });
  expect(note?.creditNoteLines).toHaveLength(invoice?.invoiceLines.length ?? -1);
});

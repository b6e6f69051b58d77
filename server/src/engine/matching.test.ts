import { emptyContent, type ItemState, type LookupStep, type WorkflowContent } from '@golden/core';
import { totalsOf } from '@golden/standins';
import type { Services } from '../services.ts';
import { balanceNow, checkNow, decide, goLive, unbalanced } from '../testing/checks.ts';
import type { TestClock } from '../testing/clock.ts';
import { customersToPeople, personLadder } from '../testing/matching.ts';
import {
  addCard,
  type Connected,
  connectBoth,
  connectCards,
  connectLedger,
  customer,
  fieldFilling,
  openServices,
  openWorld,
  placeOf,
  type World,
} from '../testing/world.ts';

let world: World;
let services: Services;
let connected: Connected;
let cards: string;

beforeEach(async () => {
  world = await openWorld();
  services = await openServices(world);
  connected = await connectBoth(world, services);
  cards = await connectCards(world, services);
});
afterEach(async () => {
  await services.close();
  await world.close();
});

const people = () => world.cards.store.of('people').list({}, { limit: 1000 });
const links = () => services.db.selectFrom('link').selectAll().orderBy('from_id').execute();
const items = async () =>
  (await services.db.selectFrom('item').selectAll().orderBy('seq').execute()).map((item) => ({
    ...item,
    detail: JSON.parse(item.item_state) as ItemState,
  }));

const priya = {
  firstName: 'Priya',
  lastName: 'Nair',
  email: 'p.nair@old.example',
  phone: '+44 1632 960771',
  street: '9 Wheel Street',
  postcode: 'ZZ7 7EF',
};
/** Others, so that common values can be told from rare ones. */
function fillIndex(count = 60): void {
  for (let at = 0; at < count; at++) {
    addCard(world, 'people', {
      firstName: ['Ada', 'Tom', 'Mira', 'Jon', 'Lea', 'Ben'][at % 6],
      lastName: `${['Holm', 'Field', 'Marsh', 'Stone', 'Brook'][at % 5]}${String.fromCharCode(97 + (at % 26))}`,
      email: `someone${at}@studio.example`,
      phone: `01632 960 ${100 + at}`,
      street: `${at + 1} Kiln Lane`,
      postcode: `ZZ${at % 9} ${at % 7}AB`,
    });
  }
}

test('finds by e-mail in other case, creates whom it doesn’t find, remembers both; again: nothing is written', async () => {
  fillIndex();
  const known = addCard(world, 'people', { ...priya, email: 'Priya.Nair@Clay.example', phone: null });
  world.shop.store.add(customer());
  world.shop.store.add(
    customer({
      first_name: 'Zoë',
      last_name: 'Quist',
      email: 'zoe@quist.example',
      phone: '07700 900 123',
      address: { street: '1 Slip Yard', city: 'Millwick', postcode: 'YY1 1AA', country: 'GB' },
    }),
  );
  const id = await customersToPeople(services, connected, cards);
  const run = await goLive(services, id);
  expect(await balanceNow(services, run)).toMatchObject({ takenIn: 2, items: { delivered: 2 } });
  expect(people()).toHaveLength(62);
  expect(world.cards.store.of('people').get(Number(known))?.attributes).toMatchObject({
    phone: '+441632960771',
    // Found by it in other capitals: it stays as it is written there.
    email: 'Priya.Nair@Clay.example',
  });
  expect(await links()).toMatchObject([{ to_id: known, origin: 'found' }, { origin: 'created' }]);
  const writes = world.cards.state.writes;
  // Plan, apply, plan again = no writes.
  const second = await customersToPeople(services, connected, cards);
  await goLive(services, second);
  expect(world.cards.state.writes).toBe(writes);
  expect((await items()).map((item) => item.detail.steps['person'])).toMatchObject([
    { outcome: 'changed', by: { how: 'rung', rung: 'mail' } },
    { outcome: 'new' },
    { outcome: 'same', by: { how: 'link' } },
    { outcome: 'same', by: { how: 'link' } },
  ]);
  expect(await unbalanced(services)).toEqual([]);
});

test('a changed name and address go straight to the linked record; a link whose record was merged away is found anew', async () => {
  fillIndex();
  const { id: number } = world.shop.store.add(customer());
  const id = await customersToPeople(services, connected, cards);
  await goLive(services, id);
  const [link] = await links();
  world.shop.store.change(number, { last_name: 'Nair-Holm', email: 'priya@elsewhere.example', phone: '07700 900 999' });
  await checkNow(services, id);
  expect(people()).toHaveLength(61);
  expect(world.cards.store.of('people').get(Number(link?.to_id))?.attributes).toMatchObject({ lastName: 'Nair-Holm' });
  const other = addCard(world, 'people', { ...priya, lastName: 'Nair-Holm', email: 'priya@elsewhere.example' });
  world.cards.store.merge('people', Number(other), Number(link?.to_id));
  world.shop.store.change(number, { phone: '01632 960 555' });
  await checkNow(services, id);
  expect(world.cards.store.of('people').get(Number(other))?.attributes['phone']).toBe('+441632960555');
  expect(await links()).toMatchObject([{ to_id: other }]);
});

test('likeness finds another spelling; two that are alike are asked, decided, delivered; “somebody new” makes one', async () => {
  fillIndex();
  addCard(world, 'people', { ...priya, firstName: 'Prya' });
  world.shop.store.add(customer());
  const id = await customersToPeople(services, connected, cards);
  await goLive(services, id);
  expect(people()).toHaveLength(61);
  expect((await items())[0]?.detail.steps['person']).toMatchObject({
    by: { how: 'rung', rung: 'alike' },
    outcome: 'changed',
  });
  // Two at one place with the same name: nobody may guess.
  const twins = ['12', '13'].map((house) =>
    addCard(world, 'people', {
      firstName: 'Ulla',
      lastName: 'Berg',
      street: `${house} Ash Glaze Close`,
      postcode: 'QQ2 2QQ',
      phone: null,
      email: null,
    }),
  );
  const ulla = {
    first_name: 'Ulla',
    last_name: 'Berg',
    phone: null,
    address: { street: 'Ash Glaze Close', city: 'Millwick', postcode: 'QQ2 2QQ', country: 'GB' },
  };
  // What others add is seen a second later at the latest.
  (services.seams as TestClock).pass(1100);
  world.shop.store.add(customer({ ...ulla, email: 'ulla@berg.example' }));
  world.shop.store.add(customer({ ...ulla, email: 'ulla.b@second.example' }));
  await checkNow(services, id);
  const asked = (await items()).filter((item) => item.state === 'unsettled');
  expect(asked.map((item) => item.cause)).toEqual(['unclear', 'unclear']);
  const result = asked[0]?.detail.steps['person'];
  expect(result?.kind === 'unsettled' && result.candidates?.map((one) => one.id).sort()).toEqual([...twins].sort());
  expect(
    result?.kind === 'unsettled' &&
      result.candidates?.[0]?.evidence?.some((one) => one.label.includes('family') && one.bits > 0),
  ).toBe(true);
  await decide(services, asked[0]?.id ?? '', { kind: 'choose', step: 'person', id: twins[1] ?? '' });
  await decide(services, asked[1]?.id ?? '', { kind: 'new', step: 'person' });
  expect((await items()).slice(1).map((item) => item.state)).toEqual(['delivered', 'delivered']);
  expect(people()).toHaveLength(64);
  expect(world.cards.store.of('people').get(Number(twins[1]))?.attributes['email']).toBe('ulla@berg.example');
  expect((await links()).map((link) => link.origin)).toEqual(['found', 'chosen', 'created']);
  expect(await unbalanced(services)).toEqual([]);
});

test('two new look-alikes side by side never both find nobody; a rehearsal says so before', async () => {
  fillIndex();
  for (let at = 0; at < 4; at++)
    world.shop.store.add(customer({ email: null, phone: '01632 960 771', first_name: at % 2 ? 'Priya' : 'Prya' }));
  const id = await customersToPeople(services, connected, cards);
  await services.engine.rehearse(id, 'all');
  await services.engine.rehearsals.wait(id);
  const rehearsed = await services.db.selectFrom('rehearsal_item').selectAll().orderBy('at').execute();
  const outcomes = rehearsed.map((row) => (JSON.parse(row.item_state) as ItemState).steps['person']);
  expect(outcomes.filter((one) => one?.kind === 'written' && one.outcome === 'new')).toHaveLength(1);
  expect(world.cards.state.writes).toBe(0);
  await goLive(services, id);
  expect(people()).toHaveLength(61);
});

test('policies: only if empty, never, newest; what differs and isn’t let through is the same', async () => {
  const known = addCard(world, 'people', {
    ...priya,
    email: 'priya.nair@clay.example',
    phone: '+44 20 7946 0000',
    street: null,
  });
  world.shop.store.add(customer(), '2020-01-01T00:00:00.000Z');
  const id = await customersToPeople(services, connected, cards, {
    policies: { '/phone': 'newest', '/street': 'if_empty', '/postcode': 'never' },
  });
  world.cards.store.of('people').change(Number(known), {
    attributes: {
      ...priya,
      email: 'priya.nair@clay.example',
      phone: '+44 20 7946 0000',
      street: null,
      postcode: 'AA1 1AA',
    },
  });
  await goLive(services, id);
  expect(world.cards.store.of('people').get(Number(known))?.attributes).toMatchObject({
    phone: '+44 20 7946 0000',
    street: '9 Wheel Street',
    postcode: 'AA1 1AA',
  });
});

test('at none: leave out, or ask', async () => {
  world.shop.store.add(customer());
  const left = await customersToPeople(services, connected, cards, {
    ladder: { ...personLadder, atNone: 'leave_out' },
  });
  expect(await balanceNow(services, await goLive(services, left))).toMatchObject({ items: { left_out: 1 } });
  const asks = await customersToPeople(services, connected, cards, { ladder: { ...personLadder, atNone: 'ask' } });
  const run = await goLive(services, asks);
  expect(await balanceNow(services, run)).toMatchObject({ items: { unsettled: 1 } });
  const item = (await items()).find((one) => one.state === 'unsettled');
  await decide(services, item?.id ?? '', { kind: 'new', step: 'person' });
  expect(await balanceNow(services, run)).toMatchObject({ items: { delivered: 1 } });
});

const lookupOf = (target: Awaited<ReturnType<typeof placeOf>>, more: Partial<LookupStep>): LookupStep => ({
  id: 'look',
  kind: 'lookup',
  target,
  mapping: {},
  ladder: { rungs: [], atNone: 'ask', atUnclear: 'best' },
  ...more,
});

test('an order finds its customer by e-mail in the Ledger, and each line its item by code: 2 lines, 2 ids; one unknown code is asked', async () => {
  const ledger = await connectLedger(world, services);
  const company = 'retail';
  const books = world.ledger.store;
  const plain = {
    contactName: null,
    telephone: null,
    companyId: null,
    postalAddress: { streetName: null, cityName: null, postalZone: null, countryCode: null },
    paymentTermsDays: 30,
    reference: null,
  };
  const buyer = books.customers.add({
    company,
    name: 'Priya Nair',
    electronicMail: 'priya.nair@clay.example',
    ...plain,
  });
  books.customers.add({ company: 'trade', name: 'Priya Nair', electronicMail: 'priya.nair@clay.example', ...plain });
  const item = (sellersItemId: string) =>
    books.items.add({
      company,
      name: `Item ${sellersItemId}`,
      sellersItemId,
      priceAmount: 1000,
      currencyCode: 'GBP',
      taxCategory: 'S',
      taxPercent: 20,
      reference: null,
    });
  const [clay, glaze] = [item('CL-10'), item('GL-2')];
  const { sales } = world.shop.store;
  const order = (number: string, skus: string[]): void => {
    const line = { name: 'Clay', quantity: 1, unit_price: '10.00', discount: '0.00', tax_rate: '20.00' };
    const made = totalsOf(
      skus.map((sku) => ({ ...line, sku })),
      '0.00',
    );
    sales.orders.add({
      number,
      status: 'paid',
      customer_id: 77,
      customer_name: 'Priya Nair',
      email: 'Priya.Nair@clay.example',
      phone: null,
      company: null,
      currency: 'GBP',
      placed_at: '2026-03-01T10:00:00.000Z',
      paid_at: null,
      ship_to: { street: null, city: null, postcode: null, country: 'GB' },
      shipping: '0.00',
      note: null,
      ...made,
    });
  };
  order('SO-1', ['GL-2', 'CL-10']);
  order('SO-2', ['CL-10', 'XX-9']);
  const orders = await placeOf(services, connected.shop, ['orders']);
  const content: WorkflowContent = {
    ...emptyContent('Orders to invoices'),
    start: { source: orders, on: 'added', trigger: { kind: 'every', minutes: 5 }, fromWhen: { kind: 'all' } },
    steps: [
      lookupOf(await placeOf(services, ledger, [company, 'customers']), {
        id: 'customer',
        mapping: { '/electronicMail': fieldFilling('/email') },
        ladder: {
          rungs: [{ id: 'mail', kind: 'exact', fields: ['/electronicMail'] }],
          atNone: 'ask',
          atUnclear: 'best',
          remembers: { step: 'start', path: '/customer_id' },
        },
      }),
      { id: 'each', kind: 'each', over: { step: 'start', path: '/lines' } },
      lookupOf(await placeOf(services, ledger, [company, 'items']), {
        id: 'item',
        within: 'each',
        mapping: { '/sellersItemId': { kind: 'field', ref: { step: 'each', path: '/sku' }, tidies: [] } },
        ladder: {
          rungs: [{ id: 'code', kind: 'exact', fields: ['/sellersItemId'] }],
          atNone: 'ask',
          atUnclear: 'best',
        },
      }),
      {
        id: 'note',
        kind: 'write',
        target: await placeOf(services, cards, ['deals']),
        mode: 'append',
        mapping: {
          '/title': {
            kind: 'formula',
            text: '"Order for " & customer.name',
            refs: { 'customer.name': { step: 'customer', path: '/name' } },
          },
          '/stage': { kind: 'choice', value: 'won' },
        },
      },
    ],
  };
  const { id } = await services.workflows.add(content);
  const run = await goLive(services, id);
  expect(await balanceNow(services, run)).toMatchObject({ takenIn: 2, items: { delivered: 1, unsettled: 1 } });
  const [first, second] = await items();
  expect(first?.detail.steps).toMatchObject({
    customer: { kind: 'found', id: String(buyer.id), by: { how: 'rung', rung: 'mail' } },
    'item#1': { kind: 'found', id: String(glaze.id) },
    'item#2': { kind: 'found', id: String(clay.id) },
  });
  expect(second?.detail.steps).toMatchObject({
    'item#2': { kind: 'unsettled', cause: 'unclear' },
    note: { kind: 'written' },
  });
  // Of the shop's customer it is remembered who that is in the books of retail; trade's namesake is nobody's business.
  expect(await links()).toMatchObject([{ from_id: '77', to_id: String(buyer.id), from_place: '["customers"]' }]);
});

test('two records of one run that are one person: one golden record, the first only, or asked', async () => {
  world.shop.store.add(customer({ phone: null, company: 'Clay & Co' }), '2026-01-01T00:00:00.000Z');
  world.shop.store.add(
    customer({ email: 'PRIYA.NAIR@clay.example', company: null, last_name: 'Nair-Holm' }),
    '2026-02-01T00:00:00.000Z',
  );
  world.shop.store.add(
    customer({
      first_name: 'Zoë',
      last_name: 'Nair',
      email: 'zoe@quist.example',
      phone: '07700 900 123',
      address: { street: '1 Slip Yard', city: 'Millwick', postcode: 'YY1 1AA', country: 'GB' },
    }),
  );
  const doubles = (treat: 'golden' | 'first' | 'ask') => ({ doubles: { by: ['/email'], treat } });
  const golden = await customersToPeople(services, connected, cards, { start: doubles('golden') });
  const run = await goLive(services, golden);
  expect(await balanceNow(services, run)).toMatchObject({ takenIn: 3, items: { delivered: 2, left_out: 1 } });
  expect(
    people()
      .map((card) => card.attributes['lastName'])
      .sort(),
  ).toEqual(['Nair', 'Nair-Holm']);
  expect(people().find((card) => card.attributes['lastName'] === 'Nair-Holm')?.attributes).toMatchObject({
    phone: '+441632960771',
  });
  const asks = await customersToPeople(services, connected, cards, { start: doubles('ask') });
  const asked = await goLive(services, asks);
  expect(await balanceNow(services, asked)).toMatchObject({ items: { delivered: 2, unsettled: 1 } });
  const item = (await items()).find((one) => one.state === 'unsettled');
  expect(item?.cause).toBe('double');
  await decide(services, item?.id ?? '', { kind: 'new', step: 'start' });
  expect(await balanceNow(services, asked)).toMatchObject({ items: { delivered: 3 } });
  expect(await unbalanced(services)).toEqual([]);
});

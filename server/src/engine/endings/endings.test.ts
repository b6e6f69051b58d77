import { type Ending, type ItemState, startId, type WaitStep } from '@golden/core';
import { shopKeys, totalsOf } from '@golden/standins';
import fc from 'fast-check';
import type { Services } from '../../services.ts';
import { productAroundEach } from '../../testing/around.ts';
import { checkNow, unbalanced } from '../../testing/checks.ts';
import type { TestClock } from '../../testing/clock.ts';
import { dropAt, pointsOfEndings, pointsOfParks } from '../../testing/drop.ts';
import { screenOf } from '../../testing/screen.ts';
import { customer, customersWorkflow, openServices, placeOf, rowsOf } from '../../testing/world.ts';

// Waits that a record elsewhere ends: a new customer is written to after two hours, unless they order meanwhile. Judged by
// the rows that stand there and by when the orders came, never by our own tables.

const minute = 60_000;
afterEach(async () => {
  expect(await unbalanced(around.services)).toEqual([]);
});
const around = productAroundEach();
const clock = () => around.services.seams as TestClock;

const names = async () => {
  const bytes = around.world.shelf.files.get('customers.xlsx')?.bytes ?? Buffer.alloc(0);
  return (await rowsOf(bytes, 'Customers')).map((row) => row['Name']).sort();
};
const items = () => around.services.db.selectFrom('item').selectAll().orderBy('seq').execute();

async function ordered(more: Partial<Ending> = {}): Promise<Ending> {
  const { services, connected } = around;
  return {
    id: 'ordered',
    place: await placeOf(services, connected.shop, ['orders']),
    there: '/email',
    here: { step: startId, path: '/email' },
    does: 'stops',
    ...more,
  };
}

const wait = (endings: Ending[], more: Partial<WaitStep> = {}): WaitStep => ({
  id: 'wait',
  kind: 'wait',
  until: { kind: 'time', amount: 2, unit: 'hours', from: 'start' },
  endings,
  ...more,
});

/** A live workflow whose customers are written after two hours, unless they order. */
async function live(endings: Ending[], more: Partial<WaitStep> = {}): Promise<string> {
  const { services, connected } = around;
  const id = await customersWorkflow(services, connected, { mode: 'append', steps: [wait(endings, more)] });
  await services.engine.finish((await services.engine.makeLive(id)).run);
  await services.engine.quiet();
  return id;
}

let screen: () => Promise<boolean>;
let watched: Services | undefined;

async function pass(milliseconds: number): Promise<void> {
  if (watched !== around.services) screen = screenOf(around.services);
  watched = around.services;
  await screen();
  clock().pass(milliseconds);
  // What a look brings goes on with the next beat.
  for (let beat = 0; beat < 2; beat++) {
    await around.services.engine.tick();
    await around.services.engine.quiet();
    expect(await screen()).toBe(true);
  }
}

const add = (first_name: string) =>
  around.world.shop.store.add(
    customer({ first_name, last_name: 'Holm', email: `${first_name}@clay.example`.toLowerCase() }),
  );

const lines = [
  { sku: 'CLAY-1', name: 'Clay', quantity: 1, unit_price: '12.40', discount: '0.00', tax_rate: '20.00' },
] as const;

function order(email: string | null): { readonly id: number } {
  const { orders } = around.world.shop.store.sales;
  return orders.add({
    number: `S-${Math.floor(clock().uptime())}`,
    status: 'open',
    customer_id: null,
    customer_name: 'Somebody',
    email,
    phone: null,
    company: null,
    currency: 'GBP',
    placed_at: '2026-11-01T10:00:00.000Z',
    paid_at: null,
    ship_to: { street: null, city: null, postcode: null, country: null },
    shipping: '0.00',
    note: null,
    ...totalsOf([...lines], '0.00'),
  });
}

test('an order ends the wait of whoever ordered, in whatever case the address is written; the reason names it', async () => {
  add('Ada');
  add('Tom');
  await live([await ordered()]);
  order(' ADA@Clay.example ');
  await pass(5 * minute);
  expect((await items()).map(({ state, message }) => [state, message])).toEqual([
    ['left_out', expect.stringMatching(/^The order “S-\d+ · Somebody” came in orders\.$/)],
    ['waiting', expect.stringContaining('Until')],
  ]);
  await pass(120 * minute);
  expect(await names()).toEqual(['Tom Holm']);
});

test('what comes in the last moment is seen: the place is looked at before anything goes out', async () => {
  add('Ada');
  await live([await ordered()]);
  await pass(119 * minute);
  order('ada@clay.example');
  await pass(2 * minute);
  expect([await names(), (await items())[0]?.state]).toEqual([[], 'left_out']);
});

test('while the place doesn’t answer nothing goes out; it goes on by itself once it does', async () => {
  const { world, services, connected } = around;
  const key = await services.connections.add({
    app: 'shop_counter',
    name: 'Orders',
    settings: { address: `${world.shop.at.url}/api` },
    key: shopKeys[0]?.key ?? '',
  });
  expect(key.id).not.toBe(connected.shop);
  add('Ada');
  const place = await placeOf(services, key.id, ['orders']);
  await live([await ordered({ place })]);
  order('ada@clay.example');
  world.shop.state.troubles.set('down', Number.POSITIVE_INFINITY);
  await pass(125 * minute);
  expect([await names(), (await items())[0]?.state]).toEqual([[], 'waiting']);
  world.shop.state.troubles.clear();
  for (let tries = 0; tries < 5; tries++) await pass(30 * minute);
  expect([await names(), (await items())[0]?.state]).toEqual([[], 'left_out']);
});

test('what was there before ends nothing, unless it is to; then nobody waits at all', async () => {
  add('Ada');
  order('ada@clay.example');
  const id = await live([await ordered()]);
  await pass(130 * minute);
  expect(await names()).toEqual(['Ada Holm']);
  const { services } = around;
  const { draft, draftRev } = await services.workflows.get(id);
  await services.workflows.saveDraft(
    id,
    {
      ...draft,
      steps: draft.steps.map((step) =>
        step.kind === 'wait' ? wait([{ ...step.endings?.[0], countsEarlier: true } as Ending]) : step,
      ),
    },
    draftRev,
  );
  await services.engine.finish((await services.engine.makeLive(id)).run);
  add('Tom');
  order('mira@clay.example');
  add('Mira');
  await checkNow(services, id);
  await pass(minute);
  expect((await items()).map(({ state }) => state)).toEqual(['delivered', 'waiting', 'left_out']);
});

test('only one with the value counts, also where it comes to it later; “goes on” sends at once', async () => {
  add('Ada');
  add('Tom');
  await live([await ordered({ value: { path: '/status', is: 'paid' }, does: 'goes_on' })]);
  const open = order('ada@clay.example');
  await pass(10 * minute);
  expect(await names()).toEqual([]);
  around.world.shop.store.sales.orders.change(open.id, { status: 'paid' });
  await pass(10 * minute);
  expect([await names(), (await items()).map(({ state }) => state)]).toEqual([['Ada Holm'], ['delivered', 'waiting']]);
  // Its story says by what.
  expect((JSON.parse((await items())[0]?.item_state ?? '{}') as ItemState).steps['wait']).toMatchObject({
    by: 'event',
    because: expect.stringMatching(/^The order “S-\d+ · Somebody” came in orders/),
  });
});

test('it counts for the waits after it too, and what was sent before stays delivered', async () => {
  const { services, connected } = around;
  add('Ada');
  const later: WaitStep = { ...wait([]), id: 'later', until: { kind: 'time', amount: 2, unit: 'days', from: 'start' } };
  const id = await customersWorkflow(services, connected, { mode: 'append', steps: [wait([await ordered()])] });
  const { draft, draftRev } = await services.workflows.get(id);
  const [first, write] = draft.steps;
  if (!first || !write) throw new Error('the steps are missing');
  await services.workflows.saveDraft(
    id,
    { ...draft, steps: [first, write, later, { ...write, id: 'again' }] },
    draftRev,
  );
  await services.engine.finish((await services.engine.makeLive(id)).run);
  await pass(130 * minute);
  expect(await names()).toEqual(['Ada Holm']);
  order('ada@clay.example');
  await pass(3 * 24 * 60 * minute);
  expect([await names(), (await items()).map(({ state }) => state)]).toEqual([['Ada Holm'], ['delivered']]);
});

test.each([...pointsOfParks, ...pointsOfEndings])(
  'stopped at %s: whoever ordered gets nothing, whoever didn’t gets it once',
  async (point) => {
    add('Ada');
    add('Tom');
    await live([await ordered()]);
    order('ada@clay.example');
    const ended = dropAt(around.services, point);
    const next = clock().next();
    const passed = (point === 'park:after-wake' ? 121 : 2) * minute;
    next.pass(passed);
    void pass(passed).catch(() => undefined);
    await ended;
    around.services = await openServices(around.world, { seams: next });
    await around.services.engine.resume();
    await pass(125 * minute);
    expect([await names(), (await items()).map(({ state }) => state)]).toEqual([
      ['Tom Holm'],
      ['left_out', 'delivered'],
    ]);
  },
);

type Act =
  | { readonly do: 'join' | 'order' | 'order_of_stranger'; readonly who: number }
  | { readonly do: 'pass'; readonly minutes: number }
  | { readonly do: 'restart' };
const who = fc.nat(3);
const act: fc.Arbitrary<Act> = fc.oneof(
  fc.record({ do: fc.constantFrom('join' as const, 'order' as const, 'order_of_stranger' as const), who }),
  fc.record({ do: fc.constant('pass' as const), minutes: fc.integer({ min: 1, max: 100 }) }),
  fc.constant({ do: 'restart' as const }),
);

test('whatever happens in whatever order: who ordered between joining and their time gets nothing, everybody else is written to once', async () => {
  const people = ['Ada', 'Tom', 'Mira', 'Ines'];
  const id = await live([await ordered()]);
  let round = 0;
  await fc.assert(
    fc.asyncProperty(fc.array(act, { minLength: 3, maxLength: 14 }), async (acts) => {
      round += 1;
      const before = (await names()).length;
      const named = (at: number) => `${people[at]}${round}`;
      const joined = new Map<string, { at: number; ordered: boolean }>();
      let now = 0;
      for (const one of acts) {
        if (one.do === 'join' && !joined.has(named(one.who))) {
          add(named(one.who));
          await checkNow(around.services, id);
          await pass(10_000);
          joined.set(named(one.who), { at: now, ordered: false });
        }
        if (one.do === 'order') {
          order(`${named(one.who)}@clay.example`);
          const known = joined.get(named(one.who));
          if (known && now - known.at < 119) known.ordered = true;
        }
        if (one.do === 'order_of_stranger') order(null);
        if (one.do === 'pass') {
          now += one.minutes;
          await pass(one.minutes * minute);
        }
        if (one.do === 'restart') {
          const seams = clock().next();
          await around.services.close();
          around.services = await openServices(around.world, { seams });
          await around.services.engine.resume();
        }
      }
      await pass(125 * minute);
      const expected = [...joined].filter(([, { ordered: has }]) => !has).map(([name]) => `${name} Holm`);
      const written = (await names()).filter(
        (name) => String(name).includes(String(round)) && [...joined.keys()].some((one) => name === `${one} Holm`),
      );
      expect(written).toEqual(expected.sort());
      expect((await names()).length - before).toBe(expected.length);
    }),
    { numRuns: 6 },
  );
});

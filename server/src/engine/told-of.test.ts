import type { Trigger } from '@golden/core';
import { serve } from '@hono/node-server';
import { makeDoor } from '../doors/door-app.ts';
import type { Services } from '../services.ts';
import { productAroundEach } from '../testing/around.ts';
import { askApi } from '../testing/ask.ts';
import { settled, unbalanced } from '../testing/checks.ts';
import type { TestClock } from '../testing/clock.ts';
import { columns, customer, customersWorkflow, emptyWorkbook, rowsOf } from '../testing/world.ts';

// Events that only tell of a record, and records that a person chooses. Judged by the rows that stand in the list.

afterEach(async () => {
  expect(await unbalanced(around.services)).toEqual([]);
});
const around = productAroundEach();
const clock = () => around.services.seams as TestClock;
const [second, minute, day] = [1000, 60_000, 24 * 60 * 60_000];

beforeEach(async () => {
  around.world.shelf.files.replace('customers.xlsx', await emptyWorkbook('Customers', columns), undefined);
});

const mails = async (): Promise<string[]> =>
  (await rowsOf(around.world.shelf.files.get('customers.xlsx')?.bytes ?? Buffer.alloc(0), 'Customers')).map((row) =>
    String(row['E-mail']),
  );

async function rest(): Promise<void> {
  for (let times = 0; times < 3; times++) {
    await around.services.engine.quiet();
    await around.services.engine.tick();
  }
  await settled(around.services);
}

interface Telling {
  readonly id: string;
  readonly inbox: string;
}

/** The customers' workflow, live: told of by events, and asked once a day. */
async function telling(): Promise<Telling> {
  const { services, connected } = around;
  const { path } = await services.arrivals.addInbox({ name: 'Shop', singular: 'event', plural: 'events' });
  const [inbox = ''] = path;
  const trigger: Trigger = {
    kind: 'event',
    event: `arrival|${inbox}`,
    alsoEvery: 1440,
    tells: { id: '/record/id' },
  };
  const id = await customersWorkflow(services, connected, { fromWhen: { kind: 'now' } });
  const { draft, draftRev } = await services.workflows.get(id);
  await services.workflows.saveDraft(id, { ...draft, start: { ...draft.start, trigger } }, draftRev);
  await services.engine.finish((await services.engine.makeLive(id)).run);
  await rest();
  return { id, inbox };
}

/** The door as others reach it. */
async function listenAtDoor(services: Services): Promise<{ close(): Promise<void> }> {
  const server = await new Promise<ReturnType<typeof serve>>((resolve) => {
    const begun = serve({ fetch: makeDoor(services).fetch, port: 0, hostname: '127.0.0.1' }, (at) => {
      services.publicAddress.port = at.port;
      resolve(begun);
    });
  });
  return { close: () => new Promise((resolve) => server.close(() => resolve())) };
}

let events = 0;
/** The shop posts that something has happened to a customer. */
const post = (inbox: string, id: number | string) =>
  around.services.arrivals.storeRecord(inbox, `event ${events++}`, { event: 'customers.added', record: { id } });

const runsOf = async (id: string) =>
  (
    await around.services.db.selectFrom('run').selectAll().where('workflow_id', '=', id).orderBy('started_at').execute()
  ).map((run) => ({ taken: run.taken_in, noted: run.noted_earlier, never: run.never_posted, note: run.note }));

test('what is told of is fetched, and counts once: event and listing go by the source’s own revision', async () => {
  const { world } = around;
  world.shop.store.add(customer({ email: 'old@clay.example' }));
  const { id, inbox } = await telling();
  const one = world.shop.store.add(customer({ email: 'one@clay.example' }));
  // Of this one no event comes.
  world.shop.store.add(customer({ email: 'quiet@clay.example' }));
  await post(inbox, one.id);
  await post(inbox, one.id);
  await rest();
  expect(await mails()).toEqual(['one@clay.example']);
  clock().pass(day + minute);
  await rest();
  expect(await mails()).toEqual(['one@clay.example', 'quiet@clay.example']);
  expect((await runsOf(id)).reduce((sum, { taken }) => sum + taken, 0)).toBe(2);
});

test('an event that comes before its record can be fetched: again after five seconds, a minute, ten minutes', async () => {
  const { world } = around;
  const { inbox } = await telling();
  // What the shop gives as the next number.
  const next = world.shop.store.add(customer({ email: 'known@clay.example' })).id + 1;
  await post(inbox, next);
  await rest();
  expect(await mails()).toEqual([]);
  const late = world.shop.store.add(customer({ email: 'late@clay.example' }));
  expect(late.id).toBe(next);
  await rest();
  expect(await mails()).toEqual([]);
  clock().pass(5 * second + 10);
  await rest();
  expect(await mails()).toEqual(['late@clay.example']);
});

test('one that never comes is fetched three times more, and told', async () => {
  const { id, inbox } = await telling();
  const before = (await runsOf(id)).length;
  await post(inbox, 987_654);
  await rest();
  for (const pause of [5 * second, minute, 10 * minute, 60 * minute]) {
    clock().pass(pause + 10);
    await rest();
  }
  const runs = (await runsOf(id)).slice(before);
  expect(runs).toMatchObject([{ taken: 0, note: 'The record 987654 isn’t there any more.' }]);
  const told = await around.services.db.selectFrom('told').select(['tries', 'due_at']).execute();
  expect(told).toEqual([{ tries: 4, due_at: null }]);
});

test('records of which no post told are brought in once a day, and counted', async () => {
  const { world } = around;
  const { id, inbox } = await telling();
  const told = world.shop.store.add(customer({ email: 'told@clay.example' }));
  world.shop.store.add(customer({ email: 'never@clay.example' }));
  await post(inbox, told.id);
  await rest();
  clock().pass(day + minute);
  await rest();
  expect(await mails()).toEqual(['told@clay.example', 'never@clay.example']);
  expect((await runsOf(id)).map(({ never }) => never)).toEqual([0, 0, 1]);
});

test('an event that doesn’t say of which record it tells starts nothing, and says so', async () => {
  const { id, inbox } = await telling();
  const before = (await runsOf(id)).length;
  await around.services.arrivals.storeRecord(inbox, 'odd', { event: 'customers.added' });
  await rest();
  expect(await runsOf(id)).toHaveLength(before);
  const row = await around.services.db
    .selectFrom('arrival')
    .select('refused')
    .where('key', '=', 'odd')
    .executeTakeFirst();
  expect(row?.refused).toMatch(/doesn’t say of which record/);
});

test('killed after the run was stored, what was told of is fetched by the next process, once', async () => {
  const { world } = around;
  const { inbox } = await telling();
  const one = world.shop.store.add(customer({ email: 'one@clay.example' }));
  clock().onReach = (point) => {
    if (point === 'take-in:before-store') throw new Error('killed');
  };
  await post(inbox, one.id);
  await around.services.engine.tick();
  await around.services.engine.quiet();
  clock().onReach = () => undefined;
  await around.reopen();
  await around.services.engine.start();
  await rest();
  expect(await mails()).toEqual(['one@clay.example']);
});

test('an app that can be asked posts from then on, signed; asked twice, it posts once', async () => {
  const { services, world, connected } = around;
  const door = await listenAtDoor(services);
  try {
    const id = await customersWorkflow(services, connected, { fromWhen: { kind: 'now' } });
    const api = <T>(method: string, path: string, body?: unknown) => askApi<T>(services, method, path, body);
    const made = await api<{ inbox: string; canRegister: boolean }>('POST', `/api/workflows/${id}/telling`);
    expect(made.canRegister).toBe(true);
    const { inbox } = made;
    for (let times = 0; times < 2; times++)
      expect(await api('POST', `/api/workflows/${id}/telling/register`, { inbox })).toEqual({ id: '/record/id' });
    expect(world.shop.store.webhooks.list().map(({ events }) => events)).toEqual([
      ['customers.added', 'customers.changed'],
    ]);
    const { draft, draftRev } = await services.workflows.get(id);
    const trigger: Trigger = { kind: 'event', event: `arrival|${inbox}`, alsoEvery: 1440, tells: { id: '/record/id' } };
    await services.workflows.saveDraft(id, { ...draft, start: { ...draft.start, trigger } }, draftRev);
    await services.engine.finish((await services.engine.makeLive(id)).run);
    await rest();
    const one = world.shop.store.add(customer({ email: 'one@clay.example' }));
    world.shop.store.webhooks.tell('customers.added', one);
    await world.shop.store.webhooks.settled();
    await rest();
    expect(await mails()).toEqual(['one@clay.example']);
    // Somebody who has the address alone gets nothing in.
    const { url } = await api<{ url: string }>('GET', `/api/doors/${inbox}`);
    const strange = await fetch(url, {
      method: 'POST',
      body: '{"record":{"id":1}}',
      headers: { 'content-type': 'application/json' },
    });
    expect(strange.status).toBe(401);
  } finally {
    await door.close();
  }
});

describe('with these records', () => {
  test('known ones are sent, what was sent is a repeat, and the listing goes on as it would', async () => {
    const { world, services, connected } = around;
    const known = ['a', 'b', 'c'].map((name) => world.shop.store.add(customer({ email: `${name}@clay.example` })));
    const id = await customersWorkflow(services, connected, { fromWhen: { kind: 'now' } });
    await services.engine.finish((await services.engine.makeLive(id)).run);
    await rest();
    expect(await mails()).toEqual([]);
    const found = await askApi<{ id: string; title: string; isSent: boolean }[]>(
      services,
      'GET',
      `/api/workflows/${id}/records?text=b@clay`,
    );
    expect(found).toMatchObject([{ id: String(known[1]?.id), isSent: false }]);
    const these = (...ids: unknown[]) =>
      askApi<{ run: string }>(services, 'POST', `/api/workflows/${id}/these`, { ids: ids.map(String) });
    await these(known[1]?.id, known[0]?.id);
    await rest();
    expect((await mails()).sort()).toEqual(['a@clay.example', 'b@clay.example']);
    await these(known[1]?.id, known[2]?.id, 424_242);
    await rest();
    expect((await mails()).sort()).toEqual(['a@clay.example', 'b@clay.example', 'c@clay.example']);
    const [, , last] = await runsOf(id);
    expect(last).toMatchObject({ taken: 1, note: 'The record 424242 isn’t there any more.' });
    // One that comes afterwards is taken in as ever.
    world.shop.store.add(customer({ email: 'd@clay.example' }));
    await services.engine.finish(await services.engine.checkNow(id));
    await rest();
    expect((await mails()).sort()).toHaveLength(4);
  });
});

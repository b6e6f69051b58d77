import type { RestDescription } from '@golden/connectors';
import { Unsure } from '@golden/connectors';
import type { Services } from '../services.ts';
import { decide, goLive, settled, turns, until } from '../testing/checks.ts';
import type { TestClock } from '../testing/clock.ts';
import { customersToApp, type Manner, type PeopleApp, peopleApp, peopleDescription } from '../testing/people-app.ts';
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

// Writes and what is found out about them, judged by what the app holds in the end.

let world: World;
let services: Services;
let connected: Connected;
let app: PeopleApp;

async function open(manner: Manner, customers: number, more: Partial<RestDescription> = {}): Promise<void> {
  world = await openWorld();
  addCustomers(world, customers);
  app = await peopleApp(manner === 'idempotency_key');
  services = await openServices(world, {
    descriptions: [peopleDescription(manner, more)],
    open: { timeout: 30_000, retries: 0 },
  });
  connected = await connectBoth(world, services);
}

afterEach(async () => {
  await services.close();
  await app.at.close();
  await world.close();
});

const items = () => services.db.selectFrom('item').selectAll().orderBy('seq').execute();
const states = async () => (await items()).map(({ state }) => state);
const clock = () => services.seams as TestClock;
const first = async () => (await items())[0]?.id ?? '';
const onlyOnce = (): void => {
  expect(new Set(app.people.map(({ name, email }) => `${name} ${email}`)).size).toBe(app.people.length);
};

describe('intents by step', () => {
  test('of two unsure writes, “send again” gives up the one it names; the other is left as it is', async () => {
    await open('nothing', 1);
    const { workflow } = await customersToApp(services, connected, app, 'nothing', { writes: ['one', 'two'] });
    app.after = () => 'break';
    await goLive(services, workflow);
    expect(app.people.map(({ name }) => name)).toEqual(['one Ada 1', 'two Ada 1']);
    await decide(services, await first(), { kind: 'retry' });
    // The first didn't arrive, says a person who saw it and was wrong about nothing else.
    app.people.splice(0, 1);
    app.after = () => undefined;
    await decide(services, await first(), { kind: 'send_again', step: 'one' });
    expect(app.people.map(({ name }) => name).sort()).toEqual(['one Ada 1', 'two Ada 1']);
    await decide(services, await first(), { kind: 'accept', step: 'two' });
    expect(await states()).toEqual(['delivered']);
    expect(app.people).toHaveLength(2);
  });

  test('a value set on one step doesn’t send the unsure write of another once more', async () => {
    await open('nothing', 1);
    const { workflow } = await customersToApp(services, connected, app, 'nothing', { writes: ['one', 'two'] });
    app.before = (c) =>
      app.people.length > 0 && c.req.method === 'POST' ? c.json({ detail: 'name: not liked' }, 422) : undefined;
    app.after = () => 'break';
    await goLive(services, workflow);
    app.before = () => undefined;
    app.after = () => undefined;
    await decide(services, await first(), { kind: 'set', step: 'two', values: { '/name': 'two, as liked' } });
    expect(app.people.map(({ name }) => name)).toEqual(['one Ada 1', 'two, as liked']);
  });

  test('where nothing is read back, each write of an item has its own token and arrives', async () => {
    for (const manner of ['nothing', 'idempotency_key'] as const) {
      await open(manner, 2, {
        recordTypes: peopleDescription(manner).recordTypes.map(({ fetch: _none, ...type }) => type),
      });
      const writes = ['a', 'b', 'c', 'd', 'e'];
      const { workflow } = await customersToApp(services, connected, app, manner, { writes });
      await goLive(services, workflow);
      expect(app.people).toHaveLength(10);
      onlyOnce();
      expect(await states()).toEqual(['delivered', 'delivered']);
      const tokens = await services.db.selectFrom('write').select('token').execute();
      expect(new Set(tokens.map(({ token }) => token)).size).toBe(10);
      if (manner === 'nothing') {
        await services.close();
        await app.at.close();
        await world.close();
      }
    }
  });
});

test('tokens are derived: a copy of the data that was put back comes to the same, and the app does it once', async () => {
  await open('idempotency_key', 3);
  const { workflow } = await customersToApp(services, connected, app, 'idempotency_key');
  await goLive(services, workflow);
  const before = await services.db.selectFrom('write').select(['item_id', 'token']).orderBy('token').execute();
  // The copy knows the connection and the workflow, and nothing of what was taken in since.
  for (const table of ['write', 'journal', 'item', 'seen', 'run'] as const)
    await services.db.deleteFrom(table).execute();
  await goLive(services, workflow);
  const after = await services.db.selectFrom('write').select('token').orderBy('token').execute();
  expect(after.map(({ token }) => token)).toEqual(before.map(({ token }) => token));
  expect(app.people).toHaveLength(3);
  expect(await states()).toEqual(['delivered', 'delivered', 'delivered']);
});

describe('a write that may be done is never certainly not done', () => {
  const answers: [string, (c: Parameters<PeopleApp['before']>[0]) => Response][] = [
    ['401', (c) => c.json({ detail: 'who are you' }, 401)],
    ['403', (c) => c.json({ detail: 'not you' }, 403)],
    ['422', (c) => c.json({ detail: 'is there already' }, 422)],
    ['409', (c) => c.json({ detail: 'is there already' }, 409)],
    ['500', (c) => c.json({ detail: 'oh' }, 500)],
    ['a web page', (c) => c.html('<h1>Back soon</h1>')],
    ['302', (c) => c.redirect('http://127.0.0.1:9/')],
  ];
  const manners: Manner[] = ['idempotency_key', 'reference', 'lookup'];
  test.each(manners.flatMap((manner) => answers.map(([name, answer]) => [manner, name, answer] as const)))(
    'by %s: done, broken off, and then answered with %s',
    async (manner, _name, answer) => {
      await open(manner, 4, { settlesWithin: 10 });
      const { workflow } = await customersToApp(services, connected, app, manner);
      let isBroken = false;
      app.after = () => {
        isBroken = true;
        return 'break';
      };
      // As an app that restarts: whatever is asked of it next is answered wrongly.
      app.before = (c) => (isBroken ? answer(c) : undefined);
      const { run } = await services.engine.makeLive(workflow);
      await services.engine.finish(run);
      await services.engine.quiet();
      app.before = () => undefined;
      app.after = () => undefined;
      for (const one of await services.connections.list()) await services.engine.retryConnection(one.id);
      await settled(services);
      for (const { id, state } of await items())
        if (state === 'unsettled') await decide(services, id, { kind: 'retry' });
      expect(app.people).toHaveLength(4);
      onlyOnce();
      expect(await states()).toEqual(Array.from({ length: 4 }, () => 'delivered'));
    },
  );

  test('a create that comes late is waited for, as long as the app itself may still be at it', async () => {
    await open('lookup', 1, { settlesWithin: 10 });
    const { workflow } = await customersToApp(services, connected, app, 'lookup');
    const late = { email: 'ada1@clay.example', name: 'Ada 1', ref: null, id: '99' };
    app.before = (c) => (c.req.method === 'POST' ? 'break' : undefined);
    const { run } = await services.engine.makeLive(workflow);
    await services.engine.finish(run);
    expect((await items())[0]).toMatchObject({ state: 'waiting', message: expect.stringContaining('no answer') });
    // It is asked for once more only after the app's own time-out; in between it comes after all.
    clock().pass(6000);
    await services.engine.tick();
    await services.engine.quiet();
    expect(await states()).toEqual(['waiting']);
    app.people.push(late);
    app.before = () => undefined;
    await settled(services);
    expect(await states()).toEqual(['delivered']);
    expect(app.people).toEqual([late]);
  });

  test('where nobody knows how long an app takes, what isn’t there stays unsure', async () => {
    await open('lookup', 1);
    const { workflow } = await customersToApp(services, connected, app, 'lookup');
    app.before = (c) => (c.req.method === 'POST' ? 'break' : undefined);
    await goLive(services, workflow);
    expect(await items()).toMatchObject([{ state: 'unsettled', cause: 'unsure' }]);
    expect(app.asked.filter((one) => one.startsWith('POST'))).toHaveLength(1);
  });

  test('an idempotency key counts only as long as the app remembers it', async () => {
    await open('idempotency_key', 1, { keepsKeysFor: 24 });
    const { workflow } = await customersToApp(services, connected, app, 'idempotency_key');
    app.after = () => 'break';
    app.before = (c) => (app.people.length > 0 && c.req.method === 'POST' ? c.json({ detail: 'oh' }, 500) : undefined);
    const { run } = await services.engine.makeLive(workflow);
    await services.engine.finish(run);
    await services.engine.quiet();
    clock().pass(25 * 3_600_000);
    app.before = () => undefined;
    app.after = () => undefined;
    const posts = app.asked.filter((one) => one.startsWith('POST')).length;
    await services.engine.tick();
    await settled(services);
    expect(await items()).toMatchObject([{ state: 'unsettled', cause: 'unsure' }]);
    expect(app.asked.filter((one) => one.startsWith('POST'))).toHaveLength(posts);
    expect(app.people).toHaveLength(1);
  });
});

describe('delivered means that it is there', () => {
  test.each([200, 202, 301, 302, 303, 304, 307, 308] as const)(
    'an answer of %i that isn’t known as success is none',
    async (status) => {
      await open('nothing', 3);
      const { workflow } = await customersToApp(services, connected, app, 'nothing');
      app.before = (c) => {
        if (c.req.method !== 'POST') return undefined;
        const headers = { location: 'http://127.0.0.1:9/people', 'content-type': 'text/html' };
        return new Response(status === 304 ? null : '<h1>Moved</h1>', { status, headers });
      };
      await goLive(services, workflow);
      expect(app.people).toEqual([]);
      expect((await items()).map(({ state, cause }) => [state, cause])).toEqual(
        Array.from({ length: 3 }, () => ['unsettled', 'unsure']),
      );
    },
  );

  test('a redirect within the same address is followed where the standard lets a write be sent on', async () => {
    await open('reference', 2, { settlesWithin: 1 });
    const { workflow } = await customersToApp(services, connected, app, 'reference');
    const moved = new Set<string>();
    app.before = async (c) => {
      if (c.req.method !== 'POST') return undefined;
      const token = String(((await c.req.raw.clone().json()) as { ref: string }).ref);
      if (moved.has(token)) return undefined;
      moved.add(token);
      return new Response(null, { status: 307, headers: { location: '/people' } });
    };
    await goLive(services, workflow);
    expect(await states()).toEqual(['delivered', 'delivered']);
    expect(app.people).toHaveLength(2);
  });

  test('a record that was read back as another one needs a person, whatever the difference', async () => {
    await open('lookup', 2, { settlesWithin: 1 });
    const { workflow } = await customersToApp(services, connected, app, 'lookup');
    app.writes = (name) => (name.endsWith('1') ? 'Somebody Else' : name.toUpperCase());
    await goLive(services, workflow);
    const [other, same] = await items();
    expect(other).toMatchObject({ state: 'unsettled', cause: 'altered' });
    expect(other?.message).toContain('What came back is different from what was sent, in name');
    // The same letters in the app's own writing are the same value.
    expect(same).toMatchObject({ state: 'delivered' });
    await decide(services, other?.id ?? '', { kind: 'accept', step: 'list' });
    expect(await states()).toEqual(['delivered', 'delivered']);
  });

  test('what a store says it has put in place and hasn’t is no delivery, whatever else is read back', async () => {
    await open('nothing', 6);
    world.shelf.files.replace('customers.xlsx', await emptyWorkbook('Customers', columns), undefined);
    const workflow = await customersWorkflow(services, connected, { mode: 'append' });
    let pages = 0;
    const realReplace = world.shelf.files.replace.bind(world.shelf.files);
    world.shelf.files.replace = (...given) => {
      pages += 1;
      // The first two are answered as if they were done, and are not.
      return pages <= 2 ? { kind: 'done', etag: '"made up"' } : realReplace(...given);
    };
    await goLive(services, workflow);
    const rows = async () => {
      const { bytes = Buffer.alloc(0) } = world.shelf.files.get('customers.xlsx') ?? {};
      return (await rowsOf(bytes, 'Customers')).map((row) => row['E-mail']);
    };
    expect((await states()).filter((state) => state === 'delivered').length).toBeLessThanOrEqual((await rows()).length);
    for (let round = 0; round < 2; round++)
      for (const { id, state } of await items())
        if (state === 'unsettled') await decide(services, id, { kind: 'retry' });
    expect(await states()).toEqual(Array.from({ length: 6 }, () => 'delivered'));
    expect((await rows()).sort()).toEqual([1, 2, 3, 4, 5, 6].map((at) => `ada${at}@clay.example`));
  });
});

test('after a kill only what was on its way, or just about to leave, has to be found out about', async () => {
  await open('nothing', 150);
  const { workflow } = await customersToApp(services, connected, app, 'nothing');
  // As slow as an app at a distance: everything that may leave at once is under way.
  let calls = 0;
  app.before = async () => {
    calls += 1;
    await turns(40);
    calls -= 1;
    return undefined;
  };
  await services.engine.makeLive(workflow);
  await until(() => app.people.length >= 40);
  await services.drop();
  await until(() => calls === 0);
  app.before = () => undefined;
  services = await openServices(world, { descriptions: [peopleDescription('nothing')] });
  await services.engine.resume();
  await settled(services);
  const unsure = (await items()).filter(({ cause }) => cause === 'unsure');
  expect(unsure.length).toBeLessThanOrEqual(16);
  // What wasn't about to leave is sent without anybody being asked; nothing is there twice.
  expect(new Set(app.people.map(({ email }) => email)).size).toBe(app.people.length);
  expect(app.people.length).toBeGreaterThanOrEqual(150 - unsure.length);
});

test('a refusal as a conflict is told once, in the app’s own words', async () => {
  await open('lookup', 1, { settlesWithin: 1 });
  const { workflow } = await customersToApp(services, connected, app, 'lookup');
  app.before = (c) =>
    c.req.method === 'POST' ? c.json({ detail: 'This address is on the black list.' }, 409) : undefined;
  await goLive(services, workflow);
  expect(await items()).toMatchObject([
    { state: 'unsettled', cause: 'refused', message: expect.stringContaining('on the black list') },
  ]);
  expect(app.asked.filter((one) => one.startsWith('POST'))).toHaveLength(1);
});

test('a field that the app writes its own way isn’t sent again, however long ago it was written', async () => {
  await open('lookup', 1, { settlesWithin: 1 });
  const { workflow } = await customersToApp(services, connected, app, 'lookup', { on: 'added_or_changed' });
  app.writes = (name) => name.toUpperCase();
  await goLive(services, workflow);
  const [customer] = world.shop.store.search('', 10, 0);
  // Each change touches another field, so that the last write never holds the name.
  for (const phone of ['01632 960 100', '01632 960 101', '01632 960 102']) {
    world.shop.store.change(customer?.id ?? 0, { phone });
    const run = await services.engine.checkNow(workflow);
    await services.engine.finish(run);
  }
  expect(app.asked.filter((one) => one.startsWith('PATCH'))).toEqual([]);
  expect(await services.db.selectFrom('last_written').selectAll().execute()).toHaveLength(1);
});

test('a secret that is a word of somebody’s records is masked in what is told, and never in what is written', async () => {
  await open('lookup', 1, { settlesWithin: 1 });
  const { workflow, connection } = await customersToApp(services, connected, app, 'lookup');
  const view = await services.connections.get(connection);
  await services.connections.change(connection, { name: view.name, settings: view.settings, key: 'clay.example' });
  app.before = (c) => (c.req.method === 'POST' ? c.json({ detail: 'The key clay.example may not.' }, 422) : undefined);
  await goLive(services, workflow);
  expect((await items())[0]?.message).toContain('The key ▒▒▒ may not.');
  app.before = () => undefined;
  await decide(services, await first(), { kind: 'retry' });
  expect(app.people).toMatchObject([{ email: 'ada1@clay.example' }]);
});

test('an error after a byte has left is unsure, one before is not: the words of the connector', async () => {
  await open('nothing', 1);
  const { connection } = await customersToApp(services, connected, app, 'nothing');
  const connector = await services.connections.connector(connection);
  const target = { connection, path: ['people'], recordType: 'people' };
  const request = {
    token: 't',
    write: { kind: 'create' as const, target, values: { '/email': 'a@b.example' }, types: {} },
  };
  await connector.describe(['people']);
  app.before = (c) => (c.req.method === 'POST' ? 'break' : undefined);
  await expect(connector.create(request)).rejects.toThrow(Unsure);
});

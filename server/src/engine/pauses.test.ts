import type { Services } from '../services.ts';
import { loadSettings, saveSettings } from '../settings.ts';
import { goLive, settled, unbalanced, until } from '../testing/checks.ts';
import type { TestClock } from '../testing/clock.ts';
import { customersToApp, type PeopleApp, peopleApp, peopleDescription } from '../testing/people-app.ts';
import { addCustomers, type Connected, connectBoth, openServices, openWorld, type World } from '../testing/world.ts';

// An app that is out for a while holds its connection up, and nobody has to do anything.

let world: World;
let services: Services;
let connected: Connected;
let app: PeopleApp;
let workflow: string;
let connection: string;

async function open(customers: number, timeout = 900): Promise<void> {
  world = await openWorld();
  addCustomers(world, customers);
  app = await peopleApp();
  services = await openServices(world, {
    descriptions: [peopleDescription('lookup', { settlesWithin: 1 })],
    open: { timeout, retries: 0 },
  });
  connected = await connectBoth(world, services);
  ({ workflow, connection } = await customersToApp(services, connected, app, 'lookup'));
}

afterEach(async () => {
  await services.close();
  await app.at.close();
  await world.close();
});

const items = () => services.db.selectFrom('item').selectAll().orderBy('seq').execute();
const states = async () => (await items()).map(({ state }) => state);
const clock = () => services.seams as TestClock;

test.each([undefined, '1'])(
  'records at an app that takes a few at a time, Retry-After %s: all arrive by themselves',
  async (retryAfter) => {
    await open(25);
    let second = 0;
    let taken = 0;
    app.before = (c) => {
      const now = Math.floor(performance.now() / 100);
      if (now !== second) [second, taken] = [now, 0];
      taken += 1;
      if (taken <= 20) return undefined;
      return c.json({ detail: 'too many' }, 429, retryAfter ? { 'retry-after': retryAfter } : {});
    };
    // Time goes on as long as anything waits, so that the test needn't.
    const timer = setInterval(() => clock().pass(400), 10);
    await goLive(services, workflow);
    clearInterval(timer);
    expect(new Set(await states())).toEqual(new Set(['delivered']));
    expect(app.people).toHaveLength(25);
    expect(await unbalanced(services)).toEqual([]);
  },
  60_000,
);

test('while it is out its records wait, with the reason and the next try; then they go on by themselves', async () => {
  await open(30);
  app.before = (c) => c.json({ detail: 'Closed for stocktaking.' }, 503);
  const { run } = await services.engine.makeLive(workflow);
  await services.engine.finish(run);
  await services.engine.quiet();
  for (const item of await items())
    expect(item).toMatchObject({ state: 'waiting', waits_for: connection, wake_at: expect.any(String) });
  expect((await items())[0]?.message).toContain('Closed for stocktaking.');
  expect(await unbalanced(services)).toEqual([]);
  const asked = app.asked.length;
  expect(asked).toBeLessThan(30);
  // Nothing is asked of it before its time, and a few only when that has come.
  await services.engine.tick();
  expect(app.asked.length).toBe(asked);
  clock().pass(10_000);
  await services.engine.tick();
  await services.engine.quiet();
  expect(app.asked.length - asked).toBeLessThanOrEqual(16);
  app.before = () => undefined;
  await settled(services);
  expect(new Set(await states())).toEqual(new Set(['delivered']));
  expect(app.people).toHaveLength(30);
  expect([...services.pauses.all()]).toEqual([]);
});

test('what came to wait in the very moment in which the app answered again isn’t forgotten', async () => {
  await open(3);
  app.before = (c) => c.json({ detail: 'out' }, 503);
  const { run } = await services.engine.makeLive(workflow);
  await services.engine.finish(run);
  await services.engine.quiet();
  app.before = () => undefined;
  // The pause is over, and nobody was told: as when another record was answered while these were put down.
  await services.pauses.clear(connection);
  await services.engine.tick();
  await services.engine.quiet();
  expect(new Set(await states())).toEqual(new Set(['delivered']));
});

test('a pause outlives the process, and a step of the clock neither ends nor lengthens it', async () => {
  await open(3);
  app.before = (c) => c.json({ detail: 'out' }, 503);
  const { run } = await services.engine.makeLive(workflow);
  await services.engine.finish(run);
  clock().step(48 * 3_600_000);
  const asked = app.asked.length;
  await services.engine.tick();
  expect(app.asked.length).toBe(asked);
  clock().step(-96 * 3_600_000);
  await services.close();
  services = await openServices(world, { descriptions: [peopleDescription('lookup', { settlesWithin: 1 })] });
  await services.engine.resume();
  expect(new Set(await states())).toEqual(new Set(['waiting']));
  app.before = () => undefined;
  await settled(services);
  expect(new Set(await states())).toEqual(new Set(['delivered']));
});

test('after hours of it, as many as the settings say, it is a person’s case', async () => {
  await open(40);
  await saveSettings(services.db, { ...(await loadSettings(services.db)), retryHours: 2 });
  app.before = (c) => c.json({ detail: 'out' }, 503);
  await goLive(services, workflow);
  expect((await items()).map(({ state, cause, waits_for }) => [state, cause, waits_for])).toEqual(
    Array.from({ length: 40 }, () => ['unsettled', 'connection', connection]),
  );
  expect(await services.connections.get(connection)).toMatchObject({ status: 'broken' });
  app.before = () => undefined;
  await services.engine.retryConnection(connection);
  await settled(services);
  expect(app.people).toHaveLength(40);
});

test('a source that is out holds its listing up at the page it has come to; it goes on there', async () => {
  // Only what the test does to the shop holds anything up, however busy this machine is.
  await open(450, 60_000);
  // The shop gives 200 a page; the second one fails for a while.
  const page = world.shop.store.page.bind(world.shop.store);
  let isOut = true;
  world.shop.store.page = (limit, cursor, since, email) => {
    if (cursor && isOut) throw new Error('the shop is out');
    return page(limit, cursor, since, email);
  };
  const { run } = await services.engine.makeLive(workflow);
  await services.engine.finish(run);
  await services.engine.quiet();
  const row = () => services.db.selectFrom('run').selectAll().where('id', '=', run).executeTakeFirstOrThrow();
  expect(await row()).toMatchObject({ state: 'listing', wake_at: expect.any(String), taken_in: 200 });
  // What came before goes on meanwhile, as quick as this machine is.
  await until(() => app.people.length >= 200);
  expect(app.people).toHaveLength(200);
  isOut = false;
  await settled(services);
  expect(await row()).toMatchObject({ state: 'done', taken_in: 450, in_source: 450, message: null });
  expect(app.people).toHaveLength(450);
});

test('stopping a run cancels what waits for an app; it can be taken up again', async () => {
  await open(6);
  app.before = (c) => c.json({ detail: 'out' }, 503);
  const { run } = await services.engine.makeLive(workflow);
  await services.engine.finish(run);
  await services.engine.stopRun(run);
  expect(new Set(await states())).toEqual(new Set(['cancelled']));
  app.before = () => undefined;
  await services.engine.retryConnection(connection);
  for (const { id } of await items()) await services.engine.takeUp(id);
  await settled(services);
  expect(app.people).toHaveLength(6);
});

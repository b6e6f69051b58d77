import type { Services } from '../services.ts';
import { checkNow, decide, goLive, settled, unbalanced, until } from '../testing/checks.ts';
import { customersToApp, type PeopleApp, peopleApp, peopleDescription } from '../testing/people-app.ts';
import { addCustomers, type Connected, connectBoth, openServices, openWorld, type World } from '../testing/world.ts';

// Whatever moves an item takes it by one conditional update: each of these was a way to double or to
// lose a record while the books balanced.

let world: World;
let services: Services;
let connected: Connected;
let app: PeopleApp;
let workflow: string;

async function open(customers: number, more: Parameters<typeof customersToApp>[4] = {}): Promise<void> {
  world = await openWorld();
  addCustomers(world, customers);
  app = await peopleApp();
  services = await openServices(world, {
    descriptions: [peopleDescription('lookup', { settlesWithin: 1 })],
    open: { timeout: 30_000, retries: 0 },
  });
  connected = await connectBoth(world, services);
  workflow = (await customersToApp(services, connected, app, 'lookup', more)).workflow;
}

afterEach(async () => {
  await services.close();
  await app.at.close();
  await world.close();
});

const items = () => services.db.selectFrom('item').selectAll().orderBy('seq').execute();
const states = async () => (await items()).map(({ state }) => state);
const names = () => app.people.map(({ name }) => name);
const shopChange = (name: string, at = 0) => {
  const one = world.shop.store.search('', 10, 0)[at];
  world.shop.store.change(one?.id ?? 0, { first_name: name });
};
const refuseAll = (): void => {
  app.before = (c) => (c.req.method === 'POST' ? c.json({ detail: 'no' }, 422) : undefined);
};
const allowAll = (): void => {
  app.before = () => undefined;
};

test('one decision posted twice at once is carried out once; the second is told that it came too late', async () => {
  await open(1);
  // Nothing is looked up: whoever sends it twice has it twice.
  const { draft, draftRev } = await services.workflows.get(workflow);
  const steps = draft.steps.map((step) => (step.kind === 'write' ? { ...step, mode: 'append' as const } : step));
  await services.workflows.saveDraft(workflow, { ...draft, steps }, draftRev);
  refuseAll();
  await goLive(services, workflow);
  allowAll();
  const [item] = await items();
  const posted = Array.from({ length: 5 }, () => services.engine.decide(item?.id ?? '', { kind: 'retry' }));
  const results = await Promise.allSettled(posted);
  expect(results.filter(({ status }) => status === 'fulfilled')).toHaveLength(1);
  for (const one of results) if (one.status === 'rejected') expect(String(one.reason)).toContain('has changed');
  expect(names()).toEqual(['Ada 1']);
  expect(await services.db.selectFrom('decision').selectAll().execute()).toHaveLength(1);
});

test('an earlier change dismissed in the middle of a run lets the next one go on once', async () => {
  await open(2, { on: 'added_or_changed' });
  refuseAll();
  await goLive(services, workflow);
  shopChange('Newer');
  const run = await services.engine.checkNow(workflow);
  await services.engine.finish(run);
  allowAll();
  const [first] = await items();
  // While the next run is under way, the person dismisses what stood before.
  shopChange('Newest', 1);
  const next = await services.engine.checkNow(workflow);
  await services.engine.decide(first?.id ?? '', { kind: 'dismiss', reason: 'old' });
  await services.engine.finish(next);
  await settled(services);
  for (const { id, state, cause } of await items())
    if (state === 'unsettled' && cause !== 'behind') await decide(services, id, { kind: 'retry' });
  expect(new Set(app.people.map(({ email }) => email)).size).toBe(app.people.length);
  expect(await unbalanced(services)).toEqual([]);
});

test('taking the newest dismisses all before it: none in between is written', async () => {
  await open(1, { on: 'added_or_changed' });
  refuseAll();
  await goLive(services, workflow);
  for (const name of ['Second', 'Third', 'Fourth']) {
    shopChange(name);
    await checkNow(services, workflow);
  }
  allowAll();
  const sent: string[] = [];
  app.after = (_c, person) => {
    sent.push(person.name);
    return undefined;
  };
  await services.engine.takeNewest((await items())[1]?.id ?? '');
  await settled(services);
  expect(sent).toEqual(['Fourth']);
  expect(await states()).toEqual(['dismissed', 'dismissed', 'dismissed', 'delivered']);
});

test('what a stopped run left isn’t taken up once a later change has come', async () => {
  await open(1, { on: 'added_or_changed' });
  app.before = (c) => (c.req.method === 'POST' ? 'break' : undefined);
  await services.engine.finish((await services.engine.makeLive(workflow)).run);
  await services.engine.quiet();
  const cancelled = { state: 'cancelled', cause: null, waits_for: null, wake_at: null } as const;
  await services.db.updateTable('item').set(cancelled).execute();
  await services.db.updateTable('write').set({ status: 'void' }).execute();
  app.before = () => undefined;
  shopChange('Newer');
  await checkNow(services, workflow);
  expect(names()).toEqual(['Newer']);
  await expect(services.engine.takeUp((await items())[0]?.id ?? '')).rejects.toThrow('A later change');
  expect(names()).toEqual(['Newer']);
  expect(await states()).toEqual(['cancelled', 'delivered']);
});

test('a start serves at once, however slow the apps are that what was left has to ask', async () => {
  await open(40);
  let answer = (): void => undefined;
  const answered = new Promise<undefined>((resolve) => {
    answer = () => resolve(undefined);
  });
  app.before = () => answered;
  await services.engine.makeLive(workflow);
  await until(async () => (await states()).length === 40);
  await services.drop();
  services = await openServices(world, { descriptions: [peopleDescription('lookup', { settlesWithin: 1 })] });
  const unfinished = async () => (await states()).filter((state) => state === 'running').length;
  await services.engine.start();
  // Started, with nearly everything still to do: it is done in the background.
  expect(await unfinished()).toBeGreaterThan(20);
  answer();
  await services.engine.tick();
  await services.engine.quiet();
  await settled(services);
  expect(new Set(await states())).toEqual(new Set(['delivered']));
  expect(app.people).toHaveLength(40);
});

test('a connection with many waiting is retried through the queue: only so many are on their way at once', async () => {
  await open(320);
  app.before = (c) => (c.req.method === 'POST' ? c.json({ detail: 'no right' }, 403) : undefined);
  await goLive(services, workflow);
  expect(new Set(await states())).toEqual(new Set(['unsettled']));
  allowAll();
  let most = 0;
  app.after = () => undefined;
  const connection = (await items())[0]?.waits_for ?? '';
  await services.engine.retryConnection(connection);
  const watch = async (): Promise<void> => {
    const { open } = await services.db
      .selectFrom('item')
      .select((eb) => eb.fn.countAll<number>().as('open'))
      .where('claimed', '=', 1)
      .executeTakeFirstOrThrow();
    most = Math.max(most, open);
  };
  const timer = setInterval(() => void watch(), 5);
  // On a busy machine an answer may come too late: what is asked again then goes on with the next beat.
  await until(async () => {
    await services.engine.tick();
    await services.engine.quiet();
    return (await states()).every((state) => state === 'delivered');
  });
  clearInterval(timer);
  expect(most).toBeLessThanOrEqual(256);
  expect(app.people).toHaveLength(320);
  expect(new Set(await states())).toEqual(new Set(['delivered']));
});

test('a fault of our own ends one record or one run, with its reason; everything else goes on', async () => {
  await open(5);
  const read = services.connections.connector.bind(services.connections);
  let faults = 1;
  services.connections.connector = async (id) => {
    const connector = await read(id);
    const find = connector.find.bind(connector);
    return Object.assign(Object.create(connector) as typeof connector, {
      find: async (...given: Parameters<typeof find>) => {
        if (faults-- > 0) throw new TypeError('undefined is not a record');
        return find(...given);
      },
    });
  };
  await goLive(services, workflow);
  const told = (await items()).filter(({ state }) => state === 'unsettled');
  expect(told).toMatchObject([{ cause: 'fault', message: expect.stringContaining('undefined is not a record') }]);
  expect(app.people).toHaveLength(4);
  await decide(services, told[0]?.id ?? '', { kind: 'retry' });
  expect(app.people).toHaveLength(5);
});

test('A → B → A with the same time of change is three changes, and the workflow lives on', async () => {
  await open(1, { on: 'added_or_changed' });
  const [customer] = world.shop.store.search('', 10, 0);
  const page = world.shop.store.page.bind(world.shop.store);
  const updated_at = customer?.updated_at ?? '';
  // A source whose clock stands still.
  world.shop.store.page = (...given) => {
    const { data, ...rest } = page(...given);
    return { ...rest, data: data.map((one) => ({ ...one, updated_at })) };
  };
  await goLive(services, workflow);
  for (const name of ['B', 'Ada 1', 'B']) {
    shopChange(name);
    await checkNow(services, workflow);
  }
  expect(await states()).toEqual(['delivered', 'delivered', 'delivered', 'delivered']);
  expect(names()).toEqual(['B']);
  expect(await unbalanced(services)).toEqual([]);
});

test('records that an unsure step holds aren’t begun anew on a newer version', async () => {
  await open(1);
  const { draft, draftRev } = await services.workflows.get(workflow);
  const steps = draft.steps.map((step) => (step.kind === 'write' ? { ...step, mode: 'append' as const } : step));
  await services.workflows.saveDraft(workflow, { ...draft, steps }, draftRev);
  // Done and broken off, and then the app can't be looked into.
  app.after = () => 'break';
  app.before = (c) => (app.people.length > 0 && c.req.method === 'GET' ? c.json({ detail: 'blind' }, 403) : undefined);
  await goLive(services, workflow);
  expect(app.people).toHaveLength(1);
  // As a later step that meets a changed place would leave it.
  await services.db.updateTable('item').set({ cause: 'drift' }).execute();
  allowAll();
  app.after = () => undefined;
  const now = await services.workflows.get(workflow);
  await services.workflows.saveDraft(workflow, { ...now.draft, note: 'mapped again' }, now.draftRev);
  await goLive(services, workflow);
  expect(app.people).toHaveLength(1);
  expect((await items())[0]).toMatchObject({ version: 1, state: 'unsettled' });
});

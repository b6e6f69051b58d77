import type { Services } from '../services.ts';
import { decide, goLive, unbalanced } from '../testing/checks.ts';
import { customersToApp, type Manner, type PeopleApp, peopleApp, peopleDescription } from '../testing/people-app.ts';
import { addCustomers, connectBoth, openServices, openWorld, type World } from '../testing/world.ts';

// How it is found out whether a write without an answer was done, for each kind of app.

let world: World;
let services: Services;
let app: PeopleApp;

async function open(manner: Manner): Promise<string> {
  world = await openWorld();
  addCustomers(world, 10);
  app = await peopleApp(manner === 'idempotency_key');
  const description = peopleDescription(manner, { settlesWithin: 10 });
  services = await openServices(world, { descriptions: [description], open: { timeout: 30_000, retries: 0 } });
  const { workflow } = await customersToApp(services, await connectBoth(world, services), app, manner);
  return workflow;
}

/** The next writes are done, and broken off before they are answered. */
function breakOff(times: number): void {
  let left = times;
  app.after = () => (left-- > 0 ? 'break' : undefined);
}

const posts = (): number => app.asked.filter((one) => one.startsWith('POST')).length;

afterEach(async () => {
  await services.close();
  await app.at.close();
  await world.close();
});

const states = async () =>
  await services.db.selectFrom('item').select(['id', 'state', 'cause']).orderBy('seq').execute();

test.each(['idempotency_key', 'reference', 'lookup'] as const)(
  'by %s: done and broken off counts as done, once',
  async (manner) => {
    const workflow = await open(manner);
    breakOff(4);
    await goLive(services, workflow);
    expect(app.people).toHaveLength(10);
    expect(new Set(app.people.map((one) => one.email)).size).toBe(10);
    expect((await states()).map((item) => item.state)).toEqual(Array.from({ length: 10 }, () => 'delivered'));
    expect(await unbalanced(services)).toEqual([]);
  },
);

test('what can’t be looked up is unsettled as unsure, and is never sent again by itself', async () => {
  const workflow = await open('nothing');
  breakOff(2);
  await goLive(services, workflow);
  expect(posts()).toBe(10);
  const unsure = (await states()).filter((item) => item.cause === 'unsure');
  expect(unsure).toHaveLength(2);
  const [first, second] = unsure;
  await decide(services, first?.id ?? '', { kind: 'retry' });
  expect(posts()).toBe(10);
  await decide(services, first?.id ?? '', { kind: 'accept', step: 'list' });
  await decide(services, second?.id ?? '', { kind: 'send_again', step: 'list' });
  expect(posts()).toBe(11);
  expect((await states()).every((item) => item.state === 'delivered')).toBe(true);
});

test('while the app can’t be asked, a write stays unsure; a retry finds it when it can', async () => {
  const workflow = await open('reference');
  breakOff(1);
  app.before = (c) => (c.req.method === 'GET' ? c.json({ detail: 'the search is out' }, 500) : undefined);
  await goLive(services, workflow);
  const unsure = (await states()).filter((item) => item.state === 'unsettled');
  expect(unsure).toHaveLength(1);
  app.before = () => undefined;
  await decide(services, unsure[0]?.id ?? '', { kind: 'retry' });
  expect(app.people).toHaveLength(10);
  expect(posts()).toBe(10);
  expect((await states()).every((item) => item.state === 'delivered')).toBe(true);
});

import { needsOf } from '../api/workspace/needs.ts';
import type { Services } from '../services.ts';
import { makeServices } from '../services.ts';
import { checkNow, decide, goLive, settled } from '../testing/checks.ts';
import { TestClock } from '../testing/clock.ts';
import { customersToApp, type PeopleApp, peopleApp, peopleDescription } from '../testing/people-app.ts';
import { addCustomers, type Connected, connectBoth, openServices, openWorld, type World } from '../testing/world.ts';

// Whatever stands in the data or comes from an app: the server starts, says what is wrong as a case of
// that workflow or connection, and everything else goes on.

let world: World;
let services: Services;
let connected: Connected;
let app: PeopleApp;
let workflow: string;
let connection: string;
const more = {
  descriptions: [peopleDescription('lookup', { settlesWithin: 1 })],
  open: { timeout: 30_000, retries: 0 },
};

beforeEach(async () => {
  world = await openWorld();
  addCustomers(world, 3);
  app = await peopleApp();
  services = await openServices(world, more);
  connected = await connectBoth(world, services);
  ({ workflow, connection } = await customersToApp(services, connected, app, 'lookup'));
});
afterEach(async () => {
  await services.close();
  await app.at.close();
  await world.close();
});

const states = async () =>
  (await services.db.selectFrom('item').select('state').orderBy('seq').execute()).map(({ state }) => state);

/** Stops and starts again, as many times as it takes to trust it. */
async function startAgain(options: Partial<Parameters<typeof openServices>[1]> = {}): Promise<void> {
  await services.drop();
  services = await openServices(world, { ...more, ...options });
  await services.engine.start();
  await services.engine.quiet();
}

async function setAddress(id: string, address: string | undefined): Promise<void> {
  await services.db
    .updateTable('connection')
    .set({ settings: JSON.stringify(address === undefined ? {} : { address }) })
    .where('id', '=', id)
    .execute();
}

async function expectTold(words: string | RegExp): Promise<void> {
  const told = (await needsOf(services)).map(({ message }) => message).join(' | ');
  expect(told).toMatch(words);
}

const ways: [string, () => Promise<void>, RegExp][] = [
  ['an address without http://', () => setAddress(connected.shop, 'shop.example/api'), /not a web address/],
  ['no address', () => setAddress(connected.shop, undefined), /No address was given/],
  [
    'a connection that is gone while the live version rests on it',
    async () => {
      await services.db.deleteFrom('connection').where('id', '=', connected.shop).execute();
    },
    /isn’t there any more/,
  ],
];

test.each(ways)('the source has %s', async (_name, harm, words) => {
  await goLive(services, workflow);
  await harm();
  await startAgain();
  await checkNow(services, workflow);
  await startAgain();
  await expectTold(words);
  expect((await services.db.selectFrom('run').select('state').execute()).map(({ state }) => state)).not.toContain(
    'listing',
  );
});

test.each(ways)('the destination has %s', async (_name, harm, words) => {
  await services.db.updateTable('connection').set({ name: 'swap' }).where('id', '=', connection).execute();
  const { shop } = connected;
  connected = { ...connected, shop: connection };
  await services.engine.makeLive(workflow);
  while ((await states()).length < 3) await new Promise((resolve) => setImmediate(resolve));
  await harm();
  await startAgain();
  await settled(services);
  if (app.people.length < 3) await expectTold(words);
  connected = { ...connected, shop };
});

test('another master key: the connections say “sign in again”, and the second start is as good as the first', async () => {
  await goLive(services, workflow);
  const other = async (): Promise<void> => {
    await services.drop();
    services = await makeServices({
      ...more,
      dataFile: `${world.folder}/golden.sqlite`,
      masterKey: 'another master key',
      logLevel: 'silent',
      seams: new TestClock(),
    });
    await services.engine.start();
    await services.engine.quiet();
  };
  await other();
  addCustomers(world, 1, 9);
  await checkNow(services, workflow);
  await other();
  await expectTold(/sign in again/);
});

const harmful: [string, (body: object) => unknown][] = [
  ['a null in its list', () => [null]],
  ['a word in its list', () => ['nothing']],
  ['a record without an id', () => [{ email: 'ada1@clay.example' }]],
  ['a list that is none', () => ({ items: 3 })],
];

test.each(harmful)('an app gives %s where it is looked into', async (_name, answer) => {
  app.before = (c) => (c.req.method === 'GET' && c.req.path === '/people' ? c.json(answer({}) as object) : undefined);
  const { run } = await services.engine.makeLive(workflow);
  await services.engine.finish(run);
  await startAgain();
  expect((await states()).filter((state) => state === 'delivered').length).toBe(app.people.length);
  expect(app.people.filter(({ email }) => email === 'ada1@clay.example')).toEqual([]);
  app.before = () => undefined;
  await services.engine.retryConnection(connection);
  await settled(services);
  for (const { id, state } of await services.db.selectFrom('item').select(['id', 'state']).execute())
    if (state === 'unsettled') await decide(services, id, { kind: 'retry' });
  expect(app.people).toHaveLength(3);
});

test.each([
  ['data nested more deeply than any record', '['],
  ['a document that is null', 'null'],
  [
    'a reference that leads nowhere',
    '{"openapi":"3.1.0","info":{"title":"x","version":"1"},"paths":{},"components":{"schemas":{"Person":{"$ref":"#/components/schemas/Gone"}}}}',
  ],
])('an app describes itself with %s, in the middle of a run', async (_name, document) => {
  await goLive(services, workflow);
  const good = app.openapi;
  app.openapi = () => (document.startsWith('[') ? deep() : JSON.parse(document));
  addCustomers(world, 2, 20);
  // A new connector asks for the description anew.
  await startAgain();
  await checkNow(services, workflow);
  await startAgain();
  expect((await states()).filter((state) => state === 'delivered')).toHaveLength(3);
  app.openapi = good;
  await services.engine.retryConnection(connection);
  await settled(services);
  expect(app.people).toHaveLength(5);
});

/** So deep that whoever walks through it by calling itself overflows; a server can still write it down. */
function deep(): unknown {
  let value: unknown = 1;
  for (let level = 0; level < 900; level++) value = [value];
  return value;
}

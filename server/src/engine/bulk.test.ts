import { join } from 'node:path';
import { emptyContent, type Step, startId } from '@golden/core';
import { cabinetKeys, keyCabinet, type Listening, listen, windowDisplay, windowKeys } from '@golden/standins';
import type { KillPoint } from '../seams.ts';
import type { Services } from '../services.ts';
import { decide, goLive, retryConnection, settled, unbalanced } from '../testing/checks.ts';
import { dropAt } from '../testing/drop.ts';
import { addCustomers, connectBoth, customer, openServices, openWorld, placeOf, type World } from '../testing/world.ts';

// Many new records in one call: each has an intent, a result and a reason of its own. Judged by what stands in the apps.

let world: World;
let services: Services;
let cabinet: ReturnType<typeof keyCabinet> & { at: Listening };
let site: ReturnType<typeof windowDisplay> & { at: Listening };
let section: string;
let shop: string;

beforeEach(async () => {
  world = await openWorld();
  const keys = keyCabinet(join(world.folder, 'cabinet.sqlite'));
  const shown = windowDisplay(join(world.folder, 'window.sqlite'));
  section = String(shown.store.sections.add({ name: 'Customers' }).id);
  cabinet = { ...keys, at: await listen(keys.app, 0) };
  site = { ...shown, at: await listen(shown.app, 0) };
  services = await openServices(world);
  shop = (await connectBoth(world, services)).shop;
});
afterEach(async () => {
  expect(await unbalanced(services)).toEqual([]);
  await services.close();
  await cabinet.at.close();
  cabinet.store.close();
  await site.at.close();
  site.store.close();
  await world.close();
});

const from = (path: string) => ({ kind: 'field' as const, ref: { step: startId, path }, tidies: [] });

async function workflow(step: Step): Promise<string> {
  const content = {
    ...emptyContent('Many at once'),
    start: {
      source: await placeOf(services, shop, ['customers']),
      on: 'added_or_changed' as const,
      trigger: { kind: 'every' as const, minutes: 5 },
      fromWhen: { kind: 'all' as const },
    },
    steps: [step],
  };
  return (await services.workflows.add(content)).id;
}

async function intoTheWindow(): Promise<string> {
  const { id } = await services.connections.add({
    app: 'window_display',
    name: 'Window',
    settings: { address: `${site.at.url}/api` },
    key: windowKeys[0]?.key ?? '',
  });
  return workflow({
    id: 'entry',
    kind: 'write',
    target: await placeOf(services, id, ['entries']),
    mode: 'append',
    mapping: {
      '/section': { kind: 'fixed', value: section },
      '/title': from('/first_name'),
      '/text': from('/email'),
    },
  });
}

async function intoTheCabinet(): Promise<string> {
  const { id } = await services.connections.add({
    app: 'key_cabinet',
    name: 'Cabinet',
    settings: { address: `${cabinet.at.url}/api` },
    key: cabinetKeys[0]?.key ?? '',
  });
  return workflow({
    id: 'account',
    kind: 'write',
    target: await placeOf(services, id, ['Users']),
    mode: 'append',
    mapping: { '/userName': from('/email'), '/name/givenName': from('/first_name') },
  });
}

const titles = () => site.store.entries.list({}, { limit: 1000 }).map(({ title }) => title);
const userNames = () => cabinet.store.accounts.list({}, { limit: 1000 }).map(({ userName }) => userName);
const unsettled = () =>
  services.db.selectFrom('item').select(['id', 'title', 'message']).where('state', '=', 'unsettled').execute();

test('hundreds go in a few calls, each with an intent and a result of its own', async () => {
  addCustomers(world, 250);
  const id = await intoTheWindow();
  await goLive(services, id);
  expect(new Set(titles()).size).toBe(250);
  expect(titles()).toHaveLength(250);
  expect(site.state.writes).toBeLessThan(60);
  const writes = await services.db.selectFrom('write').select(['status', 'remote_id']).execute();
  expect(writes.every(({ status, remote_id }) => status === 'done' && remote_id)).toBe(true);
  expect(new Set(writes.map(({ remote_id }) => remote_id)).size).toBe(250);
});

test('one that is refused doesn’t refuse the others, and says why by itself', async () => {
  addCustomers(world, 20);
  world.shop.store.add(customer({ first_name: 'x'.repeat(180), email: 'long@clay.example' }));
  const taken = world.shop.store.add(customer({ first_name: 'Again', email: 'ADA3@clay.example' }));
  expect(taken.id).toBeGreaterThan(0);
  await goLive(services, await intoTheCabinet());
  expect(userNames()).toHaveLength(21);
  const [again] = await unsettled();
  expect(again?.message).toMatch(/The user name “.*@clay.example” is taken/i);
  await decide(services, again?.id ?? '', { kind: 'set', step: 'account', values: { '/userName': 'ada.again' } });
  expect(userNames()).toContain('ada.again');
  expect(await unsettled()).toEqual([]);
});

test.each([
  ['the Window display, by the key of the call', 'window' as const],
  ['the Key cabinet, each by our reference', 'cabinet' as const],
])('a call that broke off after it was done is found out about: %s', async (_name, which) => {
  addCustomers(world, 60);
  const id = which === 'window' ? await intoTheWindow() : await intoTheCabinet();
  const app = which === 'window' ? site : cabinet;
  app.state.troubles.set('break_off', 1);
  await goLive(services, id);
  for (const { id: connection } of await services.connections.list()) await retryConnection(services, connection);
  const there = which === 'window' ? titles() : userNames();
  expect(there).toHaveLength(60);
  expect(new Set(there).size).toBe(60);
  expect(await unsettled()).toEqual([]);
});

const points: readonly KillPoint[] = [
  'intent:before-store',
  'intent:after-store',
  'send:before',
  'send:after',
  'result:after-store',
];

test.each(points.flatMap((point) => [[point, 'window' as const] as const, [point, 'cabinet' as const] as const]))(
  'killed at %s (%s), each is there once',
  async (point, which) => {
    addCustomers(world, 40);
    const id = which === 'window' ? await intoTheWindow() : await intoTheCabinet();
    const dropped = dropAt(services, point);
    void services.engine.makeLive(id).catch(() => undefined);
    await dropped;
    services = await openServices(world);
    await services.engine.resume();
    await settled(services);
    const there = which === 'window' ? titles() : userNames();
    expect(there).toHaveLength(40);
    expect(new Set(there).size).toBe(40);
    expect(await unsettled()).toEqual([]);
  },
);

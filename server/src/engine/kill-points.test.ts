import { spawn } from 'node:child_process';
import { mkdirSync, readFileSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { formatPointer } from '@golden/core';
import { type Listening, listen, shelfAccounts, shopCounter, shopKeys, troubleKinds } from '@golden/standins';
import { type KillPoint, killPoints } from '../seams.ts';
import type { Services } from '../services.ts';
import { loadSettings, saveSettings } from '../settings.ts';
import { checkNow, decide, retryConnection, settled, unbalanced } from '../testing/checks.ts';
import {
  pointOfAccounts,
  pointsOfArrivals,
  pointsOfAsking,
  pointsOfDocuments,
  pointsOfEndings,
  pointsOfHandIns,
  pointsOfHandingOver,
  pointsOfInStep,
  pointsOfParks,
  pointsOfRemaking,
  pointsOfRepairs,
  pointsOfReturned,
  pointsOfTakeOvers,
  pointsOfTakingIn,
  pointsOfUndoing,
} from '../testing/drop.ts';
import { customersToPeople, personLadder } from '../testing/matching.ts';
import {
  addCustomers,
  type Connected,
  columns,
  connectBoth,
  connectCards,
  customersWorkflow,
  emptyWorkbook,
  fieldFilling,
  openServices,
  openWorld,
  placeOf,
  rowsOf,
  type World,
} from '../testing/world.ts';

// The process is stopped with SIGKILL at every named point around taking in, intent, send, result
// and file replacement, and started again: nothing may be lost or doubled, and the books balance.

const customers = 12;

let world: World;
let connected: Connected;
let workflow: string;

beforeEach(async () => {
  world = await openWorld();
  addCustomers(world, customers);
});
afterEach(() => world.close());

/** Runs the engine in a process of its own; gives the signal or code it ended with. */
function runChild(task: string, point = '', passes = 0): Promise<string | number | null> {
  return new Promise((resolve, reject) => {
    const program = join(process.env['GOLDEN_TEST_PROGRAMS'] ?? '', 'engine-child.mjs');
    const args = [program, join(world.folder, 'golden.sqlite'), workflow, task, point, String(passes)];
    const engine = spawn(process.execPath, args, { stdio: ['ignore', 'inherit', 'inherit'] });
    engine.once('error', reject);
    engine.once('exit', (code, signal) => resolve(signal ?? code));
  });
}

async function prepare(make: (services: Awaited<ReturnType<typeof openServices>>) => Promise<string>): Promise<void> {
  const services = await openServices(world);
  connected = await connectBoth(world, services);
  workflow = await make(services);
  await services.close();
}

/** Starts again on the data that a killed process left, and waits until all that it left is done. */
async function openAgain(): Promise<Services> {
  const services = await openServices(world, { open: { timeout: 30_000, retries: 3 } });
  await services.engine.resume();
  await settled(services);
  return services;
}

/** Stops at the point, starts again until all has ended, and looks at the books and for doubles. */
async function stopAndGoOn(
  point: KillPoint,
  passes: number,
  written: () => Promise<unknown[]>,
  meanwhile: () => void = () => undefined,
): Promise<void> {
  expect(await runChild('live', point, passes)).toBe('SIGKILL');
  meanwhile();
  const services = await openAgain();
  try {
    // What a stop kept from being taken in comes with the next time the source is asked.
    const { liveVersion } = await services.workflows.get(workflow);
    if (liveVersion !== null) await checkNow(services, workflow);
    const there = await written();
    expect(there).toHaveLength(customers);
    expect(new Set(there).size).toBe(customers);
    expect(await unbalanced(services)).toEqual([]);
    const states = await services.db.selectFrom('item').select('state').execute();
    expect(states.filter((item) => item.state !== 'delivered')).toEqual([]);
  } finally {
    await services.close();
  }
}

const onTheShelf = async () =>
  (await rowsOf(world.shelf.files.get('customers.xlsx')?.bytes ?? Buffer.alloc(0), 'Customers')).map(
    (row) => row['E-mail'],
  );

const aroundTheQueue: [KillPoint, string][] = [
  ['claim:after-store', 'live'],
  ['park:after-store', 'live'],
  ['decision:after-store', 'retry'],
  ['claim:after-store', 'retry'],
];
const aroundTakingBack: [KillPoint, number][] = [
  ['take-back:after-store', 1],
  ['take-back:after-send', 1],
  ['take-back:before-result', 1],
  ['take-back:after-send', 4],
];

const aroundAFile: [KillPoint, number][] = [
  ['take-in:before-store', 0],
  ['take-in:after-store', 0],
  ['intent:before-store', 0],
  ['intent:after-store', 0],
  ['file:before-record', 0],
  ['file:after-record', 0],
  ['file:after-put', 0],
  ['result:before-store', 3],
  ['result:after-store', 5],
  ['read-back:after', 4],
  ['outcome:after-store', 6],
];

test.each(aroundAFile)('rows appended without a key, stopped at %s', async (point, passes) => {
  world.shelf.files.replace('customers.xlsx', await emptyWorkbook('Customers', columns), undefined);
  await prepare((services) => customersWorkflow(services, connected, { mode: 'append' }));
  await stopAndGoOn(point, passes, onTheShelf);
});

const aroundAFolder: KillPoint[] = [
  'file:after-record',
  'folder:before-rename',
  'folder:after-rename',
  'file:after-put',
];

test.each(aroundAFolder)('rows created by key in a local folder, stopped at %s', async (point) => {
  const folder = join(world.folder, 'books');
  mkdirSync(folder);
  writeFileSync(join(folder, 'list.xlsx'), await emptyWorkbook('Customers', columns));
  await prepare(async (services) => {
    const made = await services.connections.add({ app: 'folder', name: 'Books', settings: { folder } });
    return customersWorkflow(services, connected, {
      target: { connection: made.id, path: ['list.xlsx', 'Customers'] },
    });
  });
  const inFolder = async () =>
    (await rowsOf(readFileSync(join(folder, 'list.xlsx')), 'Customers')).map((row) => row['E-mail']);
  await stopAndGoOn(point, 0, inFolder);
});

const aroundAServer: KillPoint[] = ['file:after-record', 'webdav:before-put', 'webdav:after-put', 'file:after-put'];

// A lock that the killed process held ends by itself; until then the rows wait.
test.each(aroundAServer)('rows created by key on a file server, under its lock, stopped at %s', async (point) => {
  world.shelf.files.replace('list.xlsx', await emptyWorkbook('Customers', columns), undefined);
  await prepare(async (services) => {
    await saveSettings(services.db, { ...(await loadSettings(services.db)), mayCallInside: true });
    const settings = { address: `${world.shelf.at.url}/api/files/`, user: 'front desk' };
    const key = shelfAccounts[0]?.token ?? '';
    const made = await services.connections.add({ app: 'file_server', name: 'Files', settings, key });
    return customersWorkflow(services, connected, {
      target: { connection: made.id, path: ['list.xlsx', 'Customers'] },
    });
  });
  const onTheServer = async () =>
    (await rowsOf(world.shelf.files.get('list.xlsx')?.bytes ?? Buffer.alloc(0), 'Customers')).map(
      (row) => row['E-mail'],
    );
  await stopAndGoOn(point, 0, onTheServer, () => world.shelf.locks.endAll());
});

const aroundASend: [KillPoint, number][] = [
  ['intent:before-store', 2],
  ['intent:after-store', 2],
  ['send:before', 4],
  ['send:after', 0],
  ['send:after', 7],
  ['result:before-store', 3],
  ['result:after-store', 3],
  ['outcome:after-store', 1],
];

test('every named kill point is stopped at, here or where records are taken in', () => {
  const tried = new Set([
    ...aroundAFile.map(([point]) => point),
    ...aroundAFolder,
    ...aroundAServer,
    ...aroundASend.map(([point]) => point),
    ...aroundTheQueue.map(([point]) => point),
    ...aroundTakingBack.map(([point]) => point),
    ...pointsOfTakingIn,
    pointOfAccounts,
    ...pointsOfParks,
    ...pointsOfTakeOvers,
    ...pointsOfEndings,
    ...pointsOfReturned,
    ...pointsOfArrivals,
    ...pointsOfAsking,
    ...pointsOfDocuments,
    ...pointsOfRemaking,
    ...pointsOfRepairs,
    ...pointsOfUndoing,
    ...pointsOfInStep,
    ...pointsOfHandIns,
    ...pointsOfHandingOver,
  ]);
  expect([...tried].sort()).toEqual([...killPoints].sort());
});

test.each<[KillPoint, number]>([
  ['take-in:after-store', 0],
  ['file:after-put', 0],
  ['result:before-store', 2],
])('with every trouble switch on in both apps, stopped at %s, and set right afterwards', async (point, passes) => {
  world.shelf.files.replace('customers.xlsx', await emptyWorkbook('Customers', columns), undefined);
  await prepare((services) => customersWorkflow(services, connected, { mode: 'append' }));
  for (const kind of troubleKinds) {
    // A shelf that refuses or fails for good would keep the process from ever reaching the point.
    world.shop.state.troubles.set(kind, 1);
    if (kind !== 'refuse_rights' && kind !== 'html') world.shelf.state.troubles.set(kind, 1);
  }
  expect(['SIGKILL', 0]).toContain(await runChild('live', point, passes));
  expect(await runChild('resume')).toBe(0);
  world.shop.state.troubles.clear();
  world.shelf.state.troubles.clear();
  const services = await openServices(world);
  try {
    await retryConnection(services, connected.shop);
    await retryConnection(services, connected.shelf);
    await checkNow(services, workflow);
    const left = await services.db.selectFrom('item').select('id').where('state', '=', 'unsettled').execute();
    for (const { id } of left) await decide(services, id, { kind: 'retry' });
    const there = await onTheShelf();
    expect(there).toHaveLength(customers);
    expect(new Set(there).size).toBe(customers);
    expect(await unbalanced(services)).toEqual([]);
  } finally {
    await services.close();
  }
});

// The customers here are alike in all but their e-mail.
const byMail = { ...personLadder, rungs: personLadder.rungs.filter(({ id }) => id === 'mail') };

test.each<[KillPoint, number]>([
  ['intent:after-store', 2],
  ['send:after', 4],
  ['result:before-store', 3],
  ['result:after-store', 3],
])(
  'people found or made by a ladder in the Card index, stopped at %s: none doubled, each linked once',
  async (point, passes) => {
    await prepare(async (services) =>
      customersToPeople(services, connected, await connectCards(world, services), { ladder: byMail }),
    );
    await stopAndGoOn(point, passes, async () =>
      world.cards.store
        .of('people')
        .list({}, { limit: 100 })
        .map(({ attributes }) => attributes['email']),
    );
    const services = await openServices(world);
    const links = await services.db.selectFrom('link').select(['from_id', 'to_id']).execute();
    await services.close();
    expect(new Set(links.map(({ from_id }) => from_id)).size).toBe(customers);
    expect(new Set(links.map(({ to_id }) => to_id)).size).toBe(customers);
  },
);

test.each(aroundTheQueue)('claims, decisions and waiting, stopped at %s while told to “%s”', async (point, task) => {
  world.shelf.files.replace('customers.xlsx', await emptyWorkbook('Customers', columns), undefined);
  await prepare((services) => customersWorkflow(services, connected, { mode: 'append' }));
  if (point === 'park:after-store') world.shelf.state.troubles.set('fault', 9);
  if (task === 'retry') {
    // Everything needs a person first: the shelf lets nobody write.
    world.shelf.files.set('customers.xlsx', { right: 'view' });
    expect(await runChild('live')).toBe(0);
    world.shelf.files.set('customers.xlsx', { right: 'edit' });
  }
  expect(await runChild(task, point, 0)).toBe('SIGKILL');
  const services = await openAgain();
  await retryConnection(services, connected.shelf);
  await checkNow(services, workflow);
  const there = await onTheShelf();
  expect(there).toHaveLength(customers);
  expect(new Set(there).size).toBe(customers);
  expect(await unbalanced(services)).toEqual([]);
  await services.close();
});

test.each(aroundTakingBack)(
  'people taken back one after the other, stopped at %s after %i: none is left half',
  async (point, passes) => {
    await prepare(async (services) =>
      customersToPeople(services, connected, await connectCards(world, services), { ladder: byMail }),
    );
    expect(await runChild('live')).toBe(0);
    expect(await runChild('back', point, passes)).toBe('SIGKILL');
    const services = await openAgain();
    const items = await services.db.selectFrom('item').select(['state', 'message']).execute();
    const back = items.filter(({ state, message }) => state === 'undone' && message === 'Taken back.').length;
    // The one that was being taken back when it stopped is gone on with at the start; the rest stand.
    expect(back).toBe(passes + 1);
    expect(world.cards.store.of('people').list({}, { limit: 100 })).toHaveLength(customers - back);
    expect(items.filter(({ state }) => state === 'delivered')).toHaveLength(customers - back);
    expect(await services.db.selectFrom('write').select('token').where('status', '=', 'intent').execute()).toEqual([]);
    expect(await services.db.selectFrom('link').select('id').execute()).toHaveLength(customers - back);
    await services.close();
  },
);

describe('records created one by one in an app that keeps neither key nor reference', () => {
  let other: ReturnType<typeof shopCounter>;
  let otherAt: Listening;

  beforeEach(async () => {
    other = shopCounter(':memory:');
    otherAt = await listen(other.app, 0);
  });
  afterEach(async () => {
    await otherAt.close();
    other.store.close();
  });

  test.each(aroundASend)('stopped at %s after %i passes', async (point, passes) => {
    await prepare(async (services) => {
      const made = await services.connections.add({
        app: 'shop_counter',
        name: 'Other shop',
        settings: { address: `${otherAt.url}/api` },
        key: shopKeys[0]?.key ?? '',
      });
      const email = formatPointer(['email']);
      const id = await customersWorkflow(services, connected, {
        target: { connection: made.id, path: ['customers'] },
        key: email,
      });
      const { draft, draftRev } = await services.workflows.get(id);
      const mapping = { [email]: fieldFilling('/email'), '/last_name': fieldFilling('/last_name') };
      const target = await placeOf(services, made.id, ['customers']);
      const steps = draft.steps.map((step) => (step.kind === 'write' ? { ...step, target, mapping } : step));
      await services.workflows.saveDraft(id, { ...draft, steps }, draftRev);
      return id;
    });
    await stopAndGoOn(point, passes, async () => other.store.search('', 1000, 0).map((one) => one.email));
  });
});

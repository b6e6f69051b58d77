import { existsSync, mkdirSync, readFileSync, rmSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import type { Services } from '../services.ts';
import { settled, unbalanced } from '../testing/checks.ts';
import type { TestClock } from '../testing/clock.ts';
import {
  addCustomers,
  columns,
  connectBoth,
  customersWorkflow,
  emptyWorkbook,
  openServices,
  openWorld,
  rowsOf,
  type World,
} from '../testing/world.ts';

// A file that somebody has open in a desktop program waits, says so, and is written once it is closed.

let world: World;
let services: Services;

beforeEach(async () => {
  world = await openWorld();
  addCustomers(world, 12);
  services = await openServices(world);
});
afterEach(async () => {
  await services.close();
  await world.close();
});

const clock = () => services.seams as TestClock;
const items = () => services.db.selectFrom('item').select(['state', 'message', 'waits_for', 'cause']).execute();
const listed = async (bytes: Uint8Array) => (await rowsOf(bytes, 'Customers')).map((row) => row['E-mail']);

/** Time passes, and what is due goes on. */
async function pass(milliseconds: number): Promise<void> {
  clock().pass(milliseconds);
  await services.engine.tick();
  await services.engine.quiet();
}

/** Two places where a file can be open: each with how it is opened and closed there, and what is in it. */
const places = {
  'a folder, by the file that LibreOffice puts beside it': async () => {
    const folder = join(world.folder, 'books');
    mkdirSync(folder);
    writeFileSync(join(folder, 'list.xlsx'), await emptyWorkbook('Customers', columns));
    const { id } = await services.connections.add({ app: 'folder', name: 'Books', settings: { folder } });
    const beside = join(folder, '.~lock.list.xlsx#');
    return {
      target: { connection: id, path: ['list.xlsx', 'Customers'] },
      open: () => writeFileSync(beside, 'Ada'),
      close: () => rmSync(beside),
      bytes: () => readFileSync(join(folder, 'list.xlsx')),
      left: () => existsSync(join(folder, 'list.xlsx.golden-part')),
    };
  },
  'a server, by its lock': async () => {
    const connected = await connectBoth(world, services);
    world.shelf.files.replace('list.xlsx', await emptyWorkbook('Customers', columns), undefined);
    return {
      target: { connection: connected.shelf, path: ['list.xlsx', 'Customers'] },
      open: () => world.shelf.files.set('list.xlsx', { isLocked: true }),
      close: () => world.shelf.files.set('list.xlsx', { isLocked: false }),
      bytes: () => world.shelf.files.get('list.xlsx')?.bytes ?? Buffer.alloc(0),
      left: () => false,
    };
  },
};

async function begun(place: keyof typeof places, mode: 'append' | 'create_or_update') {
  const at = await places[place]();
  const connected =
    place === 'a server, by its lock'
      ? { shop: (await services.connections.list()).find(({ app }) => app === 'shop_counter')?.id ?? '', shelf: '' }
      : await connectBoth(world, services);
  const workflow = await customersWorkflow(services, connected, { mode, target: at.target });
  at.open();
  const { run } = await services.engine.makeLive(workflow);
  await services.engine.finish(run);
  await services.engine.quiet();
  return { ...at, workflow };
}

describe.each(Object.keys(places) as (keyof typeof places)[])('open in %s', (place) => {
  test.each(['append', 'create_or_update'] as const)(
    '%s: all wait with the reason, and arrive once it is closed',
    async (mode) => {
      const { close, bytes, left } = await begun(place, mode);
      for (const item of await items())
        expect(item).toMatchObject({
          state: 'waiting',
          waits_for: null,
          message: '“list.xlsx” is open in another program. It is written once it is closed there.',
        });
      expect(await listed(bytes())).toEqual([]);
      expect(await unbalanced(services)).toEqual([]);
      // Still open at the next try.
      await pass(6000);
      expect(new Set((await items()).map(({ state }) => state))).toEqual(new Set(['waiting']));
      close();
      await pass(60_000);
      expect(new Set((await items()).map(({ state }) => state))).toEqual(new Set(['delivered']));
      const there = await listed(bytes());
      expect(there).toHaveLength(12);
      expect(new Set(there).size).toBe(12);
      expect(left()).toBe(false);
      expect(await unbalanced(services)).toEqual([]);
    },
  );

  test('a restart in between changes nothing', async () => {
    const { close, bytes } = await begun(place, 'append');
    await services.drop();
    const next = clock().next();
    services = await openServices(world, { seams: next });
    close();
    await services.engine.resume();
    await pass(60_000);
    await settled(services);
    expect(await listed(bytes())).toHaveLength(12);
    expect(await unbalanced(services)).toEqual([]);
  });

  test('one that stays open for hours is a person’s case', async () => {
    const { bytes } = await begun(place, 'append');
    for (let hours = 0; hours < 7; hours++) await pass(3_600_000);
    for (const item of await items()) expect(item).toMatchObject({ state: 'unsettled', cause: 'connection' });
    expect(await listed(bytes())).toEqual([]);
  });
});

test('what goes elsewhere doesn’t wait for it', async () => {
  const { target } = await begun('a folder, by the file that LibreOffice puts beside it', 'append');
  const folder = join(world.folder, 'books');
  writeFileSync(join(folder, 'other.xlsx'), await emptyWorkbook('Customers', columns));
  const shop = (await services.connections.list()).find(({ app }) => app === 'shop_counter')?.id ?? '';
  const other = { connection: target.connection, path: ['other.xlsx', 'Customers'] };
  const workflow = await customersWorkflow(services, { shop, shelf: '' }, { mode: 'append', target: other });
  await services.engine.finish((await services.engine.makeLive(workflow)).run);
  await services.engine.quiet();
  expect(await listed(readFileSync(join(folder, 'other.xlsx')))).toHaveLength(12);
});

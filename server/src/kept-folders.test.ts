import { readdirSync, readFileSync } from 'node:fs';
import { join } from 'node:path';
import type { ItemState } from '@golden/core';
import SQLite from 'better-sqlite3';
import { migrations } from './db/migrations.ts';
import type { Services } from './services.ts';
import { checkNow, decide, settled, unbalanced } from './testing/checks.ts';
import type { TestClock } from './testing/clock.ts';
import {
  addCard,
  addCustomers,
  columns,
  customer,
  emptyWorkbook,
  openServices,
  openWorld,
  rowsOf,
  type World,
} from './testing/world.ts';

// A data folder as each earlier version left it, in the middle of its work: it opens, and goes on. The
// files were written by those versions; `docs/recipes.md` says how the next one is kept.

const kept = join(__dirname, 'testing', 'kept');
const names = readdirSync(kept)
  .map((file) => file.replace('.sql', ''))
  .sort();

const copies = 'Shop customers onto the list';

let world: World;
let services: Services;

/** The world that the kept folders were written in: the same customers, orders and files. */
async function open(name: string, more = ''): Promise<void> {
  world = await openWorld();
  addCustomers(world, 3);
  world.shop.store.add(customer({ email: 'left.out@clay.example', account_type: 'trade' }));
  world.shop.store.add(customer({ email: 'phone@clay.example', phone: 'ask Robin' }));
  if (names.indexOf(name) >= 3) world.shop.store.add(customer({ email: 'waits@clay.example' }));
  for (const file of ['customers.xlsx', 'gathered.xlsx'])
    world.shelf.files.replace(file, await emptyWorkbook('Customers', columns), undefined);
  world.shelf.files.replace(
    'lines.xlsx',
    await emptyWorkbook('Lines', ['Order', 'Article', 'Person', 'Note']),
    undefined,
  );
  addCard(world, 'people', { firstName: 'Ada', lastName: 'Nair', email: 'ada1@clay.example' });
  let sql = readFileSync(join(kept, `${name}.sql`), 'utf8');
  for (const app of ['shop', 'shelf', 'cards', 'ledger'] as const)
    sql = sql.replaceAll(`http://${app}.kept.example`, world[app].at.url);
  const sqlite = new SQLite(join(world.folder, 'golden.sqlite'));
  sqlite.exec(sql);
  sqlite.exec(more);
  sqlite.close();
  services = await openServices(world);
}
afterEach(async () => {
  await services.close();
  await world.close();
});

/** The items of a workflow by what they were called, with where they stand. */
async function itemsOf(workflow: string): Promise<{ id: string; title: string; state: string; step: string }[]> {
  const { id } = (await services.workflows.list()).find((one) => one.draft.name === workflow) ?? { id: '' };
  const items = await services.db.selectFrom('item').selectAll().where('workflow_id', '=', id).orderBy('seq').execute();
  return items.map(({ id: itemId, title, state, item_state }) => {
    const steps = (JSON.parse(item_state) as ItemState).steps;
    const step = Object.entries(steps).find(([, result]) => result.kind === 'unsettled')?.[0] ?? '';
    return { id: itemId, title, state, step };
  });
}
const statesOf = async (workflow: string) => (await itemsOf(workflow)).map(({ state }) => state);
const read = async (file: string, tab: string) => rowsOf(world.shelf.files.get(file)?.bytes ?? Buffer.alloc(0), tab);
const mailsIn = async (file: string) => (await read(file, 'Customers')).map((row) => String(row['E-mail'])).sort();

test.each(names)('of the version %s', async (name) => {
  // One is kept of each version but the one that is being made.
  expect(names).toEqual(Object.keys(migrations).slice(0, -1));
  const at = names.indexOf(name) + 1;
  await open(name);
  expect(await services.workflows.unreadable()).toEqual([]);
  expect(await unbalanced(services)).toEqual([]);
  const before = ['delivered', 'delivered', 'delivered', 'left_out', 'unsettled'];
  // From the fourth on an app that was down is waited for.
  expect(await statesOf(copies)).toEqual(at >= 4 ? [...before, 'waiting'] : before);
  await services.engine.resume();
  (services.seams as TestClock).pass(3 * 60 * 60_000);
  await services.engine.tick();
  await settled(services);

  // What it left goes on: what waited for the app, and what was gathered.
  const waited = at >= 4 ? ['waits@clay.example'] : [];
  expect(await mailsIn('customers.xlsx')).toEqual(waited);
  const all = ['ada1@clay.example', 'ada2@clay.example', 'ada3@clay.example', 'left.out@clay.example'];
  if (at >= 2) expect(await mailsIn('gathered.xlsx')).toEqual(all);

  // A person settles what needed one, with its state as it was stored then.
  const unread = (await itemsOf(copies)).find((item) => item.state === 'unsettled');
  await decide(services, unread?.id ?? '', { kind: 'set', step: 'list', values: { '/Phone': '+441632960777' } });
  if (at >= 3) await settleOrder();

  // And the next check takes in what is new, and only that.
  const { id } = (await services.workflows.list()).find((one) => one.draft.name === copies) ?? { id: '' };
  world.shop.store.add(customer({ email: 'new@clay.example' }));
  await checkNow(services, id);
  expect(await mailsIn('customers.xlsx')).toEqual(['new@clay.example', 'phone@clay.example', ...waited].sort());
  expect(await unbalanced(services)).toEqual([]);
});

/** An order whose person wasn't found, and each of its lines. */
async function settleOrder(): Promise<void> {
  const [delivered, order] = await itemsOf('Shop orders by line');
  expect([delivered?.state, order?.state]).toEqual(['delivered', 'unsettled']);
  const other = addCard(world, 'people', { firstName: 'Ola', lastName: 'Berg', email: 'ola@clay.example' });
  await decide(services, order?.id ?? '', { kind: 'choose', step: order?.step ?? '', id: other });
  expect(await read('lines.xlsx', 'Lines')).toEqual([
    { Order: 'S-90002', Article: 'CL-1', Person: 'Berg', Note: 'S-90002' },
    { Order: 'S-90002', Article: 'GL-2', Person: 'Berg', Note: 'S-90002' },
  ]);
}

test('what was taken back under an earlier version counts as undone, and what was stopped stays cancelled', async () => {
  await open(
    '016_reconciling',
    `UPDATE item SET state = 'cancelled', message = 'Taken back.' WHERE seq = (SELECT min(seq) FROM item WHERE state = 'delivered');
    UPDATE item SET state = 'cancelled', message = NULL WHERE seq = (SELECT max(seq) FROM item WHERE state = 'delivered');`,
  );
  const states = await services.db
    .selectFrom('item')
    .select(['state', 'message'])
    .where('state', 'in', ['cancelled', 'undone'])
    .orderBy('seq')
    .execute();
  expect(states).toEqual([
    { state: 'undone', message: 'Taken back.' },
    { state: 'cancelled', message: null },
  ]);
  expect(await unbalanced(services)).toEqual([]);
});

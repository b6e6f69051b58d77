import type { Step } from '@golden/core';
import fc from 'fast-check';
import { pauseStep } from '../../../core/src/testing/pause-step.ts';
import { productAroundEach } from '../testing/around.ts';
import { unbalanced } from '../testing/checks.ts';
import type { TestClock } from '../testing/clock.ts';
import { dropAt, pointsOfParks } from '../testing/drop.ts';
import { columns, customer, customersWorkflow, emptyWorkbook, openServices, rowsOf } from '../testing/world.ts';

// What waits, over restarts, later changes and everything else that may happen meanwhile. The kind of
// step that waits is put into the registry for this test; judged by the rows that stand there.

type PauseModule = typeof import('../../../core/src/testing/pause-step.ts');
jest.mock('../../../core/src/steps/schemas.ts', () =>
  jest
    .requireActual<PauseModule>('../../../core/src/testing/pause-step.ts')
    .schemasWithPause(jest.requireActual('../../../core/src/steps/schemas.ts')),
);
jest.mock('../../../core/src/steps/registry.ts', () =>
  jest
    .requireActual<PauseModule>('../../../core/src/testing/pause-step.ts')
    .registryWithPause(jest.requireActual('../../../core/src/steps/registry.ts')),
);

const hour = 60 * 60_000;
afterEach(async () => {
  expect(await unbalanced(around.services)).toEqual([]);
});
const around = productAroundEach();
const clock = () => around.services.seams as TestClock;

const rows = async () => rowsOf(around.world.shelf.files.get('customers.xlsx')?.bytes ?? Buffer.alloc(0), 'Customers');
const items = () =>
  around.services.db
    .selectFrom('item')
    .select(['id', 'source_id', 'state', 'message', 'wake_at'])
    .where('state', '!=', 'left_out')
    .orderBy('seq')
    .execute();
const states = async () => (await items()).map((item) => item.state);

/** A live workflow whose records wait before they are written. */
async function live(pause: Parameters<typeof pauseStep>[1], before: readonly Step[] = []): Promise<string> {
  const { services, connected } = around;
  const id = await customersWorkflow(services, connected, {
    on: 'added_or_changed',
    steps: [...before, pauseStep('wait', pause)],
  });
  const { run } = await services.engine.makeLive(id);
  await services.engine.finish(run);
  return id;
}

async function check(id: string): Promise<void> {
  await around.services.engine.finish(await around.services.engine.checkNow(id));
  await around.services.engine.quiet();
}

async function pass(milliseconds: number): Promise<void> {
  clock().pass(milliseconds);
  await around.services.engine.tick();
  await around.services.engine.quiet();
}

const everyone = () => around.world.shop.store.search('', 10_000, 0);
const ada = () => customer({ first_name: 'Ada', email: 'ada@clay.example' });

test('nothing is written before it is due, which is told; the wait outlives the process', async () => {
  around.world.shop.store.add(ada());
  await live({ minutes: 120 });
  const [waiting] = await items();
  expect(waiting).toMatchObject({ state: 'waiting', message: 'Waits.' });
  expect(Date.parse(waiting?.wake_at ?? '') - Date.parse(clock().now())).toBeGreaterThan(1.9 * hour);
  const next = clock().next();
  await around.reopen({ seams: next });
  await around.services.engine.resume();
  await pass(hour);
  expect([await states(), await rows()]).toEqual([['waiting'], []]);
  await pass(1.1 * hour);
  expect(await states()).toEqual(['delivered']);
  expect(await rows()).toHaveLength(1);
  await pass(10 * hour);
  expect(await rows()).toHaveLength(1);
  expect(await around.services.db.selectFrom('park').selectAll().execute()).toEqual([]);
});

test('a later change overtakes the one that waits, and goes when that would have', async () => {
  const { id: shopId } = around.world.shop.store.add(ada());
  const id = await live({ minutes: 120 });
  await pass(hour);
  around.world.shop.store.change(shopId, { phone: '01632 960 999' });
  await check(id);
  expect((await items()).map(({ state, message }) => [state, message])).toEqual([
    ['dismissed', 'Overtaken by a newer change.'],
    ['waiting', 'Waits.'],
  ]);
  await pass(1.1 * hour);
  expect(await states()).toEqual(['dismissed', 'delivered']);
  expect((await rows()).map((row) => row['Phone'])).toEqual(['+441632960999']);
});

test('what waits for an app of ours holds later changes back, in their order', async () => {
  const { id: shopId } = around.world.shop.store.add(ada());
  const id = await live({ event: 'children', holdsLater: true });
  around.world.shop.store.change(shopId, { phone: '01632 960 999' });
  await check(id);
  expect(await states()).toEqual(['waiting', 'waiting']);
  await around.services.engine.happened('children');
  await around.services.engine.quiet();
  expect(await states()).toEqual(['delivered', 'waiting']);
  expect((await rows()).map((row) => row['Phone'])).toEqual(['+441632960771']);
  await around.services.engine.happened('children');
  await around.services.engine.quiet();
  expect(await states()).toEqual(['delivered', 'delivered']);
  expect((await rows()).map((row) => row['Phone'])).toEqual(['+441632960999']);
});

test('an event wakes what waits for it, once, and nothing else', async () => {
  around.world.shop.store.add(ada());
  await live({ event: 'paid 7' });
  expect(await around.services.engine.happened('paid 8')).toBe(false);
  expect(await states()).toEqual(['waiting']);
  const both = await Promise.all([
    around.services.engine.happened('paid 7', { by: 'Robin' }),
    around.services.engine.happened('paid 7', { by: 'Robin' }),
  ]);
  await around.services.engine.quiet();
  expect(both.filter(Boolean)).toHaveLength(1);
  expect(await rows()).toHaveLength(1);
  const woken = await around.services.db.selectFrom('journal').select('content').where('kind', '=', 'woken').execute();
  expect(woken.map(({ content }) => JSON.parse(content))).toEqual([
    { kind: 'event', event: 'paid 7', told: { by: 'Robin' } },
  ]);
});

test('of a workflow that is off nothing is woken; what became due meanwhile goes when it is on again', async () => {
  around.world.shop.store.add(ada());
  const id = await live({ minutes: 60 });
  await around.services.engine.switchOff(id);
  await pass(5 * hour);
  expect(await states()).toEqual(['waiting']);
  await expect(around.services.engine.switchOn(id)).rejects.toThrow('The time of one record passed');
  await around.services.engine.switchOn(id, 'send');
  await pass(1000);
  expect(await states()).toEqual(['delivered']);
});

test('what waited when its run was stopped waits on when it is taken up again', async () => {
  around.world.shop.store.add(ada());
  await live({ minutes: 60 });
  const [waiting] = await items();
  await around.services.db.updateTable('item').set({ state: 'cancelled', wake_at: null }).execute();
  await pass(2 * hour);
  expect(await states()).toEqual(['cancelled']);
  await around.services.engine.takeUp(waiting?.id ?? '');
  await around.services.engine.quiet();
  expect(await rows()).toHaveLength(0);
  await pass(1000);
  expect(await states()).toEqual(['delivered']);
});

test.each(pointsOfParks)('the process ends at %s: woken once, written once', async (point) => {
  around.world.shop.store.add(ada());
  await live({ minutes: 60 });
  const next = clock().next();
  const ended = dropAt(around.services, point);
  void pass(2 * hour).catch(() => undefined);
  await ended;
  next.pass(2 * hour);
  around.services = await openServices(around.world, { seams: next });
  await around.services.engine.resume();
  expect(await states()).toEqual(['delivered']);
  expect(await rows()).toHaveLength(1);
});

describe('whatever happens meanwhile', () => {
  const act = fc.constantFrom('add', 'change', 'change', 'check', 'hour', 'event', 'off', 'on', 'reopen', 'back');
  const pause = fc.constantFrom<Parameters<typeof pauseStep>[1]>(
    { minutes: 150 },
    { event: 'e' },
    { minutes: 150, event: 'e' },
    { minutes: 90, holdsLater: true },
  );

  test('each customer comes to stand there once, as it is last', async () => {
    await fc.assert(
      fc.asyncProperty(
        pause,
        fc.array(act, { minLength: 3, maxLength: 14 }),
        fc.infiniteStream(fc.nat()),
        (what, acts, pick) =>
          afresh(async () => {
            const id = await live(what);
            const ids: number[] = [];
            for (const [number, one] of acts.entries()) await happens(one, number, id, ids, pick);
            await around.services.engine.switchOn(id, 'send');
            await check(id);
            for (let hours = 0; hours < 8; hours++) {
              await around.services.engine.happened('e');
              await pass(hour);
            }
            const wanted = everyone().map((one) => [String(one.id), one.email]);
            const there = (await rows()).map((row) => [String(row['Number']), row['E-mail']]);
            expect(there.sort()).toEqual(wanted.sort());
            expect(await around.services.db.selectFrom('park').selectAll().execute()).toEqual([]);
          }),
      ),
      { numRuns: 12 },
    );
  });

  async function happens(
    one: string,
    number: number,
    id: string,
    ids: number[],
    pick: fc.Stream<number>,
  ): Promise<void> {
    const { services, world } = around;
    if (one === 'add') ids.push(world.shop.store.add(customer({ email: `n${number}@clay.example` })).id);
    const [chosen = 0] = [...pick.take(1)];
    const changed = ids[chosen % Math.max(1, ids.length)];
    if (one === 'change' && changed !== undefined)
      world.shop.store.change(changed, { email: `n${number}@clay.example` });
    if (one === 'check' && (await services.workflows.get(id)).isOn) await check(id);
    if (one === 'hour') await pass(hour);
    if (one === 'event') await services.engine.happened('e').then(() => services.engine.quiet());
    if (one === 'off') await services.engine.switchOff(id);
    if (one === 'on') await services.engine.switchOn(id, 'send');
    if (one === 'back') clock().step(-30 * 60_000);
    if (one === 'reopen') {
      await around.reopen({ seams: clock().next() });
      await around.services.engine.resume();
    }
  }

  /** Another product for each sequence: the shop, the list and the data file are empty again. */
  async function afresh(work: () => Promise<void>): Promise<void> {
    const { world } = around;
    for (const one of everyone()) world.shop.store.remove(one.id);
    world.shelf.files.replace('customers.xlsx', await emptyWorkbook('Customers', columns), undefined);
    for (const { id } of await around.services.workflows.list()) await around.services.workflows.remove(id);
    await work();
  }
});

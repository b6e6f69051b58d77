import { draftOfEvents, type ItemState, startId } from '@golden/core';
import { beginningOf } from '../arrivals/beginnings.ts';
import type { KillPoint } from '../seams.ts';
import { productAroundEach } from '../testing/around.ts';
import { decide, goLive, settled, unbalanced } from '../testing/checks.ts';
import type { TestClock } from '../testing/clock.ts';
import { dropAt } from '../testing/drop.ts';
import { connectCards, openServices, placeOf } from '../testing/world.ts';
import { StoredState } from './stored-state.ts';

// A record with many lines, each of which is written by itself. While it is under way only what has changed of it is
// stored. Judged by what stands in the Card index, whose own numbers are counted.

afterEach(async () => {
  expect(await unbalanced(around.services)).toEqual([]);
  expect(await changes()).toEqual([]);
});
const around = productAroundEach();

const changes = () => around.services.db.selectFrom('item_change').select('item_id').execute();

const people = () =>
  around.world.cards.store
    .of('people')
    .list({}, { limit: 1_000_000 })
    .map(({ attributes }) => `${attributes['email']} ${attributes['lastName']}`)
    .sort();

const rows = (count: number) => Array.from({ length: count }, (_, at) => ({ mail: `row${at + 1}@clay.example` }));
const expected = (count: number) =>
  rows(count)
    .map(({ mail }, at) => `${mail} No ${at + 1}`)
    .sort();

/** A workflow that writes each row of what comes in; gives the address that it comes to. */
async function rowsWritten(more: { readonly mode?: 'append' } = {}): Promise<string> {
  const { services, world } = around;
  const cards = await connectCards(world, services);
  const { start } = await beginningOf(services, { kind: 'posted', name: 'Lists of people' });
  const source = start.source;
  if (!source) throw new Error('no source');
  const inbox = source.path[0] ?? '';
  await services.arrivals.storeRecord(inbox, 'shape', { rows: [{ mail: 'shape@clay.example' }] });
  const content = draftOfEvents(await placeOf(services, source.connection, source.path), 'Rows, one by one');
  const { id } = await services.workflows.add({
    ...content,
    steps: [
      { id: 'each', kind: 'each', over: { step: startId, path: '/rows' } },
      {
        id: 'no',
        kind: 'compute',
        within: 'each',
        name: 'line',
        values: [{ name: 'called', text: '"No " & LINE.NUMBER()', refs: {} }],
      },
      {
        id: 'write',
        kind: 'write',
        within: 'each',
        target: await placeOf(services, cards, ['people']),
        ...(more.mode ? { mode: more.mode } : { mode: 'create_or_update', key: '/email', firstDifference: 'source' }),
        mapping: {
          '/email': { kind: 'field', ref: { step: 'each', path: '/mail' }, tidies: [] },
          '/lastName': { kind: 'field', ref: { step: 'no', path: '/called' }, tidies: [] },
        },
      },
    ],
  });
  await goLive(services, id);
  return inbox;
}

const item = () => around.services.db.selectFrom('item').selectAll().orderBy('seq', 'desc').executeTakeFirstOrThrow();

// At the 70th line, when most of it stands in pieces; what was sent just before has to be found out about.
test.each<KillPoint>(['intent:after-store', 'send:after', 'result:after-store', 'read-back:after'])(
  'killed at %s in the middle of 120 lines, each is there once',
  async (point) => {
    const inbox = await rowsWritten();
    const dropped = dropAt(around.services, point, 70);
    // Whoever ends in the middle answers nothing any more.
    void around.services.arrivals.storeRecord(inbox, 'monday', { rows: rows(120) });
    await dropped;
    const there = people().length;
    expect(there).toBeGreaterThan(40);
    expect(there).toBeLessThan(120);
    around.services = await openServices(around.world);
    // All of it is in its row again before anybody looks.
    expect(await changes()).toEqual([]);
    const state = JSON.parse((await item()).item_state) as ItemState;
    expect(Object.values(state.steps).filter(({ kind }) => kind === 'written').length).toBeGreaterThan(there - 3);
    await around.services.engine.resume();
    await settled(around.services);
    expect(people()).toEqual(expected(120));
    expect(await item()).toMatchObject({ state: 'delivered' });
  },
);

test('lines of which no answer came are found out about, and one that can’t be sent is asked about alone', async () => {
  const { services, world } = around;
  const inbox = await rowsWritten();
  const given = rows(100).map((row, at) => (at === 80 ? { mail: 'nobody' } : row));
  (services.seams as TestClock).onReach = (point) => {
    if (point === 'send:before' && people().length === 60) world.cards.state.troubles.set('break_off', 2);
  };
  await services.arrivals.storeRecord(inbox, 'monday', { rows: given });
  await settled(services);
  const asked = await item();
  expect(asked).toMatchObject({ state: 'unsettled', cause: 'value' });
  expect(people()).toEqual(expected(100).filter((one) => !one.startsWith('row81@')));
  const values = { '/email': 'row81@clay.example' };
  await decide(services, asked.id, { kind: 'set', step: 'write#81', values });
  expect(people()).toEqual(expected(100));
  expect(await item()).toMatchObject({ state: 'delivered' });
});

test('what had changed counts no more once the row is written whole, also where that had to be done twice', async () => {
  const { commits, engine } = around.services;
  const inbox = await rowsWritten();
  await around.services.arrivals.storeRecord(inbox, 'monday', { rows: rows(1) });
  await engine.quiet();
  const { id, item_state } = await item();
  const stored = new StoredState(JSON.parse(item_state) as ItemState);
  await commits.run((trx) => stored.add(trx, id, { own: { at: 7 }, values: {}, steps: {} }, undefined));
  expect(await changes()).toHaveLength(1);
  // Another piece of work of the same commit fails: all of it is done once more.
  const failed = commits.run(async (trx) => {
    await stored.whole(trx, id);
    throw new Error('another piece failed');
  });
  await expect(failed).rejects.toThrow('another piece failed');
  expect(await changes()).toHaveLength(1);
  await commits.run((trx) => stored.whole(trx, id));
  expect(await changes()).toEqual([]);
});

test('what is stored on the way grows with the lines, not with their square', async () => {
  const inbox = await rowsWritten();
  const { db, seams } = around.services;
  const size = db.selectFrom('item_change').select((eb) => eb.fn.sum<number>(eb.fn('length', ['change'])).as('size'));
  const stored = async (count: number): Promise<number> => {
    const sizes: Promise<number>[] = [];
    (seams as TestClock).onReach = (point) => {
      if (point === 'result:after-store') sizes.push(size.executeTakeFirst().then((row) => Number(row?.size ?? 0)));
    };
    await around.services.arrivals.storeRecord(inbox, `lines ${count}`, { rows: rows(count) });
    await settled(around.services);
    (seams as TestClock).onReach = () => undefined;
    return Math.max(...(await Promise.all(sizes)));
  };
  const [some, more] = [await stored(120), await stored(360)];
  expect(some).toBeGreaterThan(0);
  // Fifty steps are stored whole in both.
  expect(more / some).toBeLessThan(5);
});

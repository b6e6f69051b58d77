import { type Step, startId, type WaitStep, waitLinksId } from '@golden/core';
import fc from 'fast-check';
import { productAroundEach } from '../testing/around.ts';
import { askApi } from '../testing/ask.ts';
import { unbalanced } from '../testing/checks.ts';
import type { TestClock } from '../testing/clock.ts';
import { dropAt, pointsOfTakeOvers } from '../testing/drop.ts';
import { customer, customersWorkflow, openServices, rowsOf } from '../testing/world.ts';

// A new version goes on with those who wait; judged by the rows that stand there in the end.

const hour = 60 * 60_000;
afterEach(async () => {
  expect(await unbalanced(around.services)).toEqual([]);
});
const around = productAroundEach();
const clock = () => around.services.seams as TestClock;
const rows = async () => rowsOf(around.world.shelf.files.get('customers.xlsx')?.bytes ?? Buffer.alloc(0), 'Customers');
const items = () => around.services.db.selectFrom('item').selectAll().orderBy('seq').execute();

const wait = (id: string, amount: number, more: Partial<WaitStep> = {}): WaitStep => ({
  id,
  kind: 'wait',
  until: { kind: 'time', amount, unit: 'hours', from: 'start' },
  ...more,
});
const row = (id: string, greeting: string): Step => ({
  id,
  kind: 'write',
  mode: 'append',
  target: list,
  mapping: {
    '/Number': { kind: 'field', ref: { step: startId, path: '/id' }, tidies: [] },
    '/Name': {
      kind: 'text',
      parts: [
        { kind: 'words', text: `${greeting} ` },
        { kind: 'field', ref: { step: startId, path: '/first_name' } },
      ],
      tidies: [],
    },
  },
});
let list: Extract<Step, { kind: 'write' }>['target'];

/** A live workflow that waits so long before it writes; gives its id. */
async function live(hours: number): Promise<string> {
  const { services, connected } = around;
  const id = await customersWorkflow(services, connected, { mode: 'append' });
  const { draft } = await services.workflows.get(id);
  list = (draft.steps[0] as Extract<Step, { kind: 'write' }>).target;
  await edit(id, [wait('wait', hours), row('first', 'Old')]);
  await services.engine.finish((await services.engine.makeLive(id)).run);
  await services.engine.quiet();
  return id;
}

async function edit(id: string, steps: readonly Step[]): Promise<void> {
  const { draft, draftRev } = await around.services.workflows.get(id);
  await around.services.workflows.saveDraft(id, { ...draft, steps: [...steps] }, draftRev);
}

async function becomes(id: string, steps: readonly Step[]): Promise<void> {
  await edit(id, steps);
  await around.services.engine.makeLive(id, undefined, undefined, true);
  await around.services.engine.quiet();
}

const waiters = (id: string) => askApi<object>(around.services, 'GET', `/api/workflows/${id}/waiters`);

async function pass(milliseconds: number): Promise<void> {
  clock().pass(milliseconds);
  await around.services.engine.tick();
  await around.services.engine.quiet();
}

const add = (first_name: string, more = {}) =>
  around.world.shop.store.add(
    customer({ first_name, last_name: 'Holm', email: `${first_name}@clay.example`.toLowerCase(), ...more }),
  );
const names = async () => (await rows()).map((one) => one['Name']).sort();
const in9Hours = () => new Date(Date.parse(clock().now()) + 9 * hour).toISOString();
/** Made once the list is known. */
const first = () => row('first', 'Dear');

test('a new version goes on with those who wait, with its own words; who is asked for nothing stays on theirs', async () => {
  const [, tom] = [add('Ada'), add('Tom')];
  const id = await live(2);
  await becomes(id, [wait('wait', 2), first()]);
  expect(await waiters(id)).toEqual({ total: 0, canGoOn: 0, waitAnew: 0, atOnce: 0, stay: [] });
  await edit(id, [wait('wait', 2), row('first', 'Hello')]);
  expect(await waiters(id)).toEqual({ total: 2, canGoOn: 2, waitAnew: 0, atOnce: 0, stay: [] });
  await around.services.engine.makeLive(id);
  await around.services.engine.quiet();
  around.world.shop.store.change(tom.id, { first_name: 'Thomas' });
  await pass(2.1 * hour);
  expect(await names()).toEqual(['Dear Ada', 'Dear Thomas']);
  expect((await items()).map(({ version }) => version)).toEqual([2, 2]);
});

test('another wait is waited anew from where it was counted; one that has passed goes on at once, and it is said how many', async () => {
  add('Ada');
  const id = await live(5);
  await pass(2 * hour);
  add('Mira');
  await around.services.engine.finish(await around.services.engine.checkNow(id));
  await edit(id, [wait('wait', 1), first()]);
  expect(await waiters(id)).toEqual({ total: 2, canGoOn: 2, waitAnew: 2, atOnce: 1, stay: [] });
  await becomes(id, [wait('wait', 1), first()]);
  expect(await names()).toEqual(['Dear Ada']);
  await pass(0.9 * hour);
  expect(await names()).toEqual(['Dear Ada']);
  await pass(0.2 * hour);
  expect(await names()).toEqual(['Dear Ada', 'Dear Mira']);
});

test('who rests on what has changed stays, with the reason; what a person put off stays put off', async () => {
  add('Ada');
  add('Tom');
  const id = await live(2);
  await becomes(id, [wait('wait', 2), first(), wait('later', 6), row('second', 'Still')]);
  await pass(2.1 * hour);
  expect(await names()).toEqual(['Dear Ada', 'Dear Tom']);
  const [ada] = await items();
  await around.services.engine.actOnWaiting([ada?.id ?? ''], { kind: 'put_off', until: in9Hours() });
  await edit(id, [wait('wait', 2), first(), wait('later', 3), row('second', 'Again')]);
  expect(await waiters(id)).toEqual({
    total: 2,
    canGoOn: 1,
    waitAnew: 1,
    atOnce: 0,
    stay: [{ why: 'A person has put it off, and its wait has changed.', count: 1 }],
  });
  await edit(id, [wait('wait', 2), row('first', 'Hi'), wait('later', 6), row('second', 'Again')]);
  expect(await waiters(id)).toMatchObject({
    canGoOn: 0,
    stay: [{ why: 'A step before its wait has changed.', count: 2 }],
  });
  await becomes(id, [wait('wait', 2), first(), wait('later', 3), row('second', 'Again')]);
  await pass(1 * hour);
  expect(await names()).toEqual(['Again Tom', 'Dear Ada', 'Dear Tom']);
  await pass(9 * hour);
  expect(await names()).toEqual(['Again Tom', 'Dear Ada', 'Dear Tom', 'Still Ada']);
});

test('what only the new version has use for is given to those who wait: their links', async () => {
  add('Ada');
  const id = await live(2);
  const withLink = first() as Extract<Step, { kind: 'write' }>;
  const link = { kind: 'field' as const, ref: { step: waitLinksId, path: '/stop' }, tidies: [] };
  await becomes(id, [wait('wait', 2), { ...withLink, mapping: { ...withLink.mapping, '/E-mail': link } }]);
  await pass(2.1 * hour);
  expect((await rows())[0]?.['E-mail']).toMatch(/\/go\/stop\/[\w-]+\/[\w-]+$/);
});

test.each(pointsOfTakeOvers)(
  'the process ends at %s: all that can are taken over, each is written once',
  async (point) => {
    // More than one piece of them.
    for (let at = 0; at < 210; at += 1) add(`N${at}`);
    const id = await live(2);
    await edit(id, [wait('wait', 3), first()]);
    const next = clock().next();
    const ended = dropAt(around.services, point);
    void around.services.engine.makeLive(id, undefined, undefined, true).catch(() => undefined);
    await ended;
    around.services = await openServices(around.world, { seams: next });
    await around.services.engine.resume();
    expect(new Set((await items()).map(({ version }) => version))).toEqual(new Set([2]));
    await pass(2.1 * hour);
    expect(await rows()).toEqual([]);
    await pass(1 * hour);
    expect(new Set(await names()).size).toBe(210);
    expect(await rows()).toHaveLength(210);
  },
);

describe('whatever is edited and whenever', () => {
  let round = 0;
  const act = fc.oneof(
    { weight: 3, arbitrary: fc.record({ kind: fc.constant('hour' as const), hours: fc.integer({ min: 1, max: 3 }) }) },
    { weight: 2, arbitrary: fc.constant({ kind: 'add' as const }) },
    {
      weight: 2,
      arbitrary: fc.record({
        kind: fc.constant('edit' as const),
        first: fc.integer({ min: 1, max: 4 }),
        second: fc.integer({ min: 1, max: 8 }),
        isTakenOver: fc.boolean(),
      }),
    },
    { weight: 1, arbitrary: fc.constant({ kind: 'reopen' as const }) },
  );

  test('everybody gets each message once, in its order, whichever version wrote it', async () => {
    await fc.assert(
      fc.asyncProperty(fc.array(act, { minLength: 4, maxLength: 12 }), async (acts) => {
        // People of earlier rounds are known by their names.
        round += 1;
        let edits = 0;
        let people = 0;
        const steps = (one = 2, two = 4): Step[] => [
          wait('wait', one),
          row('first', `First ${edits}`),
          wait('later', two),
          row('second', `Second ${edits}`),
        ];
        const id = await live(1);
        await becomes(id, steps());
        for (const one of acts) {
          if (one.kind === 'hour') await pass(one.hours * hour);
          else if (one.kind === 'add') {
            people += 1;
            add(`R${round}P${people}`);
            await around.services.engine.finish(await around.services.engine.checkNow(id));
          } else if (one.kind === 'edit') {
            edits += 1;
            await edit(id, steps(one.first, one.second));
            await around.services.engine.makeLive(id, undefined, undefined, one.isTakenOver);
            await around.services.engine.quiet();
          } else {
            const next = clock().next();
            await around.services.drop();
            around.services = await openServices(around.world, { seams: next });
            await around.services.engine.resume();
          }
        }
        await pass(30 * hour);
        await pass(30 * hour);
        await around.services.engine.switchOff(id);
        const written = (await rows()).map((one) => String(one['Name']));
        for (let person = 1; person <= people; person += 1) {
          const theirs = written.filter((name) => name.endsWith(` R${round}P${person}`));
          expect(theirs.map((name) => name.split(' ')[0])).toEqual(['First', 'Second']);
          const [one = 0, two = 0] = theirs.map((name) => Number(name.split(' ')[1]));
          expect(two).toBeGreaterThanOrEqual(one);
        }
      }),
      { numRuns: Number(process.env['GOLDEN_RUNS'] ?? 6) },
    );
  });
});

import type { Trigger } from '@golden/core';
import { makeApi } from '../api/app.ts';
import { productAroundEach } from '../testing/around.ts';
import { settled, unbalanced } from '../testing/checks.ts';
import type { TestClock } from '../testing/clock.ts';
import { customer, customersWorkflow, rowsOf } from '../testing/world.ts';

// When a live workflow looks at its source, by the kind of its trigger. Judged by the rows that stand there.

const minute = 60_000;
const hour = 60 * minute;

afterEach(async () => {
  expect(await unbalanced(around.services)).toEqual([]);
});
const around = productAroundEach();
const clock = () => around.services.seams as TestClock;

async function live(trigger: Trigger, zone = 'UTC'): Promise<string> {
  const { services, connected } = around;
  const id = await customersWorkflow(services, connected);
  const { draft, draftRev } = await services.workflows.get(id);
  await services.workflows.saveDraft(id, { ...draft, zone, start: { ...draft.start, trigger } }, draftRev);
  const { run } = await services.engine.makeLive(id);
  await services.engine.finish(run);
  return id;
}

const add = (email: string) => around.world.shop.store.add(customer({ email }));
const count = async () =>
  (await rowsOf(around.world.shelf.files.get('customers.xlsx')?.bytes ?? Buffer.alloc(0), 'Customers')).length;

async function pass(milliseconds: number): Promise<void> {
  clock().pass(milliseconds);
  await around.services.engine.tick();
  await around.services.engine.quiet();
  await settled(around.services);
}

const nextAt = async (id: string): Promise<string | null> =>
  (
    await around.services.db
      .selectFrom('trigger_state')
      .select('next_at')
      .where('workflow_id', '=', id)
      .executeTakeFirstOrThrow()
  ).next_at;

/** The time of the day by the test's clock, so many hours ahead. */
const timeIn = (hours: number): string =>
  new Date(Date.parse(clock().now()) + hours * hour).toISOString().slice(11, 16);

test('at set times: nothing before, once then, and again the next day', async () => {
  const id = await live({ kind: 'times', at: [timeIn(3)], days: [1, 2, 3, 4, 5, 6, 7] });
  add('one@clay.example');
  await pass(2 * hour);
  expect(await count()).toBe(0);
  await pass(1.1 * hour);
  expect(await count()).toBe(1);
  add('two@clay.example');
  await pass(20 * hour);
  expect(await count()).toBe(1);
  await pass(4 * hour);
  expect(await count()).toBe(2);
  expect(Date.parse((await nextAt(id)) ?? '')).toBeGreaterThan(Date.parse(clock().now()));
});

test('a time that passed while the server was off is made up for once, at the start', async () => {
  await live({ kind: 'times', at: [timeIn(1)], days: [1, 2, 3, 4, 5, 6, 7] });
  add('one@clay.example');
  const next = clock().next();
  next.pass(50 * hour);
  await around.reopen({ seams: next });
  await around.services.engine.resume();
  await pass(0);
  expect(await count()).toBe(1);
  const checks = await around.services.db.selectFrom('run').select('id').where('kind', '=', 'check').execute();
  expect(checks).toHaveLength(1);
});

test('what was missed while the server was off is left out where that was chosen; the next time counts', async () => {
  await live({ kind: 'times', at: [timeIn(1)], days: [1, 2, 3, 4, 5, 6, 7], missed: 'skip' });
  add('one@clay.example');
  const next = clock().next();
  next.pass(50 * hour);
  await around.reopen({ seams: next });
  await around.services.engine.resume();
  await pass(0);
  expect(await count()).toBe(0);
  await pass(23.05 * hour);
  expect(await count()).toBe(1);
});

test('a set time that comes while a run is still under way is made up for when that has ended', async () => {
  const id = await live({ kind: 'times', at: [timeIn(1)], days: [1, 2, 3, 4, 5, 6, 7] });
  // A run that lists for hours, as of a slow app.
  const { services } = around;
  const run = await services.db.selectFrom('run').selectAll().where('workflow_id', '=', id).executeTakeFirstOrThrow();
  await services.db
    .insertInto('run')
    .values({ ...run, id: 'slow', state: 'listing', ended_at: null })
    .execute();
  add('one@clay.example');
  await pass(2 * hour);
  expect(await count()).toBe(0);
  await services.db.deleteFrom('run').where('id', '=', 'slow').execute();
  await pass(minute);
  expect(await count()).toBe(1);
});

test('the clock put back brings nothing early, and silences nothing', async () => {
  await live({ kind: 'times', at: [timeIn(2)], days: [1, 2, 3, 4, 5, 6, 7] });
  add('one@clay.example');
  clock().step(-30 * hour);
  await pass(1000);
  expect(await count()).toBe(0);
  await pass(8.1 * hour);
  expect(await count()).toBe(1);
});

test('everything each time: all that is there, once at each time, however often the process ends meanwhile', async () => {
  const id = await live({ kind: 'times', at: [timeIn(1)], days: [1, 2, 3, 4, 5, 6, 7] });
  const { draft, draftRev } = await around.services.workflows.get(id);
  const steps = draft.steps.map((step) => (step.kind === 'write' ? { ...step, mode: 'append' as const } : step));
  const start = { ...draft.start, takes: 'everything' as const };
  await around.services.workflows.saveDraft(id, { ...draft, start, steps }, draftRev);
  add('one@clay.example');
  add('two@clay.example');
  const { run } = await around.services.engine.makeLive(id);
  await around.services.engine.finish(run);
  await settled(around.services);
  const before = await count();
  await pass(1.05 * hour);
  expect(await count()).toBe(before + 2);
  await around.reopen({ seams: clock().next() });
  await around.services.engine.resume();
  await pass(minute);
  expect(await count()).toBe(before + 2);
  await pass(24 * hour);
  expect(await count()).toBe(before + 4);
});

test('only by hand: never by itself, not when switched on again and not after everything was stopped', async () => {
  const id = await live({ kind: 'hand' });
  add('one@clay.example');
  await pass(48 * hour);
  await around.services.engine.switchOff(id);
  await around.services.engine.switchOn(id);
  await pass(48 * hour);
  await around.services.engine.stopEverything('');
  await around.services.engine.goOn();
  await pass(48 * hour);
  expect([await count(), await nextAt(id)]).toEqual([0, null]);
  await around.services.engine.finish(await around.services.engine.checkNow(id));
  await settled(around.services);
  expect(await count()).toBe(1);
});

test('a live workflow of before there were triggers goes on asking as often as it did', async () => {
  const id = await live({ kind: 'every', minutes: 30 });
  await around.services.db
    .updateTable('workflow_version')
    .set((eb) => ({
      content: eb.fn<string>('json_set', [
        eb.fn('json_remove', ['content', eb.val('$.start.trigger')]),
        eb.val('$.start.everyMinutes'),
        eb.val(30),
      ]),
    }))
    .execute();
  await around.reopen({ seams: clock().next() });
  await around.services.engine.resume();
  add('one@clay.example');
  await pass(29 * minute);
  expect(await count()).toBe(0);
  await pass(2 * minute);
  expect(await count()).toBe(1);
  const { content } = await around.services.workflows.version(id, 1);
  expect(content.start.trigger).toEqual({ kind: 'every', minutes: 30 });
});

test('the list of workflows says when the live version is asked, whatever its draft says', async () => {
  const id = await live({ kind: 'every', minutes: 30 });
  const { draft, draftRev } = await around.services.workflows.get(id);
  await around.services.workflows.saveDraft(
    id,
    { ...draft, start: { ...draft.start, trigger: { kind: 'hand' } } },
    draftRev,
  );
  const answer = await makeApi(around.services).request('/api/workflows');
  expect(await answer.json()).toMatchObject([{ id, when: 'every 30 minutes' }]);
});

import { saveCalendars } from '../../calendars.ts';
import { loadSettings, saveSettings } from '../../settings.ts';
import { productAroundEach } from '../../testing/around.ts';
import { checkNow } from '../../testing/checks.ts';
import type { TestClock } from '../../testing/clock.ts';
import { customer, customersWorkflow } from '../../testing/world.ts';
import { quietOnes } from './quiet.ts';

// A workflow that has brought customers each week at this time, and then doesn't.

const hour = 60 * 60_000;
const week = 7 * 24 * hour;
const around = productAroundEach();
const clock = () => around.services.seams as TestClock;
let added = 0;

async function bring(id: string, count: number): Promise<void> {
  for (let at = 0; at < count; at++) {
    added += 1;
    around.world.shop.store.add(customer({ first_name: `Ada${added}`, email: `ada${added}@clay.example` }));
  }
  await checkNow(around.services, id);
}

/** Some weeks with nine customers each, and a week more; by a clock at which it is about noon, so that a day stays one. */
async function weeks(count: number): Promise<string> {
  const { services, connected } = around;
  const east = 12 - new Date(clock().now()).getUTCHours();
  const zone = `Etc/GMT${east > 0 ? '-' : '+'}${Math.abs(east)}`;
  await saveSettings(services.db, { ...(await loadSettings(services.db)), zone });
  const id = await customersWorkflow(services, connected, { mode: 'append' });
  await services.engine.finish((await services.engine.makeLive(id)).run);
  for (let at = 0; at <= count; at++) {
    await bring(id, 9);
    clock().pass(week);
  }
  clock().pass(hour);
  return id;
}

test('nothing today where nine are usual is told, with both; what comes then puts it right', async () => {
  const id = await weeks(4);
  expect(await quietOnes(around.services)).toEqual([
    { workflowId: id, workflow: expect.any(String), usual: 9, today: 0 },
  ]);
  await bring(id, 8);
  clock().pass(1000);
  expect(await quietOnes(around.services)).toEqual([]);
});

test('of one that is new, is off, or has a day off, nothing is told', async () => {
  const id = await weeks(2);
  expect(await quietOnes(around.services)).toEqual([]);
  await bring(id, 9);
  clock().pass(week);
  await bring(id, 9);
  clock().pass(week);
  expect(await quietOnes(around.services)).toHaveLength(1);
  const { services } = around;
  await services.engine.switchOff(id);
  expect(await quietOnes(services)).toEqual([]);
  await services.engine.switchOn(id);
  const day = clock().now().slice(0, 10);
  const open = Array.from({ length: 7 }, () => [{ from: '00:00', to: '24:00' }]);
  const dayBy = (more: number) => new Date(Date.parse(day) + more * 24 * hour).toISOString().slice(0, 10);
  const daysOff = [{ from: dayBy(-1), to: dayBy(1), name: 'Stocktaking' }];
  await saveCalendars(services.db, [{ id: 'c', name: 'Shop', week: open, country: '', region: '', daysOff }]);
  expect(await quietOnes(services)).toEqual([]);
});

test('at least so many by a time of a working day: told from then on, until they are there; never before, nor on a day off', async () => {
  const id = await weeks(4);
  const { services } = around;
  const open = Array.from({ length: 7 }, () => [{ from: '00:00', to: '24:00' }]);
  const calendar = { id: 'c', name: 'Shop', week: open, country: '', region: '', daysOff: [] };
  await saveCalendars(services.db, [calendar]);
  const expected = async (records: number, by: string): Promise<void> => {
    const { draft, draftRev } = await services.workflows.get(id);
    await services.workflows.saveDraft(
      id,
      { ...draft, start: { ...draft.start, tellsBelow: { records, by } } },
      draftRev,
    );
    await services.engine.finish((await services.engine.makeLive(id)).run);
  };
  // By the workspace's clock it is about one.
  await expected(3, '23:00');
  expect(await quietOnes(services)).toEqual([]);
  await expected(3, '12:00');
  await bring(id, 2);
  clock().pass(1000);
  expect(await quietOnes(services)).toMatchObject([{ workflowId: id, usual: 3, today: 2, by: '12:00' }]);
  await saveCalendars(services.db, [{ ...calendar, week: open.map(() => []) }]);
  expect(await quietOnes(services)).toEqual([]);
  await saveCalendars(services.db, [calendar]);
  await bring(id, 1);
  clock().pass(1000);
  expect(await quietOnes(services)).toEqual([]);
});

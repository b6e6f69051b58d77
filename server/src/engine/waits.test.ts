import { type Step, startId, type WaitStep, type WaitUntil, waitLinksId } from '@golden/core';
import { makeApi } from '../api/app.ts';
import { saveCalendars } from '../calendars.ts';
import { makeDoor } from '../doors/door-app.ts';
import { productAroundEach } from '../testing/around.ts';
import { unbalanced } from '../testing/checks.ts';
import type { TestClock } from '../testing/clock.ts';
import { dropAt, pointsOfParks } from '../testing/drop.ts';
import { customer, customersWorkflow, openServices, rowsOf } from '../testing/world.ts';

// Waits as a workflow has them, judged by the rows that stand there.

const hour = 60 * 60_000;
afterEach(async () => {
  expect(await unbalanced(around.services)).toEqual([]);
});
const around = productAroundEach();
const clock = () => around.services.seams as TestClock;

const rows = async () => rowsOf(around.world.shelf.files.get('customers.xlsx')?.bytes ?? Buffer.alloc(0), 'Customers');
const names = async () => (await rows()).map((row) => row['Name']).sort();
const items = () => around.services.db.selectFrom('item').selectAll().orderBy('seq').execute();
const states = async () => (await items()).map(({ state }) => state);
const hours = (amount: number): WaitUntil => ({ kind: 'time', amount, unit: 'hours', from: 'start' });
const waitFor = (until: WaitUntil, more: Partial<WaitStep> = {}): WaitStep => ({
  id: 'wait',
  kind: 'wait',
  until,
  ...more,
});
const keepBritish: Step = {
  id: 'keep',
  kind: 'condition',
  condition: {
    kind: 'all',
    items: [{ kind: 'test', ref: { step: startId, path: '/address/country' }, operator: 'is', values: ['GB'] }],
  },
};

/** A live workflow whose customers wait before they are written. */
async function live(steps: readonly Step[], more: { on?: 'added' | 'added_or_changed' } = {}): Promise<string> {
  const { services, connected } = around;
  const id = await customersWorkflow(services, connected, { mode: 'append', ...more, steps: [...steps] });
  await services.engine.finish((await services.engine.makeLive(id)).run);
  await services.engine.quiet();
  return id;
}

async function pass(milliseconds: number): Promise<void> {
  clock().pass(milliseconds);
  await around.services.engine.tick();
  await around.services.engine.quiet();
}

const add = (first_name: string, more = {}) =>
  around.world.shop.store.add(
    customer({ first_name, last_name: 'Holm', email: `${first_name}@clay.example`.toLowerCase(), ...more }),
  );

async function api<T>(method: string, path: string, body?: unknown): Promise<T> {
  const answer = await makeApi(around.services).request(`/api${path}`, {
    method,
    headers: { host: 'localhost', 'content-type': 'application/json' },
    ...(body !== undefined && { body: JSON.stringify(body) }),
  });
  return (await answer.json()) as T;
}

test('what waited is read again: it counts as it is then, and what fits no more, or is gone, ends with its reason', async () => {
  const [ada, tom, mira] = [add('Ada'), add('Tom'), add('Mira')];
  await live([keepBritish, waitFor(hours(2))]);
  expect([await states(), await rows()]).toEqual([['waiting', 'waiting', 'waiting'], []]);
  around.world.shop.store.change(ada.id, { first_name: 'Adeline' });
  around.world.shop.store.change(tom.id, { address: { ...tom.address, country: 'SE' } });
  around.world.shop.store.remove(mira.id);
  await pass(2.1 * hour);
  expect(await names()).toEqual(['Adeline Holm']);
  expect((await items()).map(({ state, message }) => [state, message])).toEqual([
    ['delivered', null],
    ['left_out', expect.stringContaining('It doesn’t fit any more')],
    ['left_out', 'The record isn’t there any more.'],
  ]);
});

test('while the source doesn’t answer it waits on, and goes on by itself; nothing goes out unseen', async () => {
  const ada = add('Ada');
  await live([waitFor(hours(2))]);
  around.world.shop.store.change(ada.id, { first_name: 'Adeline' });
  around.world.shop.state.troubles.set('down', Number.POSITIVE_INFINITY);
  await pass(2.1 * hour);
  expect([await states(), await rows()]).toEqual([['waiting'], []]);
  expect((await items())[0]?.waits_for).toBe(around.connected.shop);
  around.world.shop.state.troubles.clear();
  for (let tries = 0; tries < 5; tries++) await pass(0.5 * hour);
  expect(await names()).toEqual(['Adeline Holm']);
});

test('a source that refuses us makes it a person’s case; settled, it is read before it goes on', async () => {
  const ada = add('Ada');
  await live([waitFor(hours(2))]);
  around.world.shop.state.troubles.set('sign_out', Number.POSITIVE_INFINITY);
  await pass(2.1 * hour);
  expect([await states(), await rows()]).toEqual([['unsettled'], []]);
  around.world.shop.state.troubles.clear();
  around.world.shop.store.change(ada.id, { first_name: 'Adeline' });
  await around.services.engine.retryConnection(around.connected.shop);
  await around.services.engine.quiet();
  await pass(1000);
  expect(await names()).toEqual(['Adeline Holm']);
});

test('days off that were set meanwhile are waited for', async () => {
  add('Ada');
  await saveCalendars(around.services.db, [
    {
      id: 'c',
      name: 'Always',
      week: Array.from({ length: 7 }, () => [{ from: '00:00', to: '24:00' }]),
      country: '',
      region: '',
      daysOff: [],
    },
  ]);
  await live([waitFor({ kind: 'time', amount: 2, unit: 'working_hours', from: 'start' })]);
  const from = clock().now().slice(0, 10);
  const to = new Date(Date.parse(from) + 3 * 24 * hour).toISOString().slice(0, 10);
  const closed = {
    id: 'c',
    name: 'Always',
    week: Array.from({ length: 7 }, () => [{ from: '00:00', to: '24:00' }]),
    country: '',
    region: '',
    daysOff: [{ from, to, name: 'Flood' }],
  };
  await saveCalendars(around.services.db, [closed]);
  await pass(2.1 * hour);
  expect([await states(), await rows()]).toEqual([['waiting'], []]);
  await pass(5 * 24 * hour);
  expect(await names()).toEqual(['Ada Holm']);
});

describe('switched off and on', () => {
  test('what became due meanwhile is asked about: stopped, it never goes out, not even later', async () => {
    add('Ada');
    const id = await live([waitFor(hours(2))]);
    await api('POST', `/workflows/${id}/off`);
    await pass(5 * hour);
    expect(await states()).toEqual(['waiting']);
    expect(await api('POST', `/workflows/${id}/on`)).toMatchObject({
      status: 409,
      count: 1,
      type: expect.stringContaining('overdue'),
    });
    expect((await around.services.workflows.get(id)).isOn).toBe(false);
    await api('POST', `/workflows/${id}/on?overdue=stop`);
    await pass(1000);
    expect((await items())[0]).toMatchObject({
      state: 'left_out',
      message: 'Its time had passed while the workflow was off.',
    });
    await pass(48 * hour);
    expect(await rows()).toEqual([]);
  });

  test('what another workflow wakes meanwhile takes nothing of it: overdue while off is still asked about', async () => {
    add('Ada');
    const off = await live([waitFor(hours(2))]);
    await live([waitFor(hours(3))]);
    await api('POST', `/workflows/${off}/off`);
    await pass(3.1 * hour);
    expect(await names()).toEqual(['Ada Holm']);
    const { services } = around;
    await expect(services.engine.switchOn(off)).rejects.toThrow(
      'The time of one record passed while this workflow was off.',
    );
    await pass(hour);
    expect(await names()).toEqual(['Ada Holm']);
    await services.engine.switchOn(off, 'send');
    await pass(0.1 * hour);
    expect(await names()).toEqual(['Ada Holm', 'Ada Holm']);
  });

  test('off for what is new only: who waits gets what was promised', async () => {
    add('Ada');
    const id = await live([waitFor(hours(2))]);
    await api('POST', `/workflows/${id}/off?waiting=goes_on`);
    add('Tom');
    await pass(2.1 * hour);
    expect(await names()).toEqual(['Ada Holm']);
    expect(await api('POST', `/workflows/${id}/on`)).toEqual({ also: [] });
  });

  test('going live with a new version asks likewise', async () => {
    add('Ada');
    const id = await live([waitFor(hours(2))]);
    await around.services.engine.switchOff(id);
    await pass(5 * hour);
    await expect(around.services.engine.makeLive(id)).rejects.toThrow('Say what becomes of it.');
    await around.services.engine.finish((await around.services.engine.makeLive(id, undefined, 'send')).run);
    await pass(1000);
    expect(await names()).toEqual(['Ada Holm']);
  });
});

describe('who gets what, when', () => {
  interface Due {
    days: { day: string; count: number }[];
    rows: { id: string; title: string; cells: { step: string; at: string; kind: string }[] }[];
    total: number;
    counts: Record<string, number>;
  }

  test('each that waits with what comes, as it then comes; a person sends now, puts off and stops', async () => {
    for (const name of ['Ada', 'Tom', 'Mira', 'Zoë']) add(name);
    const id = await live([waitFor(hours(30))]);
    const due = await api<Due>('GET', `/workflows/${id}/due`);
    expect([due.total, due.counts]).toEqual([4, { waiting: 4, overdue: 0, unsettled: 0, endedEarly: 0 }]);
    expect(due.days.reduce((sum, { count }) => sum + count, 0)).toBe(4);
    const told = due.rows[0]?.cells[0];
    expect([told?.kind, told?.at]).toEqual(['due', (await items())[0]?.wake_at]);
    expect((await api<Due>('GET', `/workflows/${id}/due?search=mira`)).rows.map(({ title }) => title)).toEqual([
      'Mira Holm',
    ]);

    const called = (name: string): string => due.rows.find(({ title }) => title.startsWith(name))?.id ?? '';
    const act = (name: string, what: object) =>
      api<{ count: number }>('POST', `/workflows/${id}/due`, { items: [called(name)], act: what });
    expect(await act('Ada', { kind: 'now' })).toEqual({ count: 1 });
    await around.services.engine.quiet();
    expect(await names()).toEqual(['Ada Holm']);
    // It has gone on meanwhile: nothing is done with it.
    expect(await act('Ada', { kind: 'stop' })).toEqual({ count: 0 });
    expect(await act('Tom', { kind: 'stop', why: 'He rang.' })).toEqual({ count: 1 });
    expect(await act('Mira', { kind: 'put_off', days: 1 })).toEqual({ count: 1 });
    await pass(31 * hour);
    expect(await names()).toEqual(['Ada Holm', 'Zoë Holm']);
    expect((await items()).find(({ title }) => title.startsWith('Tom'))).toMatchObject({
      state: 'left_out',
      message: 'He rang.',
    });
    await pass(24 * hour);
    expect(await names()).toEqual(['Ada Holm', 'Mira Holm', 'Zoë Holm']);
    expect((await api<Due>('GET', `/workflows/${id}/due`)).counts).toMatchObject({ waiting: 0, endedEarly: 1 });
  });

  test('who waits is listed over all workflows, the next first, found by name, overdue where its workflow is off', async () => {
    interface Waiting {
      readonly total: number;
      readonly rows: readonly { title: string; workflowId: string; message: string; isOverdue: boolean }[];
    }
    const waiting = (search = '') =>
      api<Waiting>('GET', `/waiting?search=${encodeURIComponent(search)}`).then(({ total, rows: found }) => [
        total,
        found.map(({ title, workflowId, isOverdue }) => [title, workflowId, isOverdue]),
      ]);
    add('Ada');
    const later = await live([waitFor(hours(5))]);
    add('Tom');
    const sooner = await live([waitFor(hours(2))]);
    expect(await waiting()).toEqual([
      3,
      [
        ['Ada Holm', sooner, false],
        ['Tom Holm', sooner, false],
        ['Ada Holm', later, false],
      ],
    ]);
    expect(await waiting('tom')).toEqual([1, [['Tom Holm', sooner, false]]]);
    expect(await waiting('100%')).toEqual([0, []]);
    await around.services.engine.switchOff(sooner);
    await pass(3 * hour);
    // The other one has found Tom meanwhile.
    expect(await waiting('Tom')).toEqual([
      2,
      [
        ['Tom Holm', sooner, true],
        ['Tom Holm', later, false],
      ],
    ]);
  });

  test('seen before it happens: a rehearsal says the same as what comes', async () => {
    add('Ada');
    const { services, connected } = around;
    const step = waitFor({ kind: 'time', amount: 2, unit: 'days', from: 'start' });
    const id = await customersWorkflow(services, connected, { mode: 'append', steps: [step] });
    await services.engine.rehearse(id, 'all');
    await services.engine.rehearsals.wait(id);
    const before = await api<Due>('GET', `/workflows/${id}/due?of=rehearsal`);
    await services.engine.finish((await services.engine.makeLive(id)).run);
    const after = await api<Due>('GET', `/workflows/${id}/due`);
    const days = ({ days: all }: Due) => all.filter(({ count }) => count > 0);
    expect(days(before)).toEqual(days(after));
    expect(before.rows.map(({ cells }) => cells.map(({ step: one, kind }) => [one, kind]))).toEqual([
      [['list', 'due']],
    ]);
  });
});

describe('the links of one that waits', () => {
  const ref = (path: '/stop' | '/continue') => ({ step: waitLinksId, path });
  const says: Step = {
    id: 'says',
    kind: 'compute',
    values: [
      { name: 'stop', text: 'waiting.stop', refs: { 'waiting.stop': ref('/stop') } },
      { name: 'continue', text: 'waiting.continue', refs: { 'waiting.continue': ref('/continue') } },
    ],
  };
  interface Links {
    readonly stop: string;
    readonly continue: string;
  }
  const linksOf = async (name: string): Promise<Links> => {
    const item = (await items()).find(({ title }) => title.startsWith(name));
    return (JSON.parse(item?.item_state ?? '{}') as { steps: { says: { values: Links } } }).steps.says.values;
  };
  const open = async (link: string, method = 'GET'): Promise<[number, string]> => {
    const answer = await makeDoor(around.services).request(link, { method });
    await around.services.engine.quiet();
    return [answer.status, await answer.text()];
  };

  test('opening one changes nothing, using it acts, once; one that was guessed is none', async () => {
    for (const name of ['Ada', 'Tom', 'Mira']) add(name);
    await live([says, waitFor(hours(2)), waitFor(hours(4), { id: 'more' })]);
    const { stop } = await linksOf('Ada');
    for (let times = 0; times < 2; times++) {
      const [status, page] = await open(stop);
      expect([status, page]).toEqual([200, expect.stringContaining('Stop these messages?')]);
      expect(page).not.toContain('<script');
    }
    expect(await states()).toEqual(['waiting', 'waiting', 'waiting']);
    const [address, mark] = [stop.slice(0, -6), stop.slice(-6)];
    for (const forged of [
      `${address}${[...mark].reverse().join('')}x`,
      stop.replace('/stop/', '/continue/'),
      address,
    ]) {
      expect((await open(forged))[0]).toBe(404);
      expect((await open(forged, 'POST'))[1]).toContain('can’t be read');
    }
    expect(await states()).toEqual(['waiting', 'waiting', 'waiting']);
    const both = await Promise.all([open(stop, 'POST'), open(stop, 'POST')]);
    expect(both.filter(([, page]) => page.includes('Nothing more of this series'))).toHaveLength(1);
    expect((await open(stop))[1]).toContain('was used already');
    // What comes later comes now; the next wait is waited for all the same.
    expect((await open((await linksOf('Tom')).continue, 'POST'))[1]).toContain('goes on now');
    expect(await states()).toEqual(['left_out', 'waiting', 'waiting']);
    await pass(2.1 * hour);
    expect(await rows()).toEqual([]);
    await pass(2 * hour);
    expect(await names()).toEqual(['Mira Holm', 'Tom Holm']);
    expect((await items())[0]).toMatchObject({ state: 'left_out', message: 'Stopped by its stop link.' });
    expect((await open((await linksOf('Mira')).stop))[1]).toContain('has ended already');
  });

  test('a stop counts for what of the record comes later: whoever stopped it hears nothing more', async () => {
    const ada = add('Ada');
    const id = await live([says, waitFor(hours(2))], { on: 'added_or_changed' });
    await open((await linksOf('Ada')).stop, 'POST');
    around.world.shop.store.change(ada.id, { first_name: 'Adeline' });
    await around.services.engine.finish(await around.services.engine.checkNow(id));
    await pass(48 * hour);
    expect([await states(), await rows()]).toEqual([['left_out', 'left_out'], []]);
  });

  test('a rehearsal makes none: it shows an example', async () => {
    add('Ada');
    const { services, connected } = around;
    const id = await customersWorkflow(services, connected, { mode: 'append', steps: [says, waitFor(hours(2))] });
    await services.engine.rehearse(id, 'all');
    await services.engine.rehearsals.wait(id);
    const [row] = await services.db.selectFrom('rehearsal_item').select('item_state').execute();
    expect(row?.item_state).toContain('made-when-it-is-taken-in');
  });
});

test('one that is tried for real waits for nothing, and nothing is counted to be due', async () => {
  add('Ada');
  const { services, connected } = around;
  const id = await customersWorkflow(services, connected, { mode: 'append', steps: [waitFor(hours(30))] });
  const [sample] = await services.engine.samples.of(id, true);
  await services.engine.sendOne(id, sample?.id ?? '');
  await services.engine.quiet();
  expect([await states(), await names()]).toEqual([['delivered'], ['Ada Holm']]);
  const { steps } = JSON.parse((await items())[0]?.item_state ?? '{}') as { steps: Record<string, object> };
  expect(steps['wait']).toMatchObject({ kind: 'waited', by: 'skipped' });
});

test('calendars are kept, and nothing that can’t be counted by', async () => {
  const { calendars } = await api<{ calendars: object[] }>('GET', '/calendars');
  expect(calendars).toMatchObject([{ name: 'Working hours', country: 'GB' }]);
  const own = {
    ...calendars[0],
    name: 'Workshop',
    daysOff: [{ from: '2026-12-24', to: '2027-01-03', name: 'Works holiday' }],
  };
  expect(await api('PUT', '/calendars', [own])).toMatchObject({
    open: [{ name: 'Workshop', off: { '2027-01-03': 'Works holiday' } }],
  });
  expect(await api('PUT', '/calendars', [])).toMatchObject({ status: 400 });
  expect(await api('PUT', '/calendars', [{ ...own, week: [] }])).toMatchObject({ status: 400 });
  const { days, regions } = await api<{ days: { name: string }[]; regions: Record<string, string> }>(
    'GET',
    '/holidays?country=GB&region=SCT',
  );
  expect(days.map(({ name }) => name)).toContain('St Andrew’s Day');
  expect(Object.keys(regions)).toContain('ENG');
});

test.each([
  ...pointsOfParks,
  'park:after-store',
  'intent:after-store',
  'result:before-store',
  'result:after-store',
] as const)('the process ends at %s: waited once, written once', async (point) => {
  add('Ada');
  const dropped = point === 'park:after-store' ? dropAt(around.services, point) : undefined;
  const begun = live([waitFor(hours(2))]).catch(() => '');
  if (dropped) await dropped;
  else await begun;
  const ended = dropped ?? dropAt(around.services, point);
  const next = clock().next();
  if (!dropped) {
    void pass(3 * hour).catch(() => undefined);
    await ended;
  }
  next.pass(3 * hour);
  around.services = await openServices(around.world, { seams: next });
  await around.services.engine.resume();
  for (let more = 0; more < 3; more++) await pass(hour);
  expect(await states()).toEqual(['delivered']);
  expect(await names()).toEqual(['Ada Holm']);
});

import type { WorkflowContent } from '@golden/core';
import type { Services } from '../services.ts';
import { checkNow, decide, goLive, settled, unbalanced } from '../testing/checks.ts';
import type { TestClock } from '../testing/clock.ts';
import { dropAt, pointsOfTakingIn } from '../testing/drop.ts';
import { customersToPeople } from '../testing/matching.ts';
import {
  addCustomers,
  type Connected,
  columns,
  connectBoth,
  connectCards,
  customer,
  customersWorkflow,
  emptyWorkbook,
  fieldFilling,
  openServices,
  openWorld,
  rowsOf,
  type WorkflowWishes,
  type World,
} from '../testing/world.ts';

import { afterDowntime } from './downtime.ts';

// Nothing that the source has is passed over, nothing comes twice. Judged by the rows that stand there.

const minute = 60_000;
const day = 24 * 60 * minute;

let world: World;
let services: Services;
let connected: Connected;

beforeEach(async () => {
  world = await openWorld();
  world.shelf.files.replace('customers.xlsx', await emptyWorkbook('Customers', columns), undefined);
  services = await openServices(world);
  connected = await connectBoth(world, services);
});
afterEach(async () => {
  expect(await unbalanced(services)).toEqual([]);
  await services.close();
  await world.close();
});

const clock = () => services.seams as TestClock;
const rows = async () => rowsOf(world.shelf.files.get('customers.xlsx')?.bytes ?? Buffer.alloc(0), 'Customers');
const mails = async () => (await rows()).map((row) => String(row['E-mail']));
const trigger = (id: string) =>
  services.db.selectFrom('trigger_state').selectAll().where('workflow_id', '=', id).executeTakeFirstOrThrow();
const added = (email: string) => world.shop.store.add(customer({ email }));

async function workflow(start: Partial<WorkflowContent['start']> = {}, wishes: WorkflowWishes = {}): Promise<string> {
  const id = await customersWorkflow(services, connected, { mode: 'append', ...wishes });
  await change(id, start);
  return id;
}
async function change(id: string, start: Partial<WorkflowContent['start']>, name?: string): Promise<void> {
  const { draft, draftRev } = await services.workflows.get(id);
  const content = { ...draft, ...(name && { name }), start: { ...draft.start, ...start } };
  await services.workflows.saveDraft(id, content, draftRev);
}
/** The next time at which it asks comes. */
async function nextAsk(): Promise<void> {
  clock().pass(6 * minute);
  await services.engine.tick();
  await services.engine.quiet();
  await settled(services);
}

describe('going live with a change', () => {
  test('takes in what came since the last check, and says before what that is', async () => {
    const id = await workflow({ fromWhen: { kind: 'now' } });
    added('old@clay.example');
    await goLive(services, id);
    added('between1@clay.example');
    added('between2@clay.example');
    await change(id, {}, 'A better name');
    expect(await services.engine.liesBetween(id)).toMatchObject({
      begins: null,
      isTaken: true,
      between: { count: 2, titles: [expect.any(String), expect.any(String)] },
    });
    await goLive(services, id);
    expect(await mails()).toEqual(['between1@clay.example', 'between2@clay.example']);
    await checkNow(services, id);
    expect(await rows()).toHaveLength(2);
  });

  test('what was shown to lie between isn’t held once more; what nobody has seen is', async () => {
    const id = await workflow({ holdsAbove: 20 });
    await goLive(services, id);
    addCustomers(world, 25);
    await change(id, {}, 'Another name');
    const { between } = await services.engine.liesBetween(id);
    const { run } = await services.engine.makeLive(id, between?.count);
    await services.engine.finish(run);
    await settled(services);
    expect(await rows()).toHaveLength(25);
    addCustomers(world, 25, 100);
    await goLive(services, id);
    expect(await rows()).toHaveLength(25);
    expect(JSON.parse((await trigger(id)).held ?? '{}')).toMatchObject({ kind: 'surge', count: 25 });
    await services.engine.finish(await services.engine.letIn(id, { kind: 'surge', count: 25, answer: 'take' }));
    await settled(services);
    expect(await rows()).toHaveLength(50);
  });

  test('carries “from when” out again only where a person has changed it', async () => {
    const id = await workflow({ fromWhen: { kind: 'now' } });
    added('old@clay.example');
    await goLive(services, id);
    await change(id, { fromWhen: { kind: 'all' } });
    expect(await services.engine.liesBetween(id)).toMatchObject({ begins: 'from_when', isTaken: true });
    await goLive(services, id);
    expect(await mails()).toEqual(['old@clay.example']);
    added('between@clay.example');
    await change(id, { fromWhen: { kind: 'now' } });
    expect(await services.engine.liesBetween(id)).toMatchObject({
      begins: 'from_when',
      isTaken: false,
      between: { count: 1 },
    });
    await goLive(services, id);
    expect(await rows()).toHaveLength(1);
    added('later@clay.example');
    await checkNow(services, id);
    expect(await mails()).toEqual(['old@clay.example', 'later@clay.example']);
  });

  test('a first run that fails is made up for, and an older one can’t end the new version’s beginning', async () => {
    const id = await workflow();
    addCustomers(world, 3);
    world.shop.state.troubles.set('html', Number.POSITIVE_INFINITY);
    const { run } = await services.engine.makeLive(id);
    await services.engine.finish(run);
    // While the first listing stands still the start is chosen anew.
    await change(id, { fromWhen: { kind: 'now' } });
    world.shop.state.troubles.clear();
    await goLive(services, id);
    await settled(services);
    await change(id, { fromWhen: { kind: 'all' } });
    await goLive(services, id);
    await settled(services);
    expect([...(await mails())].sort()).toEqual(['ada1@clay.example', 'ada2@clay.example', 'ada3@clay.example']);
  });

  test('a start that compares with something else looks at everything once, and misses no change after that', async () => {
    const id = await workflow();
    const one = added('one@clay.example');
    await goLive(services, id);
    await change(id, { on: 'becomes', becomes: { path: '/account_type', value: 'trade' } });
    await goLive(services, id);
    expect(await rows()).toHaveLength(1);
    world.shop.store.change(one.id, { account_type: 'trade' });
    await checkNow(services, id);
    expect(await rows()).toHaveLength(2);
  });
});

describe('added', () => {
  test('takes a record once, however it is edited between two runs of at most two', async () => {
    const id = await workflow({ mostPerRun: 2 });
    const made = ['a', 'b', 'c', 'd', 'e'].map((name) => added(`${name}@clay.example`));
    await goLive(services, id);
    for (let round = 0; round < 4; round++) {
      world.shop.store.change(made[round % 2]?.id ?? 0, { last_name: `Round ${round}` });
      await checkNow(services, id);
    }
    expect([...(await mails())].sort()).toEqual(['a', 'b', 'c', 'd', 'e'].map((name) => `${name}@clay.example`));
  });

  const withMail: WorkflowContent['steps'] = [
    {
      id: 'mail',
      kind: 'condition',
      condition: { kind: 'test', ref: { step: 'start', path: '/email' }, operator: 'is_not_empty', values: [] },
    },
  ];

  test('as soon as it meets the conditions: who gets an address the next day is taken in then, once', async () => {
    const id = await workflow({ waitsToFit: true }, { steps: withMail });
    const late = world.shop.store.add(customer({ email: null }));
    added('at.once@clay.example');
    await goLive(services, id);
    expect(await mails()).toEqual(['at.once@clay.example']);
    world.shop.store.change(late.id, { phone: '07700 900 001' });
    await checkNow(services, id);
    expect(await rows()).toHaveLength(1);
    world.shop.store.change(late.id, { email: 'late@clay.example' });
    await checkNow(services, id);
    expect(await mails()).toEqual(['at.once@clay.example', 'late@clay.example']);
    world.shop.store.change(late.id, { last_name: 'Field' });
    await checkNow(services, id);
    expect(await rows()).toHaveLength(2);
    // It is the item that was left out: nothing else stands for this record.
    const items = await services.db
      .selectFrom('item')
      .select('state')
      .where('source_id', '=', String(late.id))
      .execute();
    expect(items).toEqual([{ state: 'delivered' }]);
  });

  test('only as it was added: who gets an address the next day stays left out; so does who was known at the start', async () => {
    const id = await workflow({}, { steps: withMail });
    const late = world.shop.store.add(customer({ email: null }));
    await goLive(services, id);
    world.shop.store.change(late.id, { email: 'late@clay.example' });
    await checkNow(services, id);
    expect(await rows()).toEqual([]);
    const other = await workflow({ waitsToFit: true, fromWhen: { kind: 'now' } }, { steps: withMail });
    const known = world.shop.store.add(customer({ email: null }));
    await goLive(services, other);
    world.shop.store.change(known.id, { email: 'known@clay.example' });
    await checkNow(services, other);
    expect(await rows()).toEqual([]);
  });
});

describe('clocks', () => {
  test('one record from the year 2030 keeps nothing else from coming', async () => {
    const id = await workflow();
    const future = world.shop.store.addAll([
      {
        input: customer({ email: 'future@clay.example' }),
        createdAt: '2030-01-01T00:00:00.000Z',
        updatedAt: '2030-01-01T00:00:00.000Z',
      },
    ]);
    void future;
    await goLive(services, id);
    added('today@clay.example');
    await checkNow(services, id);
    expect(await mails()).toEqual(['future@clay.example', 'today@clay.example']);
  });

  test.each([10, 400, -10, -400])('a clock that was %s days off for a while silences nothing', async (days) => {
    const id = await workflow();
    await goLive(services, id);
    clock().step(days * day);
    await nextAsk();
    added('meanwhile@clay.example');
    await nextAsk();
    clock().step(-days * day);
    await nextAsk();
    added('afterwards@clay.example');
    await nextAsk();
    await nextAsk();
    expect(await mails()).toEqual(['meanwhile@clay.example', 'afterwards@clay.example']);
  });

  test('a clock put back between a row’s intent and its file doubles no row', async () => {
    const id = await workflow();
    addCustomers(world, 3);
    let isPut = false;
    clock().onReach = (point) => {
      if (point !== 'file:before-record' || isPut) return;
      isPut = true;
      clock().step(-day);
      world.shelf.state.troubles.set('break_off', 1);
    };
    await goLive(services, id);
    await settled(services);
    expect(isPut).toBe(true);
    expect([...(await mails())].sort()).toEqual(['ada1@clay.example', 'ada2@clay.example', 'ada3@clay.example']);
  });
});

describe('a place that is missing for a moment', () => {
  test('a destination: its records wait and go on by themselves, told while it lasts', async () => {
    const id = await workflow();
    added('one@clay.example');
    const file = world.shelf.files.get('customers.xlsx')?.bytes ?? Buffer.alloc(0);
    world.shelf.files.remove('customers.xlsx');
    await goLive(services, id);
    expect(await services.db.selectFrom('item').select(['state', 'cause']).execute()).toEqual([
      { state: 'unsettled', cause: 'drift' },
    ]);
    await nextAsk();
    world.shelf.files.replace('customers.xlsx', file, undefined);
    await nextAsk();
    expect(await mails()).toEqual(['one@clay.example']);
  });

  test('a source: it is asked again by itself, and nothing is passed over', async () => {
    const id = await workflow();
    await goLive(services, id);
    const { draft, draftRev } = await services.workflows.get(id);
    const { source } = draft.start;
    if (!source) throw new Error('There is no source.');
    // The list itself becomes the source of another one.
    world.shelf.files.replace('from.xlsx', await emptyWorkbook('Customers', columns), undefined);
    const described = await (await services.connections.connector(connected.shelf)).describe([
      'from.xlsx',
      'Customers',
    ]);
    const from = {
      connection: connected.shelf,
      path: ['from.xlsx', 'Customers'],
      labels: ['from.xlsx', 'Customers'],
      described,
    };
    const step = draft.steps[0];
    if (step?.kind !== 'write') throw new Error('There is no write.');
    const mapping = { '/Number': fieldFilling('/Number') };
    await services.workflows.saveDraft(
      id,
      { ...draft, start: { ...draft.start, source: from, identity: '/Number' }, steps: [{ ...step, mapping }] },
      draftRev,
    );
    await goLive(services, id);
    const file = world.shelf.files.get('from.xlsx')?.bytes ?? Buffer.alloc(0);
    world.shelf.files.remove('from.xlsx');
    await nextAsk();
    expect(await trigger(id)).toMatchObject({ is_paused: 0, message: expect.stringContaining('from.xlsx') });
    const runs = await services.db.selectFrom('run').select('id').execute();
    await nextAsk();
    // It isn't told once more by another run.
    expect(await services.db.selectFrom('run').select('id').execute()).toHaveLength(runs.length);
    world.shelf.files.replace('from.xlsx', file, undefined);
    await nextAsk();
    expect(await trigger(id)).toMatchObject({ message: null, cause: null });
  });
});

describe('gathered', () => {
  const gather = { records: 50, minutes: 30 };

  test('the rule for doubles holds for them too, over the checks by which they came', async () => {
    const id = await workflow({ gather, doubles: { by: ['/email'], treat: 'first' } });
    await goLive(services, id);
    added('same@clay.example');
    await checkNow(services, id);
    added('same@clay.example');
    added('other@clay.example');
    await checkNow(services, id);
    clock().pass(31 * minute);
    await nextAsk();
    expect([...(await mails())].sort()).toEqual(['other@clay.example', 'same@clay.example']);
  });

  test('nothing of it is written while the workflow is off, and all of it once it is on again', async () => {
    const id = await workflow({ gather });
    added('one@clay.example');
    await goLive(services, id);
    await services.engine.switchOff(id);
    clock().pass(2 * day);
    await nextAsk();
    expect(await rows()).toEqual([]);
    await services.engine.switchOn(id);
    await nextAsk();
    expect(await mails()).toEqual(['one@clay.example']);
  });
});

test('a run that still waits for its turn can be stopped', async () => {
  const id = await workflow();
  addCustomers(world, 30);
  world.shop.state.troubles.set('slow', 2);
  const { run: first } = await services.engine.makeLive(id);
  const second = await services.engine.checkNow(id);
  await services.engine.stopRun(second);
  await services.engine.finish(first);
  await services.engine.quiet();
  const states = await services.db.selectFrom('run').select(['id', 'state']).execute();
  expect(states.find((run) => run.id === second)?.state ?? 'stopped').toBe('stopped');
  expect(await rows()).toHaveLength(30);
});

describe('held until a person has looked', () => {
  test('a surge: nothing is taken in before the number and examples were seen and a yes was said', async () => {
    const id = await workflow({ holdsAbove: 20 });
    await goLive(services, id);
    addCustomers(world, 25);
    await checkNow(services, id);
    expect(await rows()).toEqual([]);
    const held = JSON.parse((await trigger(id)).held ?? '{}');
    expect(held).toMatchObject({ kind: 'surge', count: 25, of: 20 });
    expect(held.examples).toHaveLength(10);
    // Nothing comes by itself, however long nobody looks.
    await nextAsk();
    expect(await rows()).toEqual([]);
    await expect(services.engine.letIn(id, { kind: 'surge', count: 24, answer: 'take' })).rejects.toThrow(
      'number has changed',
    );
    await services.engine.finish(await services.engine.letIn(id, { kind: 'surge', count: 25, answer: 'take' }));
    await settled(services);
    expect(await rows()).toHaveLength(25);
    // The yes was for that one.
    addCustomers(world, 25, 100);
    await checkNow(services, id);
    expect(await rows()).toHaveLength(25);
    await services.engine.finish(await services.engine.letIn(id, { kind: 'surge', count: 25, answer: 'note' }));
    await settled(services);
    expect(await rows()).toHaveLength(25);
    added('later@clay.example');
    await checkNow(services, id);
    expect((await mails()).at(-1)).toBe('later@clay.example');
    expect(await rows()).toHaveLength(26);
  });

  test('the limit is proposed from what came before', async () => {
    const id = await workflow();
    await goLive(services, id);
    addCustomers(world, 190);
    await checkNow(services, id);
    expect(await rows()).toHaveLength(190);
    addCustomers(world, 960, 1000);
    await checkNow(services, id);
    expect(JSON.parse((await trigger(id)).held ?? '{}')).toMatchObject({ count: 960, of: 950 });
    // One surge that was let in doesn't make the next one usual.
    await services.engine.finish(await services.engine.letIn(id, { kind: 'surge', count: 960, answer: 'note' }));
    addCustomers(world, 960, 3000);
    await checkNow(services, id);
    expect(JSON.parse((await trigger(id)).held ?? '{}')).toMatchObject({ count: 960, of: 950 });
  });

  test('most is gone at once: “Check now” alone believes it no more than the clock does', async () => {
    const id = await workflow({ on: 'removed', fromWhen: { kind: 'now' } });
    const made = Array.from({ length: 30 }, (_, at) => added(`ada${at}@clay.example`));
    await goLive(services, id);
    await checkNow(services, id);
    for (const one of made.slice(0, 20)) world.shop.store.remove(one.id);
    await checkNow(services, id);
    expect(await rows()).toEqual([]);
    expect(JSON.parse((await trigger(id)).held ?? '{}')).toMatchObject({ kind: 'removed', count: 20, of: 30 });
    await services.engine.finish(await services.engine.letIn(id, { kind: 'removed', count: 20, answer: 'take' }));
    await settled(services);
    expect(await rows()).toHaveLength(20);
  });
});

describe('deleted there on purpose', () => {
  const people = () => world.cards.store.of('people').list({}, { limit: 100 });

  test('whom somebody deleted isn’t made again unasked; it is when asked for, or stays gone for good', async () => {
    const cards = await connectCards(world, services);
    const id = await customersToPeople(services, connected, cards);
    const [one, two] = [
      added('one@clay.example'),
      world.shop.store.add(
        customer({ first_name: 'Zoë', last_name: 'Quist', email: 'zoe@quist.example', phone: '07700 900 123' }),
      ),
    ];
    await goLive(services, id);
    expect(people()).toHaveLength(2);
    for (const { id: card } of people()) world.cards.store.of('people').remove(card);
    world.shop.store.change(one.id, { last_name: 'Holm' });
    world.shop.store.change(two.id, { last_name: 'Quist-Field' });
    await checkNow(services, id);
    const open = await services.db
      .selectFrom('item')
      .select(['id', 'cause', 'source_id'])
      .where('state', '=', 'unsettled')
      .orderBy('seq')
      .execute();
    expect(open.map(({ cause }) => cause)).toEqual(['gone', 'gone']);
    expect(people()).toEqual([]);
    await decide(services, open[0]?.id ?? '', { kind: 'new', step: 'person' });
    await decide(services, open[1]?.id ?? '', { kind: 'leave_gone', step: 'person' });
    expect(people().map(({ attributes }) => attributes['lastName'])).toEqual(['Holm']);
    // What was said is remembered.
    world.shop.store.change(one.id, { last_name: 'Marsh' });
    world.shop.store.change(two.id, { last_name: 'Stone' });
    await checkNow(services, id);
    expect(people().map(({ attributes }) => attributes['lastName'])).toEqual(['Marsh']);
    expect(await services.db.selectFrom('item').select('id').where('state', '=', 'unsettled').execute()).toEqual([]);
  });
});

describe('everything stopped', () => {
  test('nothing is asked, woken or sent, over a restart too; what came meanwhile is taken in afterwards', async () => {
    const id = await workflow();
    await goLive(services, id);
    await services.engine.stopEverything('stock-taking');
    added('meanwhile@clay.example');
    const { requests } = world.shop.state;
    await nextAsk();
    await expect(services.engine.checkNow(id)).rejects.toThrow('stock-taking');
    await services.drop();
    services = await openServices(world, { seams: clock().next() });
    await services.engine.resume();
    await nextAsk();
    expect(services.stopSwitch.now).toMatchObject({ why: 'stock-taking' });
    expect(world.shop.state.requests).toBe(requests);
    await services.engine.goOn();
    await nextAsk();
    expect(await mails()).toEqual(['meanwhile@clay.example']);
  });

  test('what is under way ends, and what waits goes on where it stood', async () => {
    const id = await workflow();
    addCustomers(world, 300);
    const begun = new Promise<void>((resolve) => {
      // The first that are under way: all of them would go into one replacement of the file.
      clock().onReach = (point) => point === 'claim:after-store' && resolve();
    });
    await services.engine.makeLive(id);
    await begun;
    await services.engine.stopEverything('');
    await services.engine.quiet();
    const there = (await rows()).length;
    expect(there).toBeLessThan(300);
    await nextAsk();
    expect(await rows()).toHaveLength(there);
    await services.engine.goOn();
    await services.engine.quiet();
    await settled(services);
    expect(new Set(await mails()).size).toBe(300);
    expect(await rows()).toHaveLength(300);
  });
});

test('after a pause of the machine it is told since when, and what was caught up', async () => {
  const id = await workflow();
  await goLive(services, id);
  await services.engine.tick();
  expect(await afterDowntime(services.db, services.seams.now())).toBeNull();
  await services.drop();
  addCustomers(world, 3);
  const seams = clock().next();
  seams.pass(day);
  services = await openServices(world, { seams });
  await services.engine.resume();
  await nextAsk();
  const off = await afterDowntime(services.db, services.seams.now());
  expect(off).toMatchObject({ caughtUp: 3, on: 1, asked: 1 });
  expect(Date.parse(off?.to ?? '') - Date.parse(off?.from ?? '')).toBeGreaterThanOrEqual(day);
});

describe('the process ends', () => {
  const next = async () => {
    services = await openServices(world, { seams: clock().next() });
    await services.engine.resume();
    await settled(services);
  };

  /** Lets the process end at a point, and the next one take over. */
  async function endAt(point: (typeof pointsOfTakingIn)[number], work: () => Promise<unknown>): Promise<void> {
    const ended = dropAt(services, point);
    void work().catch(() => undefined);
    await ended;
    await next();
    await nextAsk();
  }

  test.each(pointsOfTakingIn)('at %s: nothing is lost, doubled or asked twice', async (point) => {
    const gather = { records: 50, minutes: 30 };
    const id = await workflow({ holdsAbove: 20, ...(point === 'gathered:after-store' && { gather }) });
    addCustomers(world, 3);
    if (point === 'go-live:after-store') await endAt(point, () => services.engine.makeLive(id));
    else await goLive(services, id);
    if (point === 'gathered:after-store') {
      clock().pass(31 * minute);
      await endAt(point, () => services.engine.tick());
    }
    expect(await rows()).toHaveLength(3);
    if (point !== 'consent:after-store') return;
    addCustomers(world, 25, 100);
    await checkNow(services, id);
    await endAt(point, () => services.engine.letIn(id, { kind: 'surge', count: 25, answer: 'take' }));
    expect(await rows()).toHaveLength(28);
    expect(new Set(await mails()).size).toBe(28);
  });
});

test.each([
  // Midnight on 10 November in New York is 05:00 UTC; in Auckland it is 11:00 UTC on the day before.
  ['America/New_York', ['2026-11-10T05:30:00.000Z'], ['2026-11-10T04:30:00.000Z']],
  ['Pacific/Auckland', ['2026-11-09T11:30:00.000Z'], ['2026-11-09T10:30:00.000Z']],
])(
  '“since” begins at midnight by the clock of %s, in the books and in what is shown before',
  async (zone, taken, left) => {
    for (const at of [...taken, ...left])
      world.shop.store.add(customer({ email: `a${at.slice(8, 13)}@clay.example` }), at);
    const id = await workflow({ fromWhen: { kind: 'since', at: '2026-11-10' } });
    const { draft, draftRev } = await services.workflows.get(id);
    await services.workflows.saveDraft(id, { ...draft, zone }, draftRev);
    const shown = await services.engine.sources.count(draft.start, zone);
    expect(shown.days.filter(({ day }) => day >= '2026-11-10')).toEqual([{ day: '2026-11-10', count: 1 }]);
    await goLive(services, id);
    expect(await mails()).toEqual(taken.map((at) => `a${at.slice(8, 13)}@clay.example`.toLowerCase()));
  },
);

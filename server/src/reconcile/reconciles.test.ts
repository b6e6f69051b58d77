import type { RepairPlan } from '@golden/core';
import { makeApi } from '../api/app.ts';
import { copyBetween } from '../building/copies.ts';
import type { Services } from '../services.ts';
import { tellerParts } from '../telling/parts.ts';
import { goLive, settled, unbalanced } from '../testing/checks.ts';
import type { TestClock } from '../testing/clock.ts';
import { dropAt, pointsOfRepairs } from '../testing/drop.ts';
import {
  type Connected,
  connectBoth,
  connectLedger,
  customer,
  openServices,
  openWorld,
  type World,
} from '../testing/world.ts';

let world: World;
let services: Services;
let connected: Connected;
let ledger: string;
let api: ReturnType<typeof makeApi>;
let workflow: string;

async function ask<T>(method: string, path: string, body?: unknown): Promise<T> {
  const response = await api.request(path, {
    method,
    headers: { host: 'localhost', 'content-type': 'application/json' },
    ...(body !== undefined && { body: JSON.stringify(body) }),
  });
  const answer = await response.json();
  if (!response.ok) throw new Error(answer.detail);
  return answer as T;
}

interface View {
  readonly state: string;
  readonly message: string | null;
  readonly figures: Record<string, number> & { byField: Record<string, number> };
  readonly fields: { path: string; label: string; leadsBack: boolean; as: string }[];
  readonly repairs: { workflow: string; records: number; run: string | null }[];
}
interface Row {
  readonly kind: string;
  readonly title: string;
  readonly left: { id: string }[];
  readonly right: { id: string }[];
  readonly differences: { path: string; left: unknown; right: unknown }[];
  readonly why: string | null;
}

const books = () => world.ledger.store.customers;
const retail = () => books().list({ company: 'retail' }, { limit: 1000 });
const shop = () => world.shop.store;
const customers = () => shop().page(1000, undefined, undefined, undefined).data;

/** Sixty customers of the shop, each with another way of writing things, brought into the Ledger by a live workflow. */
beforeEach(async () => {
  world = await openWorld();
  services = await openServices(world);
  connected = await connectBoth(world, services);
  ledger = await connectLedger(world, services);
  api = makeApi(services);
  for (let at = 1; at <= 60; at++)
    shop().add(
      customer({
        first_name: at % 7 === 0 ? ' Zoë ' : 'Ada',
        last_name: `Ó Nair ${at}`,
        email: at % 5 === 0 ? `ADA${at}@Clay.example` : `ada${at}@clay.example`,
        phone: at % 4 === 0 ? null : `01632 960 ${100 + at}`,
      }),
    );
  const place = (connection: string, path: string[]) => ({ connection, path, labels: path });
  const content = await copyBetween(
    services,
    place(connected.shop, ['customers']),
    place(ledger, ['retail', 'customers']),
    'all_in_step',
  );
  workflow = (await services.workflows.add(content)).id;
  await goLive(services, workflow);
  expect(retail()).toHaveLength(60);
});
afterEach(async () => {
  await services.close();
  await world.close();
});

async function compared(id: string): Promise<View> {
  await services.reconciles.wait(id);
  return ask<View>('GET', `/api/reconciles/${id}`);
}

async function compareWorkflow(): Promise<string> {
  const proposal = await ask<{ name: string; setting: object }>('POST', '/api/reconciles/propose', {
    kind: 'workflow',
    workflow,
  });
  const { id } = await ask<{ id: string }>('POST', '/api/reconciles', proposal);
  return id;
}

async function again(id: string): Promise<View> {
  await ask('POST', `/api/reconciles/${id}/again`);
  return compared(id);
}

const rowsOf = (id: string, query = ''): Promise<Row[]> => ask('GET', `/api/reconciles/${id}/rows?limit=500${query}`);

/** What people did in the Ledger by hand: eight are gone, five altered, two copied, one added. */
function meddle(): { readonly gone: string[]; readonly altered: string[] } {
  const there = retail();
  const gone = there.slice(0, 8);
  for (const { id } of gone) books().remove(id);
  const altered = there.slice(10, 15);
  for (const { id, telephone } of altered) books().change(id, { telephone: `${telephone ?? '+44163296010'}9` });
  const added = (one: (typeof there)[number], more: object = {}): void => {
    const {
      id: _id,
      createdAt: _createdAt,
      updatedAt: _updatedAt,
      ...content
    } = one as typeof one & Record<string, unknown>;
    books().add({ ...content, ...more } as never);
  };
  for (const one of there.slice(20, 22)) added(one);
  added(there[0] as (typeof there)[number], { name: 'Only There', electronicMail: 'only@there.example' });
  const mail = (one: { electronicMail: string | null }): string => (one.electronicMail ?? '').toLowerCase();
  return { gone: gone.map(mail), altered: altered.map(mail) };
}

const putRight: RepairPlan = { makesThere: true, makesHere: false, fields: {}, empties: false };
const allFromHere = ({ fields }: View): RepairPlan => ({
  ...putRight,
  fields: Object.fromEntries(fields.map(({ path }) => [path, 'from_here' as const])),
  // Some have no telephone in the shop.
  empties: true,
});

test('what a workflow brought there agrees, though the Ledger writes some of it its own way', async () => {
  const { state, figures } = await compared(await compareWorkflow());
  expect(state).toBe('done');
  expect(figures).toMatchObject({ left: 60, right: 60, agree: 60, differ: 0, onlyLeft: 0, onlyRight: 0, doubled: 0 });
});

test('what is gone, altered, doubled and added by hand is found exactly, put right, and then nothing is found', async () => {
  const { gone, altered } = meddle();
  const id = await compareWorkflow();
  const view = await compared(id);
  expect(view.figures).toMatchObject({
    left: 60,
    right: 55,
    agree: 45,
    differ: 5,
    onlyLeft: 8,
    onlyRight: 1,
    doubled: 2,
    doubledLeft: 2,
    doubledRight: 4,
    unclear: 0,
  });
  const rows = await rowsOf(id);
  const shopMail = (row: Row): string => shop().get(Number(row.left[0]?.id))?.email?.toLowerCase() ?? '';
  expect(
    rows
      .filter(({ kind }) => kind === 'only_left')
      .map(shopMail)
      .sort(),
  ).toEqual([...gone].sort());
  expect(
    rows
      .filter(({ kind }) => kind === 'differ')
      .map(shopMail)
      .sort(),
  ).toEqual([...altered].sort());
  expect(rows.find(({ kind }) => kind === 'only_left')?.why).toBe('was delivered, and isn’t there any more');
  expect(Object.values(view.figures.byField)).toEqual([5]);
  const [path = ''] = Object.keys(view.figures.byField);
  expect(await rowsOf(id, `&kind=differ&field=${encodeURIComponent(path)}`)).toHaveLength(5);
  const { name, bytes } = await ask<{ name: string; bytes: string }>('GET', `/api/reconciles/${id}/export`);
  expect(name).toMatch(/\.csv$/);
  expect(Buffer.from(bytes, 'base64').toString('utf8').trim().split('\r\n')).toHaveLength(1 + 5 + 8 + 1 + 2);

  // The plan is a rehearsal: nothing is written by it.
  const { writes } = world.ledger.state;
  const { workflows } = await ask<{ workflows: string[] }>('POST', `/api/reconciles/${id}/repair`, allFromHere(view));
  expect(workflows).toHaveLength(1);
  await settled(services);
  const rehearsal = await until(() =>
    ask<{ state: string; total: number; message: string | null }>('GET', `/api/workflows/${workflows[0]}/rehearsal`),
  );
  expect(rehearsal).toMatchObject({ state: 'done', total: 13, message: null });
  const sheet = await ask<{ state: string; detail: { steps: Record<string, { outcome?: string }> } }[]>(
    'GET',
    `/api/workflows/${workflows[0]}/rehearsal/items?from=0&limit=100`,
  );
  const outcomes = sheet.flatMap(({ detail }) => Object.values(detail.steps).map(({ outcome }) => outcome));
  expect([outcomes.filter((one) => one === 'new').length, outcomes.filter((one) => one === 'changed').length]).toEqual([
    8, 5,
  ]);
  expect(world.ledger.state.writes).toBe(writes);

  const { runs } = await ask<{ runs: { run: string }[] }>('POST', `/api/reconciles/${id}/repair/carry-out`);
  await services.engine.finish(runs[0]?.run ?? '');
  await settled(services);
  expect(await unbalanced(services)).toEqual([]);
  // The truth from outside: each customer of the shop is in the Ledger with its own number, without our tables.
  for (const one of customers()) {
    const same = retail().filter((there) => there.electronicMail?.toLowerCase() === one.email?.toLowerCase());
    expect(same.length).toBeGreaterThan(0);
    for (const { telephone } of same)
      expect((telephone ?? '').replace(/\D/g, '').slice(-9)).toBe((one.phone ?? '').replace(/\D/g, '').slice(-9));
  }
  const repaired = await again(id);
  expect(repaired.figures).toMatchObject({ agree: 58, differ: 0, onlyLeft: 0, onlyRight: 1, doubled: 2 });
  expect(repaired.repairs).toMatchObject([{ records: 13, run: runs[0]?.run }]);

  // What is doubled there is made one, and can be put back.
  const search = await ask<{ id: string }>('POST', `/api/reconciles/${id}/duplicates`);
  expect(await ask('POST', `/api/duplicates/${search.id}/settle-above`, { line: 0.9, usual: 'most_complete' })).toEqual(
    { merged: 2, left: 0 },
  );
  expect((await again(id)).figures).toMatchObject({ agree: 60, differ: 0, onlyLeft: 0, onlyRight: 1, doubled: 0 });
});

test('by field: one from there, one from here, one by who changed last; what is only there is made here', async () => {
  const [first, second, third] = retail();
  books().change(first?.id ?? 0, { telephone: '+441632960901' });
  books().change(second?.id ?? 0, { electronicMail: 'new@there.example' });
  books().change(third?.id ?? 0, { electronicMail: 'third@there.example', telephone: '+441632960903' });
  const id = await compareWorkflow();
  const view = await compared(id);
  expect(view.figures).toMatchObject({ differ: 3, onlyLeft: 0, onlyRight: 0 });
  const pathOf = (label: RegExp): string => view.fields.find((one) => label.test(one.label))?.path ?? '';
  const plan: RepairPlan = {
    makesThere: false,
    makesHere: false,
    fields: { [pathOf(/phone/)]: 'from_there', [pathOf(/mail/)]: 'from_here' },
    empties: false,
  };
  const { workflows } = await ask<{ workflows: string[] }>('POST', `/api/reconciles/${id}/repair`, plan);
  expect(workflows).toHaveLength(2);
  for (const one of workflows) await services.engine.rehearsals.wait(one);
  const { runs } = await ask<{ runs: { run: string }[] }>('POST', `/api/reconciles/${id}/repair/carry-out`);
  for (const { run } of runs) await services.engine.finish(run);
  await settled(services);
  expect((await again(id)).figures).toMatchObject({ differ: 0, agree: 60 });
  // Names, and whoever did not differ, are as they were.
  expect(retail()[1]?.electronicMail).not.toBe('new@there.example');
  expect(customers().filter(({ phone }) => /960 ?90[13]/.test(phone ?? ''))).toHaveLength(2);
  expect(await unbalanced(services)).toEqual([]);
});

test('a plan that changes nothing is refused; a later plan replaces an earlier one; one that is carried out stays', async () => {
  meddle();
  const id = await compareWorkflow();
  const view = await compared(id);
  await expect(ask('POST', `/api/reconciles/${id}/repair`, { ...putRight, makesThere: false })).rejects.toThrow(
    'Nothing would be changed so.',
  );
  await ask('POST', `/api/reconciles/${id}/repair`, allFromHere(view));
  const { workflows } = await ask<{ workflows: string[] }>('POST', `/api/reconciles/${id}/repair`, putRight);
  for (const one of workflows) await services.engine.rehearsals.wait(one);
  expect((await compared(id)).repairs).toMatchObject([{ records: 8, run: null }]);
  await expect(ask('POST', `/api/reconciles/none/repair/carry-out`)).rejects.toThrow('No repair is planned.');
});

async function until<T extends { state: string }>(read: () => Promise<T>): Promise<T> {
  for (;;) {
    const now = await read();
    if (now.state !== 'running') return now;
    await new Promise((resolve) => setImmediate(resolve));
  }
}

test.each([...pointsOfRepairs, 'intent:after-store', 'send:after', 'result:after-store'] as const)(
  'killed at %s while it is put right: carried on, each is there once and right',
  async (point) => {
    const { gone } = meddle();
    const id = await compareWorkflow();
    const { workflows } = await ask<{ workflows: string[] }>(
      'POST',
      `/api/reconciles/${id}/repair`,
      allFromHere(await compared(id)),
    );
    for (const one of workflows) await services.engine.rehearsals.wait(one);
    const dropped = dropAt(services, point, point.startsWith('repair') ? 0 : 2);
    await ask('POST', `/api/reconciles/${id}/repair/carry-out`).catch(() => undefined);
    await dropped;
    services = await openServices(world);
    api = makeApi(services);
    await services.engine.resume();
    await ask('POST', `/api/reconciles/${id}/repair/carry-out`).catch((error: Error) => {
      expect(error.message).toBe('No repair is planned. Plan it first.');
    });
    await settled(services);
    expect(await unbalanced(services)).toEqual([]);
    for (const mail of gone)
      expect(retail().filter(({ electronicMail }) => electronicMail?.toLowerCase() === mail)).toHaveLength(1);
    expect((await again(id)).figures).toMatchObject({ agree: 58, differ: 0, onlyLeft: 0, onlyRight: 1, doubled: 2 });
  },
);

test('looked at each day at its time: what has drifted is told on Today and by mail once, until both sides are the same', async () => {
  const id = await compareWorkflow();
  await compared(id);
  const clock = services.seams as TestClock;
  await expect(ask('PUT', `/api/reconciles/${id}/daily`, { at: '25:00' })).rejects.toThrow();
  await ask('PUT', `/api/reconciles/${id}/daily`, { at: '06:00' });
  const told = async () => (await tellerParts(services).needs()).map(({ message }) => message);
  const today = async () => (await ask<{ drifted: { id: string; says: string }[] }>('GET', '/api/today')).drifted;
  const day = 24 * 60 * 60_000;
  const { id: gone } = retail()[3] as { id: number };
  books().remove(gone);
  await services.reconciles.lookDue();
  expect(await today()).toEqual([]);
  clock.pass(day);
  await services.reconciles.lookDue();
  await services.reconciles.wait(id);
  expect(await today()).toMatchObject([{ id, says: '1 only here' }]);
  expect(await told()).toEqual(['The two sides are not the same: 1 only here.']);
  // Not again before its time.
  await ask('POST', `/api/reconciles/${id}/repair`, putRight);
  await ask('POST', `/api/reconciles/${id}/repair/carry-out`);
  await settled(services);
  await services.reconciles.lookDue();
  expect(await today()).toHaveLength(1);
  clock.pass(day);
  await services.reconciles.lookDue();
  await services.reconciles.wait(id);
  expect([await today(), await told()]).toEqual([[], []]);
  await ask('PUT', `/api/reconciles/${id}/daily`, { at: null });
  expect(await compared(id)).toMatchObject({ dailyAt: null });
});

test('a file is a side too: somebody’s list against the shop; it is compared, and never written into', async () => {
  const lines = customers().map(({ id, first_name, last_name, email, phone }) =>
    [id, `${first_name?.trim()} ${last_name}`, email, phone ?? ''].join(','),
  );
  // Two are missing in the list, three have another number, one stands there twice, one is nobody's.
  const list = lines.slice(2).map((line, at) => (at < 3 ? line.replace(/[^,]*$/, '01632 960 999') : line));
  const text = ['Number,Name,E-mail,Phone', ...list, list[9], '99,Only There,only@there.example,'].join('\n');
  const file = await ask<{ connection: string; path: string[]; labels: string[] }>('POST', '/api/lists/place', {
    name: 'From the old till.csv',
    bytes: Buffer.from(text).toString('base64'),
  });
  const { connection, path, labels } = file;
  const proposal = await ask<{ name: string; setting: object }>('POST', '/api/reconciles/propose', {
    kind: 'places',
    from: { connection: connected.shop, path: ['customers'], labels: ['Customers'] },
    to: { connection, path, labels },
  });
  const { id } = await ask<{ id: string }>('POST', '/api/reconciles', proposal);
  const view = await compared(id);
  expect(view).toMatchObject({ state: 'done', message: null });
  expect(view.figures).toMatchObject({ left: 60, right: 60, onlyLeft: 2, onlyRight: 1, doubled: 1, differ: 3 });
  await expect(ask('POST', `/api/reconciles/${id}/repair`, allFromHere(view))).rejects.toThrow('is only compared');
  const kept = await ask<Row[]>('GET', `/api/reconciles/${id}/rows?limit=500&kind=only_left`);
  expect(kept.map(({ left }) => left[0]?.id).sort()).toEqual(
    customers()
      .slice(0, 2)
      .map(({ id: one }) => String(one))
      .sort(),
  );
});

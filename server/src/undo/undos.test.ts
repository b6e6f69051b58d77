import type { WriteStep } from '@golden/core';
import fc from 'fast-check';
import { productAroundEach } from '../testing/around.ts';
import { balanceNow, checkNow, decide, goLive, settled, unbalanced } from '../testing/checks.ts';
import type { TestClock } from '../testing/clock.ts';
import { dropAt, pointsOfUndoing } from '../testing/drop.ts';
import { customersToApp, type PeopleApp, type Person, peopleApp, peopleDescription } from '../testing/people-app.ts';
import { customer, openServices, rowsOf } from '../testing/world.ts';
import { countUndo } from './undos.ts';

// A run is undone. The truth is looked for in the app: who was written by the run and touched by nobody is gone, or as
// before; whom somebody touched stands as they left it; nobody else is touched.

const around = productAroundEach();
const descriptions = [peopleDescription('lookup')];
let app: PeopleApp;
let workflow: string;
let connection: string;

beforeEach(async () => {
  app = await peopleApp();
  around.services = await openServices(around.world, { descriptions });
});
afterEach(() => app.at.close());

/** A second step, which writes another record: under its name in place of the address. */
async function addSecond(described: object): Promise<void> {
  const { draft, draftRev } = await around.services.workflows.get(workflow);
  const [one] = draft.steps as WriteStep[];
  if (!one?.target) throw new Error('There is no first step.');
  const words = { kind: 'text' as const, parts: [{ kind: 'words' as const, text: 'two' }], tidies: [] };
  const { key: _key, ...plain } = one;
  const second: WriteStep = {
    ...plain,
    id: 'two',
    mode: 'append',
    target: { ...one.target, described: { ...one.target.described, ...described } },
    mapping: { '/email': words, '/name': words },
  };
  await around.services.workflows.saveDraft(workflow, { ...draft, steps: [one, second] }, draftRev);
}

const everything = { used: true, sent: true };
const person = (no: number): Person => app.people.find(({ email }) => email === `p${no}@clay.example`) as Person;
const items = () => around.services.db.selectFrom('item').selectAll().orderBy('seq').execute();
const states = async () => (await items()).map(({ state }) => state);

/** So many customers of the shop are copied to the app, each the first time by one run; gives that. */
async function copied(
  count: number,
  wishes: Parameters<typeof customersToApp>[4] = { on: 'added_or_changed' },
): Promise<string> {
  for (let no = 1; no <= count; no++)
    around.world.shop.store.add(customer({ email: `p${no}@clay.example`, first_name: `Ada ${no}` }));
  ({ workflow, connection } = await customersToApp(around.services, around.connected, app, 'lookup', wishes));
  return goLive(around.services, workflow);
}

/** A later run that brings other names of some customers. */
async function renamed(numbers: readonly number[], name: string): Promise<string> {
  const { store } = around.world.shop;
  for (const no of numbers) {
    const [one] = store.page(1, undefined, undefined, `p${no}@clay.example`).data;
    store.change(one?.id ?? 0, { first_name: `${name} ${no}` });
  }
  return checkNow(around.services, workflow);
}

async function looked(run: string): Promise<string> {
  const { undos } = around.services;
  const id = await undos.look(run);
  await undos.wait(id);
  return id;
}

async function undone(id: string, wish = everything, without: readonly string[] = []): Promise<void> {
  const { undos } = around.services;
  await undos.carryOut(id, wish, without);
  await undos.wait(id);
}

const counted = (id: string) => countUndo(around.services.db, id);
const rows = (id: string) =>
  around.services.db.selectFrom('undo_row').selectAll().where('undo_id', '=', id).orderBy('at').execute();

test('a run goes back as a whole but for what somebody changed since; sent again it is there as before', async () => {
  const run = await copied(12);
  expect(app.people).toHaveLength(12);
  person(3).name = 'Zoë by hand';
  person(4).ref = 'a note by hand';
  app.people.splice(app.people.indexOf(person(7)), 1);
  const asked = app.asked.length;
  const id = await looked(run);
  expect(app.asked.slice(asked).every((one) => one.startsWith('GET'))).toBe(true);
  expect(await counted(id)).toMatchObject({ kinds: { back: 10, changed: 2 }, looked: 12, done: 0 });
  const changed = (await rows(id))
    .filter(({ kind }) => kind === 'changed')
    .map(({ found }) => JSON.parse(found).fields);
  expect(changed).toEqual([
    [{ path: '/ref', label: 'ref', written: null, now: 'a note by hand' }],
    [{ path: '/name', label: 'name', written: 'Ada 3', now: 'Zoë by hand' }],
  ]);
  await undone(id);
  expect(app.people.map(({ name, ref }) => [name, ref])).toEqual([
    ['Zoë by hand', null],
    ['Ada 4', 'a note by hand'],
  ]);
  expect(await counted(id)).toMatchObject({ looked: 2, chosen: 0, done: 10, stays: 0 });
  // Undone is told apart from cancelled, and the books add up.
  const { items: sums } = await balanceNow(around.services, run);
  expect(sums).toMatchObject({ undone: 10, delivered: 2, cancelled: 0 });
  expect(await unbalanced(around.services)).toEqual([]);
  // It doesn't come again by itself.
  await checkNow(around.services, workflow);
  expect(app.people).toHaveLength(2);
  const again = await around.services.undos.sendAgain(id);
  await around.services.engine.finish(again);
  await settled(around.services);
  expect(app.people).toHaveLength(12);
  expect([person(3).name, person(4).ref]).toEqual(['Zoë by hand', 'a note by hand']);
  await expect(around.services.undos.carryOut(id, everything)).rejects.toThrow('Look at what would go back first.');
});

test('a later run is undone first: names are as before; the first run goes back only then', async () => {
  const first = await copied(4);
  const second = await renamed([1, 2], 'Bea');
  expect(person(1).name).toBe('Bea 1');
  const early = await looked(first);
  expect(await counted(early)).toMatchObject({ kinds: { back: 2, changed: 2 } });
  const late = await looked(second);
  expect(await counted(late)).toMatchObject({ kinds: { back: 2 } });
  await undone(late);
  expect([person(1).name, person(2).name]).toEqual(['Ada 1', 'Ada 2']);
  await expect(around.services.undos.carryOut(late, everything)).rejects.toThrow();
  await undone(await looked(first));
  expect(app.people).toEqual([]);
  expect(await unbalanced(around.services)).toEqual([]);
});

test('records that one run wrote to several times go back one write after the other, the last first', async () => {
  const { store } = around.world.shop;
  for (const name of ['Ada 1', 'Bea 1', 'Cleo 1']) store.add(customer({ email: 'p1@clay.example', first_name: name }));
  const run = await copied(2);
  expect(app.people.map(({ email }) => email)).toEqual(['p1@clay.example', 'p2@clay.example']);
  const id = await looked(run);
  const { kinds } = await counted(id);
  expect(kinds.changed).toBe(0);
  expect(kinds.back).toBeGreaterThan(2);
  await undone(id);
  expect(app.people).toEqual([]);
  expect(await counted(id)).toMatchObject({ stays: 0, chosen: 0 });
  expect(await unbalanced(around.services)).toEqual([]);
});

test('what something else was made of stays unless it is wanted; chosen ones stay as they are', async () => {
  const run = await copied(3);
  const { services, connected, world } = around;
  // Another workflow brings the app's people onto a list; it knows them by the ids that the run gave them.
  const { customersWorkflow, placeOf, fieldFilling } = await import('../testing/world.ts');
  const other = await customersWorkflow(services, connected, { mode: 'append' });
  const { draft, draftRev } = await services.workflows.get(other);
  const source = await placeOf(services, connection, ['people']);
  const [write] = draft.steps;
  const content = {
    ...draft,
    start: { ...draft.start, source, takes: 'everything' as const },
    steps: [{ ...write, mapping: { '/Name': fieldFilling('/name') } }],
  };
  await services.workflows.saveDraft(other, content as typeof draft, draftRev);
  await goLive(services, other);
  expect(await rowsOf(world.shelf.files.get('customers.xlsx')?.bytes ?? Buffer.alloc(0), 'Customers')).toHaveLength(3);
  app.people.push({ id: 'by-hand', email: 'hand@clay.example', name: 'By hand', ref: null });
  const id = await looked(run);
  expect(await counted(id)).toMatchObject({ kinds: { used: 3, back: 0 } });
  const [first] = await rows(id);
  expect(JSON.parse(first?.found ?? '').used).toMatchObject([{ workflowId: other, how: 'began' }]);
  await expect(undone(id, { used: false, sent: true })).rejects.toThrow('Nothing would go back so.');
  await undone(id, everything, [first?.item_id ?? '']);
  expect(app.people.map(({ name }) => name)).toEqual(['Ada 3', 'By hand']);
});

test('an app that is out holds it up, and it goes on by itself; stopped, it can be carried on', async () => {
  const run = await copied(6);
  const id = await looked(run);
  const { undos, engine } = around.services;
  let deletes = 0;
  app.before = (c) => {
    if (c.req.method !== 'DELETE') return undefined;
    deletes += 1;
    return deletes > 2 ? c.json({ detail: 'out' }, 503) : undefined;
  };
  await undone(id);
  expect(await undos.get(id)).toMatchObject({ state: 'waiting' });
  expect(await counted(id)).toMatchObject({ done: 2, chosen: 4 });
  app.before = () => undefined;
  await engine.retryConnection(connection);
  await settled(around.services);
  await undos.goOn();
  await undos.wait(id);
  expect(await undos.get(id)).toMatchObject({ state: 'done', message: null });
  expect(app.people).toEqual([]);

  const again = await undos.sendAgain(id);
  await engine.finish(again);
  await settled(around.services);
  const next = await looked(again);
  let stopping: Promise<void> | undefined;
  app.after = () => undefined;
  app.before = (c) => {
    if (c.req.method === 'DELETE') stopping ??= undos.stop(next);
    return undefined;
  };
  await undone(next);
  await stopping;
  expect(await undos.get(next)).toMatchObject({ state: 'stopped' });
  expect(app.people).toHaveLength(5);
  app.before = () => undefined;
  await undone(next);
  expect(app.people).toEqual([]);
  expect(await unbalanced(around.services)).toEqual([]);
});

test.each([...pointsOfUndoing, 'take-back:after-store', 'take-back:after-send', 'take-back:before-result'] as const)(
  'killed at %s in the middle of it: it goes on by itself, and nobody else is touched',
  async (point) => {
    const run = await copied(5);
    person(2).name = 'by hand';
    const id = await looked(run);
    const dropped = dropAt(around.services, point, point === 'undo:after-begin' ? 0 : 1);
    await around.services.undos.carryOut(id, everything).catch(() => undefined);
    await dropped;
    around.services = await openServices(around.world, {
      descriptions,
      seams: (around.services.seams as TestClock).next(),
    });
    await around.services.engine.resume();
    await settled(around.services);
    for (let rounds = 0; rounds < 5; rounds++) {
      await around.services.undos.goOn();
      await around.services.undos.wait(id);
    }
    expect(await around.services.undos.get(id)).toMatchObject({ state: 'done' });
    expect(app.people.map(({ name }) => name)).toEqual(['by hand']);
    expect((await states()).sort()).toEqual(['delivered', 'undone', 'undone', 'undone', 'undone']);
    const deletes = app.asked.filter((one) => one.startsWith('DELETE'));
    expect(new Set(deletes).size).toBe(4);
    expect(await unbalanced(around.services)).toEqual([]);
  },
);

describe('what goes back is what was written, whatever its steps came to', () => {
  test('a change that was read back otherwise, and taken as it stands', async () => {
    await copied(1);
    app.writes = (name) => `${name.slice(0, 3)} (cut)`;
    const run = await renamed([1], 'Beatrice');
    const item = (await items()).at(-1);
    expect(item?.state).toBe('unsettled');
    await decide(around.services, item?.id ?? '', { kind: 'accept', step: 'list' });
    expect(person(1).name).toBe('Bea (cut)');
    app.writes = (name) => name;
    await undone(await looked(run));
    expect(person(1).name).toBe('Ada 1');
  });

  test('a record that stands although its step needs somebody, beside one that is delivered', async () => {
    app.writes = (name) => (name.startsWith('two') ? 'cut' : name);
    const { store } = around.world.shop;
    store.add(customer({ email: 'p1@clay.example', first_name: 'Ada' }));
    ({ workflow, connection } = await customersToApp(around.services, around.connected, app, 'lookup', {
      writes: ['one'],
    }));
    await addSecond({});
    const run = await goLive(around.services, workflow);
    expect(await states()).toEqual(['unsettled']);
    expect(app.people).toHaveLength(2);
    await undone(await looked(run));
    expect(app.people).toEqual([]);
    expect(await states()).toEqual(['undone']);
  });

  test('a record that was made, and changed once more before it was right, goes as a whole', async () => {
    app.writes = (name) => `${name.slice(0, 3)} (cut)`;
    const run = await copied(1);
    const [item] = await items();
    expect(item?.state).toBe('unsettled');
    app.writes = (name) => name;
    await decide(around.services, item?.id ?? '', { kind: 'set', step: 'list', values: { '/name': 'Bea' } });
    expect(await states()).toEqual(['delivered']);
    expect(app.people.map(({ name }) => name)).toEqual(['Bea']);
    await undone(await looked(run));
    expect(app.people).toEqual([]);
  });

  test('nothing of a record goes back where a part of it can’t: none is left half', async () => {
    const run = await copied(1, { writes: ['one', 'two'] });
    // Both write the same record, so the second is what stands there.
    expect(app.people.map(({ name }) => name)).toEqual(['two Ada 1']);
    person(1).name = 'by hand';
    const [item] = await items();
    await expect(around.services.engine.takeBack(item?.id ?? '')).rejects.toThrow('Somebody changed name');
    expect(await counted(await looked(run))).toMatchObject({ kinds: { changed: 1 } });
    const back = around.services.db.selectFrom('write').select('token').where('purpose', '=', 'take_back');
    expect(await back.where('status', '!=', 'void').execute()).toEqual([]);
    expect(person(1).name).toBe('by hand');
  });
});

test('what has gone out stays out: the rest goes back only if that is wanted', async () => {
  const { store } = around.world.shop;
  store.add(customer({ email: 'p1@clay.example', first_name: 'Ada' }));
  ({ workflow, connection } = await customersToApp(around.services, around.connected, app, 'lookup', {
    writes: ['one'],
  }));
  await addSecond({ sentTo: { to: '/email', copies: [], subject: '/name' } });
  const run = await goLive(around.services, workflow);
  expect(await states()).toEqual(['delivered']);
  const id = await looked(run);
  expect(await counted(id)).toMatchObject({ kinds: { sent: 1, back: 0 } });
  await expect(undone(id, { used: true, sent: false })).rejects.toThrow('Nothing would go back so.');
  const [item] = await items();
  await expect(around.services.engine.takeBack(item?.id ?? '')).rejects.toThrow('What has gone out');
  await undone(id);
  expect(app.people.map(({ email }) => email)).toEqual(['two']);
  expect((await rows(id)).map(({ state, message }) => [state, message])).toEqual([
    ['done', 'What has gone out stays sent.'],
  ]);
});

test('a run that is under way isn’t undone; neither is one twice at the same time', async () => {
  const run = await copied(3);
  await around.services.db.updateTable('run').set({ state: 'working' }).where('id', '=', run).execute();
  await expect(around.services.undos.look(run)).rejects.toThrow('still under way');
  await around.services.db.updateTable('run').set({ state: 'done' }).where('id', '=', run).execute();
  const id = await looked(run);
  const both = await Promise.allSettled([
    around.services.undos.carryOut(id, everything),
    around.services.undos.carryOut(id, everything),
  ]);
  expect(both.filter(({ status }) => status === 'fulfilled')).toHaveLength(1);
  await around.services.undos.wait(id);
  expect(app.asked.filter((one) => one.startsWith('DELETE'))).toHaveLength(3);
});

// The law: whoever works in the app meanwhile, whatever is undone and sent again in whatever order.
type Deed =
  | { readonly do: 'rename'; readonly no: number }
  | { readonly do: 'edit'; readonly no: number }
  | { readonly do: 'delete'; readonly no: number }
  | { readonly do: 'undo'; readonly at: number; readonly drops: boolean }
  | { readonly do: 'send_again' };

const no = fc.integer({ min: 1, max: 4 });
const deed: fc.Arbitrary<Deed> = fc.oneof(
  { weight: 4, arbitrary: fc.record({ do: fc.constant('rename' as const), no }) },
  { weight: 2, arbitrary: fc.record({ do: fc.constant('edit' as const), no }) },
  { weight: 1, arbitrary: fc.record({ do: fc.constant('delete' as const), no }) },
  { weight: 4, arbitrary: fc.record({ do: fc.constant('undo' as const), at: fc.nat(5), drops: fc.boolean() }) },
  { weight: 1, arbitrary: fc.constant({ do: 'send_again' as const }) },
);

/** One life of a product: what people did by hand, and what was run, undone and sent again. */
class Life {
  readonly runs: string[] = [];
  /** What a person wrote last beside a record, by its address: it must stand until they delete it. */
  private readonly byHand = new Map<string, string>();
  private last: string | undefined;
  private written = 0;
  undone = 0;
  kept = 0;

  async act(one: Deed): Promise<void> {
    if (one.do === 'rename') this.runs.push(await renamed([one.no], `B${this.runs.length}`));
    if (one.do === 'edit') this.edit(person(one.no));
    if (one.do === 'delete') this.remove(person(one.no));
    if (one.do === 'undo') await this.undo(this.runs[one.at % this.runs.length] as string, one.drops);
    if (one.do === 'send_again') await this.sendAgain();
  }

  private edit(there: Person | undefined): void {
    if (!there) return;
    there.ref = `hand ${++this.written}`;
    this.byHand.set(there.email, there.ref);
  }

  private remove(there: Person | undefined): void {
    if (!there) return;
    app.people.splice(app.people.indexOf(there), 1);
    this.byHand.delete(there.email);
  }

  private async undo(run: string, drops: boolean): Promise<void> {
    this.last = await looked(run);
    const { kinds } = await counted(this.last);
    this.kept += kinds.changed;
    if (kinds.back + kinds.used === 0) return;
    if (drops) await this.undoAndDrop(this.last);
    else await undone(this.last);
    expect((await around.services.undos.get(this.last)).state).toBe('done');
    this.undone += (await counted(this.last)).done;
  }

  private async undoAndDrop(id: string): Promise<void> {
    const dropped = dropAt(around.services, 'take-back:after-send');
    await around.services.undos.carryOut(id, everything).catch(() => undefined);
    await Promise.race([dropped, around.services.undos.wait(id)]);
    around.services = await openServices(around.world, {
      descriptions,
      seams: (around.services.seams as TestClock).next(),
    });
    await around.services.engine.resume();
    await settled(around.services);
    await around.services.undos.goOn();
    await around.services.undos.wait(id);
  }

  private async sendAgain(): Promise<void> {
    const run = this.last && (await around.services.undos.sendAgain(this.last).catch(() => undefined));
    if (!run) return;
    await around.services.engine.finish(run);
    await settled(around.services);
    this.runs.push(run);
  }

  /** What must hold at any time, looked for in the app. */
  async judge(): Promise<void> {
    for (const [email, ref] of this.byHand)
      expect(app.people.filter((there) => there.email === email).map((there) => there.ref)).toEqual([ref]);
    // Nobody is there twice, nor under the name of another.
    expect(new Set(app.people.map(({ email }) => email)).size).toBe(app.people.length);
    for (const { email, name } of app.people) expect(name.endsWith(` ${email.slice(1, 2)}`)).toBe(true);
    expect(await unbalanced(around.services)).toEqual([]);
  }

  /** The newest run first, everything is undone: only what people touched is left. */
  async undoAll(): Promise<void> {
    for (const run of [...this.runs].reverse()) await this.undo(run, false);
    expect(app.people.map(({ email }) => email).sort()).toEqual([...this.byHand.keys()].sort());
  }
}

test.each(Array.from({ length: 8 }, (_, at) => 25 + at))(
  'law, life %i: what a person wrote is never undone; what we wrote and undid is as it was before',
  async (seed) => {
    const life = new Life();
    life.runs.push(await copied(4));
    const [deeds = []] = fc.sample(fc.array(deed, { minLength: 30, maxLength: 30 }), { numRuns: 1, seed });
    for (const one of deeds) {
      await life.act(one);
      await life.judge();
    }
    await life.undoAll();
    await life.judge();
    expect(life.undone).toBeGreaterThan(0);
  },
);

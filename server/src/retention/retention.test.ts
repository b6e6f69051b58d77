import { readFileSync } from 'node:fs';
import { join } from 'node:path';
import { sql } from 'kysely';
import { beginningOf } from '../arrivals/beginnings.ts';
import { productAroundEach } from '../testing/around.ts';
import { balanceNow, checkNow, decide, goLive, settled, unbalanced } from '../testing/checks.ts';
import type { TestClock } from '../testing/clock.ts';
import { customersHandedOver, receiverInto } from '../testing/handing.ts';
import { customersToApp, type PeopleApp, peopleApp, peopleDescription } from '../testing/people-app.ts';
import { customer, emptyWorkbook, openServices, placeOf, rowsOf } from '../testing/world.ts';

// What records held goes after the days in the settings, by a clock that is put on. What must be gone is looked for in
// every cell of the data file and in its bytes; what must stay is judged by what the product does afterwards: the app
// beyond it gets no write that it wouldn't have got.

afterEach(async () => {
  expect(await unbalanced(around.services)).toEqual([]);
  await app.at.close();
});
const around = productAroundEach();
const descriptions = [peopleDescription('lookup')];
let app: PeopleApp;
let workflow: string;
/** The shop's own ids of those who were added. */
let customers: number[];

beforeEach(async () => {
  app = await peopleApp();
  around.services = await openServices(around.world, { descriptions });
});

const days = (count: number): void => (around.services.seams as TestClock).pass(count * 24 * 60 * 60_000);
/** The requests that changed something in the app. */
const writes = () => app.asked.filter((one) => !one.startsWith('GET')).length;
/** The app takes nobody of this address. */
const refuses = (email: string | undefined): void => {
  app.before = async (c) =>
    c.req.method === 'POST' && ((await c.req.json()) as { email?: string }).email === email
      ? c.json({ detail: 'not this one' }, 422)
      : undefined;
};
const items = () => around.services.db.selectFrom('item').selectAll().orderBy('seq').execute();
const add = (name: string, more: Parameters<typeof customer>[0] = {}) =>
  around.world.shop.store.add(customer({ email: `${name}@clay.example`, first_name: `Ada ${name}`, ...more }));

/** A workflow that has delivered three customers, left one out and asks about one. */
async function lived(): Promise<string> {
  customers = ['one', 'two', 'three'].map((name) => add(name, { phone: `01632 96077${name.length}` }).id);
  ({ workflow } = await customersToApp(around.services, around.connected, app, 'lookup', { on: 'added_or_changed' }));
  return goLive(around.services, workflow);
}

/** In which cells of which tables a text stands. */
async function cellsWith(text: string): Promise<string[]> {
  const { db } = around.services;
  const found: string[] = [];
  const tables = await sql<{ name: string }>`SELECT name FROM sqlite_schema WHERE type = 'table'
    AND name NOT LIKE 'record_words%' AND name NOT LIKE 'sqlite_%'`.execute(db);
  for (const { name } of tables.rows) {
    const columns = await sql<{ name: string }>`SELECT name FROM pragma_table_info(${name})`.execute(db);
    for (const { name: column } of columns.rows) {
      const { rows } = await sql<{ n: number }>`SELECT count(*) AS n FROM ${sql.table(name)}
        WHERE instr(CAST(${sql.ref(column)} AS TEXT), ${text}) > 0`.execute(db);
      if ((rows[0]?.n ?? 0) > 0) found.push(`${name}.${column}`);
    }
  }
  return found;
}

/** Whether a text stands anywhere in the data file's bytes, its log taken over. */
async function bytesHave(text: string): Promise<boolean> {
  await sql`PRAGMA wal_checkpoint(TRUNCATE)`.execute(around.services.db);
  return readFileSync(join(around.world.folder, 'golden.sqlite')).includes(text);
}

const sheetOf = async (run: string) => {
  const { items: counts, ...balance } = await balanceNow(around.services, run);
  return { counts, balance };
};

describe('of a workflow that has run for long', () => {
  test('values go from the file after the days in the settings, not a day before; what became of each stays', async () => {
    const run = await lived();
    const before = { sheet: await sheetOf(run), items: await items(), written: writes() };
    const links = await around.services.db.selectFrom('link').selectAll().execute();
    expect(await cellsWith('Ada three')).toContain('item.item_state');
    days(89);
    expect(await around.services.retention.sweep()).toMatchObject({ items: 0 });
    days(2);
    expect(await around.services.retention.sweep()).toMatchObject({ items: 3 });
    // What was written last stays, since the next change is judged by it; so does the record's title.
    expect(await cellsWith('Ada three')).toEqual(['item.title', 'last_written.fields']);
    expect(await cellsWith('01632 960775')).toEqual([]);
    expect(await bytesHave('01632 960775')).toBe(false);
    expect(await sheetOf(run)).toEqual(before.sheet);
    const idOf = (text: string) => (JSON.parse(text) as { steps: Record<string, { id?: string }> }).steps;
    for (const [at, item] of (await items()).entries()) {
      const was = before.items[at];
      expect(item).toMatchObject({ id: was?.id, state: was?.state, title: was?.title, ended_at: was?.ended_at });
      const [now, then] = [idOf(item.item_state), idOf(was?.item_state ?? '{}')];
      expect(Object.entries(now).map(([step, { id }]) => [step, id])).toEqual(
        Object.entries(then).map(([step, { id }]) => [step, id]),
      );
    }
    expect(await around.services.db.selectFrom('link').selectAll().execute()).toEqual(links);
    expect(await around.services.retention.sweep()).toMatchObject({ items: 0 });
    expect(writes()).toBe(before.written);
  });

  test('afterwards the same is the same, a change writes that field alone, and a colleague’s correction is kept', async () => {
    await lived();
    days(91);
    await around.services.retention.sweep();
    const written = writes();
    await checkNow(around.services, workflow);
    expect(writes()).toBe(written);
    const [one, two] = app.people;
    if (!one || !two) throw new Error('two people');
    two.name = 'Ada, as Robin corrected it';
    around.world.shop.store.change(customers[0] ?? 0, { first_name: 'Adelaide' });
    around.world.shop.store.change(customers[1] ?? 0, { phone: '01632 960999' });
    await checkNow(around.services, workflow);
    expect(one.name).toContain('Adelaide');
    expect(two.name).toBe('Ada, as Robin corrected it');
    expect(app.people).toHaveLength(3);
  });

  test('it can’t be undone any more, which is said before anything is touched; its page and its search say what became of it', async () => {
    const run = await lived();
    const { undos, recordIndex, retention, db } = around.services;
    while (!(await recordIndex.catchUp(100)));
    expect((await recordIndex.find('three@clay.example', 5)).seqs).toHaveLength(1);
    days(91);
    await retention.sweep();
    const id = await undos.look(run);
    await undos.wait(id);
    const rows = await db.selectFrom('undo_row').select(['kind', 'found']).where('undo_id', '=', id).execute();
    expect(rows.map(({ kind }) => kind)).toEqual(['cannot', 'cannot', 'cannot']);
    expect(rows[0]?.found).toContain('isn’t kept any more');
    const [item] = await items();
    await expect(around.services.engine.takeBack(item?.id ?? '')).rejects.toThrow('isn’t kept any more');
    expect(app.people).toHaveLength(3);
    // By what it held it isn't found; by its title and the ids there it is.
    expect((await recordIndex.find('three@clay.example', 5)).seqs).toEqual([]);
    expect((await recordIndex.find('Ada three', 5)).seqs).toHaveLength(1);
    expect((await recordIndex.find(String(app.people[2]?.id), 5)).seqs).not.toEqual([]);
  });

  test('what still needs somebody is whole however old it is, and goes its days after they decided', async () => {
    refuses('two@clay.example');
    await lived();
    refuses(undefined);
    days(200);
    expect(await around.services.retention.sweep()).toMatchObject({ items: 2 });
    const open = (await items()).find(({ state }) => state === 'unsettled');
    expect(open?.emptied_at).toBeNull();
    await decide(around.services, open?.id ?? '', { kind: 'retry' });
    expect(app.people.map(({ email }) => email).sort()).toEqual(
      ['one', 'three', 'two'].map((name) => `${name}@clay.example`),
    );
    days(89);
    expect(await around.services.retention.sweep()).toMatchObject({ items: 0 });
    days(2);
    expect(await around.services.retention.sweep()).toMatchObject({ items: 1 });
    // The decision itself stays.
    expect(await around.services.db.selectFrom('decision').select('decision').execute()).toHaveLength(1);
  });
});

test('what was handed over is whole while its giver waits for it', async () => {
  const { services, world, connected } = around;
  world.shelf.files.replace('people.xlsx', await emptyWorkbook('People', ['E-mail', 'Name']), undefined);
  add('given');
  const { receiver, step } = await receiverInto(services, connected.shelf, 'people.xlsx');
  const giver = await customersHandedOver(services, connected.shop, [
    { ...step, awaits: true },
    { id: 'later', kind: 'wait', until: { kind: 'time', amount: 200, unit: 'days', from: 'step' } },
  ]);
  await goLive(services, receiver);
  await goLive(services, giver);
  for (let times = 0; times < 4; times++) {
    await services.engine.quiet();
    await services.engine.tick();
  }
  const stateOf = async (of: string) => (await items()).filter(({ workflow_id }) => workflow_id === of);
  expect((await stateOf(receiver)).map(({ state }) => state)).toEqual(['delivered']);
  expect((await stateOf(giver)).map(({ state }) => state)).toEqual(['waiting']);
  days(150);
  expect(await services.retention.sweep()).toMatchObject({ items: 0 });
  const rows = await rowsOf(world.shelf.files.get('people.xlsx')?.bytes ?? Buffer.alloc(0), 'People');
  expect(rows).toHaveLength(1);
});

test('it can be stopped by a person and begun again; what is out stays out, and the counts say so', async () => {
  for (let no = 1; no <= 90; no++) add(`p${no}`);
  ({ workflow } = await customersToApp(around.services, around.connected, app, 'lookup', { on: 'added_or_changed' }));
  await goLive(around.services, workflow);
  days(91);
  const { retention, db } = around.services;
  expect(await retention.standing()).toMatchObject({ older: 90, underWay: null });
  const full = () => db.selectFrom('item').select('id').where('emptied_at', 'is', null).execute();
  retention.begin();
  while ((await full()).length === 90) await new Promise((resolve) => setImmediate(resolve));
  await retention.stop();
  const left = (await full()).length;
  expect(left).toBeGreaterThan(0);
  expect(left).toBeLessThan(90);
  expect(await retention.standing()).toMatchObject({ older: left, underWay: null });
  expect(await retention.sweep()).toMatchObject({ items: left });
  expect(await retention.standing()).toMatchObject({ older: 0 });
});

describe('of what comes by itself', () => {
  /** A workflow that writes each posted event; gives its inbox. */
  async function posted(): Promise<{ readonly id: string; readonly inbox: string }> {
    const { services } = around;
    const { workflow: model } = await customersToApp(services, around.connected, app, 'lookup', {});
    const { draft } = await services.workflows.get(model);
    const { start } = await beginningOf(services, { kind: 'posted', name: 'Leads' });
    const inbox = start.source?.path[0] ?? '';
    await services.arrivals.storeRecord(inbox, 'shape', { email: 'shape@clay.example', first_name: 'Shape' });
    const source = await placeOf(services, start.source?.connection ?? '', [inbox]);
    const content = { ...draft, name: 'Leads to people', start: { ...start, source } };
    const { id } = await services.workflows.add(content);
    return { id, inbox };
  }
  const came = (inbox: string, no: number) =>
    around.services.arrivals.storeRecord(inbox, `lead ${no}`, {
      email: `lead${no}@clay.example`,
      first_name: `Lead ${no}`,
      note: `secret ${no}`,
    });
  const bodies = async () =>
    (await around.services.db.selectFrom('arrival').select(['key', 'emptied_at']).orderBy('seq').execute()).flatMap(
      ({ key, emptied_at }) => (emptied_at === null ? [key] : []),
    );

  test('its body goes once it has been dealt with; that it came is still known, so that a repeat is one', async () => {
    const { id, inbox } = await posted();
    await goLive(around.services, id);
    await came(inbox, 1);
    await settled(around.services);
    const people = app.people.length;
    expect(people).toBeGreaterThan(0);
    days(91);
    await came(inbox, 2);
    await settled(around.services);
    expect(await around.services.retention.sweep()).toMatchObject({ items: 1 });
    expect(await bodies()).toEqual(['lead 2']);
    expect(await cellsWith('secret 1')).toEqual([]);
    expect(await cellsWith('secret 2')).not.toEqual([]);
    expect(await came(inbox, 1)).toEqual({ kind: 'repeat' });
    await checkNow(around.services, id);
    expect(app.people).toHaveLength(people + 1);
  });

  test('while its workflow has not looked at it, or a person is asked, it is whole', async () => {
    const { id, inbox } = await posted();
    await goLive(around.services, id);
    refuses('lead1@clay.example');
    await came(inbox, 1);
    await settled(around.services);
    refuses(undefined);
    await around.services.engine.switchOff(id);
    await came(inbox, 2);
    days(200);
    await around.services.retention.sweep();
    expect(await bodies()).toEqual(['lead 1', 'lead 2']);
    await around.services.engine.switchOn(id);
    await checkNow(around.services, id);
    const asked = (await items()).find(({ state }) => state === 'unsettled');
    await decide(around.services, asked?.id ?? '', { kind: 'retry' });
    expect(app.people.map(({ email }) => email)).toEqual(
      expect.arrayContaining(['lead1@clay.example', 'lead2@clay.example']),
    );
  });
});

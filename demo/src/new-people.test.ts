import { join } from 'node:path';
import { checkReadiness } from '@golden/core';
import { exportFolder, type Services } from '@golden/server';
import { cabinetKeys, keyCabinet, type Listening, listen, windowDisplay, windowKeys } from '@golden/standins';
import ExcelJS from 'exceljs';
import { askApi } from '../../server/src/testing/ask.ts';
import { decide, settled, unbalanced } from '../../server/src/testing/checks.ts';
import type { TestClock } from '../../server/src/testing/clock.ts';
import { connectBoth, openServices, openWorld, placeOf, type World } from '../../server/src/testing/world.ts';
import { fillCabinet, fillWindow } from './cabinet.ts';
import { addNewPeople, readyNewPeople } from './new-people.ts';
import { newPeople } from './workbooks.ts';

// Every Monday at 06:00 by the clock of the US west coast the new rows of a workbook become accounts, through a second
// workflow. Judged by what stands in the Key cabinet and on the website.

const hour = 60 * 60_000;
let world: World;
let services: Services;
let cabinet: ReturnType<typeof keyCabinet> & { at: Listening };
let site: ReturnType<typeof windowDisplay> & { at: Listening };
let ids: readonly string[];

beforeEach(async () => {
  world = await openWorld();
  services = await openServices(world);
  const keys = keyCabinet(join(world.folder, 'cabinet.sqlite'));
  const shown = windowDisplay(join(world.folder, 'window.sqlite'));
  fillCabinet(keys.store, services.seams.now());
  fillWindow(shown.store, services.seams.now());
  cabinet = { ...keys, at: await listen(keys.app, 0) };
  site = { ...shown, at: await listen(shown.app, 0) };
  world.shelf.files.replace('New people.xlsx', await newPeople(), undefined);
  const { shelf } = await connectBoth(world, services);
  const connect = async (app: string, at: Listening, key: string | undefined) =>
    (await services.connections.add({ app, name: app, settings: { address: `${at.url}/api` }, key: key ?? '' })).id;
  const inCabinet = await connect('key_cabinet', cabinet.at, cabinetKeys[0]?.key);
  const onSite = await connect('window_display', site.at, windowKeys[0]?.key);
  ids = await addNewPeople(services, {
    rows: await placeOf(services, shelf, ['New people.xlsx', 'New people']),
    accounts: await placeOf(services, inCabinet, ['Users']),
    groups: await placeOf(services, inCabinet, ['Groups']),
    memberships: await placeOf(services, inCabinet, ['memberships']),
    mentions: await placeOf(services, onSite, ['mentions']),
    entries: await placeOf(services, onSite, ['entries']),
    sections: await placeOf(services, onSite, ['sections']),
  });
  for (const { draft } of await services.workflows.list())
    expect(checkReadiness(draft).filter(({ severity }) => severity === 'blocks')).toEqual([]);
  await rest();
});
afterEach(async () => {
  expect(await unbalanced(services)).toEqual([]);
  await services.close();
  await cabinet.at.close();
  cabinet.store.close();
  await site.at.close();
  site.store.close();
  await world.close();
});

async function rest(): Promise<void> {
  for (let times = 0; times < 4; times++) {
    await services.engine.quiet();
    await services.engine.tick();
  }
  await settled(services);
}

/** Somebody enters more people. */
async function addRows(...rows: readonly string[][]): Promise<void> {
  const book = new ExcelJS.Workbook();
  await book.xlsx.load(world.shelf.files.get('New people.xlsx')?.bytes as unknown as ArrayBuffer);
  for (const row of rows) book.getWorksheet('New people')?.addRow(row);
  world.shelf.files.replace('New people.xlsx', Buffer.from(await book.xlsx.writeBuffer()), undefined);
}

/** Lets the clock go on to the next Monday, 06:00 on the US west coast, and a little beyond. */
async function nextMonday(): Promise<void> {
  const clock = services.seams as TestClock;
  const local = (): string =>
    new Date(clock.now()).toLocaleString('en-GB', {
      timeZone: 'America/Los_Angeles',
      weekday: 'short',
      hour: '2-digit',
      hour12: false,
    });
  do {
    clock.pass(hour);
    await services.engine.tick();
  } while (!/^Mon.*06/.test(local()));
  clock.pass(60_000);
  await rest();
}

const newcomers = () =>
  cabinet.store.accounts
    .list({}, { limit: 100 })
    .filter(({ active }) => !active)
    .map(({ id, userName, department, emails }) => [
      userName,
      department,
      emails[0]?.value,
      cabinet.store
        .groupsOf(id)
        .map(({ displayName }) => displayName)
        .join(),
    ]);

const states = async (workflow: string | undefined) =>
  (
    await services.db
      .selectFrom('item')
      .select(['state', 'message'])
      .where('workflow_id', '=', workflow ?? '')
      .orderBy('seq')
      .execute()
  ).map(({ state }) => state);

test('three rows are three accounts, not active yet, in the group; the next Monday there is nothing new', async () => {
  const three = [
    ['noor.vanderberg', 'Warehouse', 'noor.vanderberg@saltmarsh.example', 'New people'],
    ['lukasz.zak', 'Kilns', 'lukasz.zak@saltmarsh.example', 'New people'],
    ['ines.quayle', 'Shop', 'ines.quayle@saltmarsh.example', 'New people'],
  ];
  expect(newcomers().sort()).toEqual([...three].sort());
  expect(await states(ids[0])).toEqual(['delivered', 'delivered', 'delivered']);
  const writes = cabinet.state.writes;
  await nextMonday();
  expect(newcomers()).toHaveLength(3);
  expect(cabinet.state.writes).toBe(writes);
  // One who is activated meanwhile stays so, whatever comes again.
  const [first] = cabinet.store.accounts.list({ userName: 'lukasz.zak' }, { limit: 1 });
  cabinet.store.accounts.change(first?.id ?? 0, { active: true });
  await addRows(
    ['Aisha', 'Karim', 'AISHA.KARIM@elsewhere.example', 'Shop'],
    ['', 'Nobody', 'nobody@saltmarsh.example', 'Shop'],
  );
  await nextMonday();
  expect((await states(ids[0])).slice(3).sort()).toEqual(['unsettled', 'waiting']);
});

test('passed on, another business says its group and its time, and its rows become accounts there', async () => {
  const text = JSON.stringify(readyNewPeople(await exportFolder(services, 'People')));
  const api = <T>(path: string, body: object): Promise<T> => askApi(services, 'POST', `/api/workflows/${path}`, body);
  const look = await api<{ blanks: { key: string; label: string; text: string }[] }>('import/look', { text });
  const said: Readonly<Record<string, string>> = {
    'At what time?': '07:30',
    'By whose clock?': 'Europe/Dublin',
    'Which group are new people put into?': 'Shop floor',
  };
  // Each blank leads to a text of its own.
  expect(Object.fromEntries(look.blanks.map(({ label, text: makers }) => [label, makers]))).toEqual({
    'At what time?': '06:00',
    'By whose clock?': 'America/Los_Angeles',
    'Which group are new people put into?': 'New people',
  });
  for (const id of ids.slice(0, 2)) await services.engine.switchOff(id);
  const texts = Object.fromEntries(look.blanks.map(({ key, label }) => [key, said[label] ?? '']));
  await api('import', { text, connections: {}, texts });
  const made = (await services.workflows.list()).filter(({ folder }) => folder === 'New people');
  expect(made.map(({ draft }) => [draft.zone, draft.start.trigger.kind, draft.madeFrom?.ready]).sort()).toEqual([
    [undefined, 'handed', 'new-people-accounts'],
    ['Europe/Dublin', 'times', 'new-people-list'],
  ]);
  await addRows(['Mae', 'Lindqvist', 'mae.lindqvist@saltmarsh.example', 'Kilns']);
  for (const { id } of made) await services.engine.finish((await services.engine.makeLive(id)).run);
  await rest();
  expect(newcomers().filter(([, , , groups]) => groups?.includes('Shop floor'))).toHaveLength(4);
  expect(newcomers()).toContainEqual(['mae.lindqvist', 'Kilns', 'mae.lindqvist@saltmarsh.example', 'Shop floor']);
  expect(newcomers()).toHaveLength(4);
});

test('who is found under a taken user name is asked about, and the row waits with the reason', async () => {
  await addRows(['Aisha', 'Karimi', 'Aisha.Karim@elsewhere.example', 'Shop']);
  await nextMonday();
  const waits = await services.db
    .selectFrom('item')
    .selectAll()
    .where('workflow_id', '=', ids[0] ?? '')
    .where('state', '=', 'waiting')
    .executeTakeFirstOrThrow();
  expect(waits.message).toMatch(/^Handed over to Accounts for new people: 1 needs you/);
  const [taken] = cabinet.store.accounts.list({ userName: 'aisha.karim' }, { limit: 1 });
  expect(taken?.name.familyName).toBe('Karim');
  const child = await services.db
    .selectFrom('item')
    .selectAll()
    .where('workflow_id', '=', ids[1] ?? '')
    .where('state', '=', 'unsettled')
    .executeTakeFirstOrThrow();
  await decide(services, child.id, { kind: 'set', step: 'account', values: { '/userName': 'aisha.karimi' } });
  await rest();
  expect(newcomers().map(([userName]) => userName)).toContain('aisha.karimi');
  expect((await states(ids[0])).every((state) => state === 'delivered')).toBe(true);
});

test('what people say stands on the website once, hidden until somebody shows it, and stays shown then', async () => {
  const entries = () => site.store.entries.list({}, { limit: 100 });
  expect(entries().filter(({ state }) => state === 'hidden')).toHaveLength(3);
  const [first] = entries().filter(({ state }) => state === 'hidden');
  site.store.entries.change(first?.id ?? 0, { state: 'shown' });
  const { id, ...mention } = site.store.mentions.list({ link: first?.link ?? '' }, { limit: 1 })[0] ?? ({} as never);
  site.store.mentions.change(id, { ...mention, text: 'Written anew' });
  await services.engine.finish(await services.engine.checkNow(ids[2] ?? ''));
  await rest();
  expect(entries()).toHaveLength(4);
  expect(site.store.entries.get(first?.id ?? 0)?.state).toBe('shown');
});

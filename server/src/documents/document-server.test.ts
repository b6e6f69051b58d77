import { rmSync } from 'node:fs';
import { join } from 'node:path';
import { shelfAccounts } from '@golden/standins';
import mammoth from 'mammoth';
import type { KillPoint } from '../seams.ts';
import { loadSettings, saveSettings } from '../settings.ts';
import { productAroundEach } from '../testing/around.ts';
import { checkNow, goLive, settled, unbalanced } from '../testing/checks.ts';
import { dropAt, pointsOfDocuments, pointsOfRemaking } from '../testing/drop.ts';
import { madeAgain, notesWorkflow, textFilling } from '../testing/notes.ts';
import { addCustomers, customer, openServices } from '../testing/world.ts';

// Documents put into folders of a server over WebDAV, judged by what lies on the shelf.

afterEach(async () => expect(await unbalanced(around.services)).toEqual([]));
const around = productAroundEach();
beforeEach(async () => {
  const { services } = around;
  // The practice shelf is a server of this machine.
  await saveSettings(services.db, { ...(await loadSettings(services.db)), mayCallInside: true });
});

const shelf = () => around.world.shelf;
const there = (): string[] =>
  shelf()
    .files.others()
    .map(({ name }) => name);
const textOf = async (name: string): Promise<string> =>
  (await mammoth.extractRawText({ buffer: shelf().files.get(name)?.bytes ?? Buffer.alloc(0) })).value;

const connect = async (mayEdit = true): Promise<string> =>
  (
    await around.services.connections.add({
      app: 'documents_server',
      name: 'Office server',
      settings: { address: `${shelf().at.url}/api/files/`, user: 'mira' },
      key: shelfAccounts.find((one) => one.mayEdit === mayEdit)?.token ?? '',
    })
  ).id;

const inFolders = { '/$folder': textFilling('Notes/', { ref: '/last_name' }) };
const states = async (id: string) =>
  (
    await around.services.db
      .selectFrom('item')
      .select(['id', 'state', 'message'])
      .where('workflow_id', '=', id)
      .orderBy('seq')
      .execute()
  ).map(({ id: item, state, message }) => ({ item, said: message ?? state }));
const said = async (id: string) => (await states(id)).map((one) => one.said);

test('each customer gets a document in the folder that a field says; run again none, one more: one', async () => {
  addCustomers(around.world, 3);
  const id = await notesWorkflow(around, { connection: await connect(), mapping: inFolders });
  await around.services.engine.rehearse(id, 'all');
  await around.services.engine.rehearsals.wait(id);
  expect(there()).toEqual([]);
  await goLive(around.services, id);
  const below = [1, 2, 3].map((at) => `Notes/Nair/Note Ada ${at}.docx`);
  expect(there()).toEqual(below);
  expect(await textOf('Notes/Nair/Note Ada 2.docx')).toContain('Dear Ada 2,');
  await checkNow(around.services, id);
  expect(there()).toHaveLength(3);
  addCustomers(around.world, 1, 4);
  await checkNow(around.services, id);
  expect(there()).toEqual([...below, 'Notes/Nair/Note Ada 4.docx']);
  expect(await said(id)).toEqual(Array(4).fill('delivered'));
});

test('equal names are numbered, and what somebody else put there stays', async () => {
  for (const at of [1, 2]) around.world.shop.store.add(customer({ first_name: 'Ada', email: `ada${at}@clay.example` }));
  shelf().files.replace('Note Ada.docx', Buffer.from('of somebody'), undefined);
  const id = await notesWorkflow(around, { connection: await connect() });
  await goLive(around.services, id);
  expect(there()).toEqual(['Note Ada (2).docx', 'Note Ada (3).docx', 'Note Ada.docx']);
  expect(shelf().files.get('Note Ada.docx')?.bytes.toString()).toBe('of somebody');
});

test.each<KillPoint>(['intent:after-store', ...pointsOfDocuments, 'send:after', 'result:after-store'])(
  'killed at %s, each customer has one document afterwards',
  async (point) => {
    addCustomers(around.world, 4);
    const id = await notesWorkflow(around, { connection: await connect(), mapping: inFolders });
    const dropped = dropAt(around.services, point, 1);
    void around.services.engine.makeLive(id).catch(() => undefined);
    await dropped;
    around.services = await openServices(around.world);
    await around.services.engine.resume();
    await settled(around.services);
    expect(there()).toEqual([1, 2, 3, 4].map((at) => `Notes/Nair/Note Ada ${at}.docx`));
    expect(await said(id)).toEqual(Array(4).fill('delivered'));
  },
);

test.each(['break_off', 'break_off_midway', 'fault_after', 'html_after', 'break_off_late'] as const)(
  'a server whose answer is lost (%s) has each document once all the same',
  async (trouble) => {
    addCustomers(around.world, 3);
    const id = await notesWorkflow(around, { connection: await connect(), mapping: inFolders });
    await around.services.engine.rehearse(id, 'all');
    await around.services.engine.rehearsals.wait(id);
    shelf().state.troubles.set(trouble, 3);
    await goLive(around.services, id);
    for (let times = 0; times < 4; times++) {
      await checkNow(around.services, id);
      await settled(around.services);
    }
    expect(there()).toEqual([1, 2, 3].map((at) => `Notes/Nair/Note Ada ${at}.docx`));
    for (const at of [1, 2, 3]) expect(await textOf(`Notes/Nair/Note Ada ${at}.docx`)).toContain(`Dear Ada ${at},`);
    expect(await said(id)).toEqual(Array(3).fill('delivered'));
  },
);

test('taken back, a document goes that is still as it was made; one that somebody changed stays', async () => {
  addCustomers(around.world, 2);
  const id = await notesWorkflow(around, { connection: await connect() });
  await goLive(around.services, id);
  shelf().files.replace('Note Ada 2.docx', Buffer.from('somebody wrote in it'), undefined);
  const [first, second] = await states(id);
  await around.services.engine.takeBack(first?.item ?? '');
  await around.services.engine.takeBack(second?.item ?? '').catch(() => undefined);
  expect(there()).toEqual(['Note Ada 2.docx']);
  expect(shelf().files.get('Note Ada 2.docx')?.bytes.toString()).toBe('somebody wrote in it');
});

describe('records that change after their document was made', () => {
  let first: number;
  const twoNotes = async (): Promise<string> => {
    first = around.world.shop.store.add(customer({ first_name: 'Ada 1', email: 'ada1@clay.example' })).id;
    addCustomers(around.world, 1, 2);
    const id = await notesWorkflow(around, {
      connection: await connect(),
      mapping: { '/$name': textFilling('Note ', { ref: '/email' }), '/remark': textFilling({ ref: '/last_name' }) },
      step: madeAgain,
      start: { on: 'added_or_changed' },
    });
    await goLive(around.services, id);
    return id;
  };
  const change = (first_name: string): unknown => around.world.shop.store.change(first, { first_name });
  const note = 'Note ada1@clay.example.docx';

  test('it is made again where it lies; where somebody wrote in it, it stays and that is said', async () => {
    const id = await twoNotes();
    change('Adaline');
    await checkNow(around.services, id);
    expect(there()).toHaveLength(2);
    expect(await textOf(note)).toContain('Dear Adaline,');
    shelf().files.replace(note, Buffer.from('somebody wrote in it'), undefined);
    change('Adele');
    await checkNow(around.services, id);
    expect(shelf().files.get(note)?.bytes.toString()).toBe('somebody wrote in it');
    expect((await said(id)).at(-1)).toContain('was changed since it was made, so it stays');
  });

  test.each<KillPoint>([...pointsOfRemaking])('killed at %s, it says what its record says', async (point) => {
    const id = await twoNotes();
    change('Adaline');
    const dropped = dropAt(around.services, point);
    void around.services.engine.checkNow(id).catch(() => undefined);
    await dropped;
    around.services = await openServices(around.world);
    await around.services.engine.resume();
    await settled(around.services);
    expect(there()).toHaveLength(2);
    expect(await textOf(note)).toContain('Dear Adaline,');
    expect(await said(id)).toEqual(Array(3).fill('delivered'));
  });
});

test('who may only view is told so when it is connected; nothing is put there', async () => {
  addCustomers(around.world, 1);
  const connection = await connect(false);
  const health = await (await around.services.connections.connector(connection)).health();
  expect(health).toMatchObject({ signedInAs: 'visitor', mayWrite: false });
  expect(there()).toEqual([]);
});

test('a server that is out holds its records up, and they go on when it is back', async () => {
  addCustomers(around.world, 1);
  const id = await notesWorkflow(around, { connection: await connect() });
  await goLive(around.services, id);
  shelf().state.troubles.set('down', Number.POSITIVE_INFINITY);
  addCustomers(around.world, 1, 2);
  await checkNow(around.services, id);
  expect((await said(id))[1]).not.toBe('delivered');
  shelf().state.troubles.clear();
  rmSync(join(shelf().files.folder, 'Note Ada 1.docx'));
  for (const { id: connection } of await around.services.connections.list())
    await around.services.engine.retryConnection(connection);
  await settled(around.services);
  expect(there()).toEqual(['Note Ada 2.docx']);
});

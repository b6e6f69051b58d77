import { execFileSync } from 'node:child_process';
import { mkdirSync, readdirSync, readFileSync, rmSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import type { Filling, WriteStep } from '@golden/core';
import { listen, postMailboxes, postRoom } from '@golden/standins';
import { simpleParser } from 'mailparser';
import mammoth from 'mammoth';
import type { KillPoint } from '../seams.ts';
import { productAroundEach } from '../testing/around.ts';
import { checkNow, decide, goLive, settled, unbalanced } from '../testing/checks.ts';
import { dropAt, pointsOfDocuments } from '../testing/drop.ts';
import { addMailboxes, us } from '../testing/mail-desk.ts';
import { notesFolder, notesWorkflow, noteTemplate, textFilling } from '../testing/notes.ts';
import { addCustomers, customer, fieldFilling, openServices, placeOf } from '../testing/world.ts';

// A document for each customer of the shop, judged by what lies in the folder and what a reader that isn't ours reads there.

afterEach(async () => expect(await unbalanced(around.services)).toEqual([]));
const around = productAroundEach();

const folder = () => notesFolder(around);
const there = (below = ''): string[] => readdirSync(join(folder(), below), { recursive: true }).map(String).sort();
const textOf = async (name: string): Promise<string> =>
  (await mammoth.extractRawText({ buffer: readFileSync(join(folder(), name)) })).value;

const notes = (
  mapping: Readonly<Record<string, Filling>> = {},
  name?: string,
  bytes?: string | Buffer,
): Promise<string> =>
  notesWorkflow(around, { mapping, ...(name !== undefined && { name }), ...(bytes !== undefined && { bytes }) });

const states = async (id: string) =>
  (
    await around.services.db
      .selectFrom('item')
      .select(['state', 'message'])
      .where('workflow_id', '=', id)
      .orderBy('seq')
      .execute()
  ).map(({ state, message }) => message ?? state);

test('each customer gets a document that says who they are; run again none, three more: three', async () => {
  addCustomers(around.world, 3);
  const id = await notes();
  await around.services.engine.rehearse(id, 'all');
  await around.services.engine.rehearsals.wait(id);
  expect(there()).toEqual([]);
  await goLive(around.services, id);
  expect(there()).toEqual(['Note Ada 1.docx', 'Note Ada 2.docx', 'Note Ada 3.docx']);
  expect(await textOf('Note Ada 2.docx')).toContain('Delivery note ada2@clay.example');
  expect(await textOf('Note Ada 2.docx')).toContain('Dear Ada 2,');
  await checkNow(around.services, id);
  expect(there()).toHaveLength(3);
  addCustomers(around.world, 3, 4);
  await checkNow(around.services, id);
  expect(there()).toHaveLength(6);
  expect(await states(id)).toEqual(Array(6).fill('delivered'));
});

test('equal names are numbered, folders are made by a field, and what somebody else put there stays', async () => {
  for (const email of ['a@clay.example', 'b@clay.example', 'c@clay.example'])
    around.world.shop.store.add(
      customer({ first_name: 'Ada', email, last_name: email.startsWith('c') ? 'A/B' : 'Nair' }),
    );
  const id = await notes({ '/$folder': textFilling('By name/', { ref: '/last_name' }) });
  mkdirSync(join(folder(), 'By name', 'Nair'), { recursive: true });
  writeFileSync(join(folder(), 'By name', 'Nair', 'NOTE ADA.docx'), 'of somebody');
  await goLive(around.services, id);
  // What stands in a value leads no further down than it says: the sign between folders is ours alone.
  expect(there()).toEqual(
    expect.arrayContaining([
      'By name/Nair/NOTE ADA.docx',
      'By name/Nair/Note Ada.docx',
      'By name/Nair/Note Ada (2).docx',
    ]),
  );
  expect(readFileSync(join(folder(), 'By name/Nair/NOTE ADA.docx'), 'utf8')).toBe('of somebody');
});

test.each(['../../outside', '/etc', '..', '....//x', 'C:\\x'])(
  'no folder %j leads out of the folder',
  async (below) => {
    addCustomers(around.world, 1);
    const id = await notes({ '/$folder': { kind: 'fixed', value: below } });
    const before = readdirSync(around.world.folder).sort();
    await goLive(around.services, id);
    expect(readdirSync(around.world.folder).sort()).toEqual(before);
    const [said] = await states(id);
    if (said === 'delivered') expect(there().filter((name) => name.endsWith('.docx'))).toHaveLength(1);
    else expect(said).toMatch(/can’t be the name of a folder/);
  },
);

test.each<KillPoint>(['intent:after-store', ...pointsOfDocuments, 'send:after', 'result:after-store'])(
  'killed at %s, each customer has one document afterwards',
  async (point) => {
    addCustomers(around.world, 4);
    const id = await notes();
    const dropped = dropAt(around.services, point, 1);
    void around.services.engine.makeLive(id).catch(() => undefined);
    await dropped;
    around.services = await openServices(around.world);
    await around.services.engine.resume();
    await settled(around.services);
    expect(there()).toEqual([1, 2, 3, 4].map((at) => `Note Ada ${at}.docx`));
    expect(await states(id)).toEqual(Array(4).fill('delivered'));
  },
);

test('taken back, a document goes that is still as it was made; one that somebody changed stays, and it is said', async () => {
  addCustomers(around.world, 2);
  const id = await notes();
  await goLive(around.services, id);
  const items = await around.services.db
    .selectFrom('item')
    .select('id')
    .where('workflow_id', '=', id)
    .orderBy('seq')
    .execute();
  writeFileSync(join(folder(), 'Note Ada 2.docx'), 'somebody wrote in it');
  await around.services.engine.takeBack(items[0]?.id ?? '');
  await around.services.engine.takeBack(items[1]?.id ?? '').catch(() => undefined);
  expect(there()).toEqual(['Note Ada 2.docx']);
  expect((await states(id))[0]).not.toBe('delivered');
  expect(readFileSync(join(folder(), 'Note Ada 2.docx'), 'utf8')).toBe('somebody wrote in it');
});

test('a new edition is used when somebody chooses it; what is live goes on with its own, also when the template is taken away', async () => {
  addCustomers(around.world, 1);
  const id = await notes();
  await goLive(around.services, id);
  const { documentTemplates } = around.services;
  const page = Buffer.from(JSON.stringify({ blocks: [{ kind: 'text', text: 'Only {number}' }] }));
  const [first] = await documentTemplates.list();
  expect(await documentTemplates.put('Delivery note.docx', noteTemplate)).toEqual(first);
  const second = await documentTemplates.put('Delivery note.json', page);
  expect(second).toMatchObject({ id: first?.id, edition: 2, ending: '.pdf', takes: ['number'] });
  await documentTemplates.remove(second.id);
  expect(await documentTemplates.list()).toEqual([]);
  addCustomers(around.world, 1, 2);
  await checkNow(around.services, id);
  expect(there()).toEqual(['Note Ada 1.docx', 'Note Ada 2.docx']);
});

test('a folder that is gone holds its records up with the reason, and they go on when it is back', async () => {
  addCustomers(around.world, 1);
  const id = await notes();
  await goLive(around.services, id);
  rmSync(folder(), { recursive: true });
  addCustomers(around.world, 1, 2);
  await checkNow(around.services, id);
  const [, said] = await states(id);
  // It is made anew: nothing of what is to be put there is lost.
  expect(said).toBe('delivered');
  expect(there()).toEqual(['Note Ada 2.docx']);
});

test('what is no template is refused with the reason', async () => {
  const { documentTemplates } = around.services;
  await expect(documentTemplates.put('Note.pdf', Buffer.from('%PDF'))).rejects.toThrow(
    /is no template: choose a \.docx/,
  );
  await expect(documentTemplates.put('Note.docx', Buffer.from('x'))).rejects.toThrow(/This is no DOCX document/);
  await expect(documentTemplates.put('Note.json', Buffer.from('{'))).rejects.toThrow(/can’t be read as JSON/);
  await expect(
    documentTemplates.put('Note.json', Buffer.from('{"blocks":[{"kind":"text","text":"{a"}]}')),
  ).rejects.toThrow(/isn’t closed/);
});

test('a name that no font here has is asked about; set by a person, it is printed', async () => {
  const { services, world } = around;
  world.shop.store.add(customer({ first_name: 'نور', email: 'nour@clay.example' }));
  const page = { blocks: [{ kind: 'text', text: '{number} for {customer.name}' }] };
  const id = await notes({ '/$name': textFilling('Note ', { ref: '/email' }) }, 'Note.json', JSON.stringify(page));
  await services.engine.rehearse(id, 'all');
  await services.engine.rehearsals.wait(id);
  const [seen] = await services.db.selectFrom('rehearsal_item').select('state').execute();
  expect(seen?.state).toBe('unsettled');
  await goLive(services, id);
  const [item] = await services.db.selectFrom('item').select(['id', 'message']).where('workflow_id', '=', id).execute();
  expect(item?.message).toBe('No font here has these letters: ن و ر');
  await decide(services, item?.id ?? '', { kind: 'set', step: 'note', values: { '/customer/name': 'Nour' } });
  await settled(services);
  const file = join(folder(), 'Note nour@clay.example.pdf');
  expect(execFileSync('pdftotext', ['-layout', file, '-'], { encoding: 'utf8' })).toContain(
    'nour@clay.example for Nour',
  );
});

test('documents go along with a mail to whom they are about, as they were made: one as DOCX, one as PDF', async () => {
  const { services, world } = around;
  addCustomers(world, 2);
  const room = postRoom(':memory:');
  addMailboxes(room, ['ada1@clay.example', 'ada2@clay.example']);
  await room.listen(0, 0);
  const web = await listen(room.app, 0);
  try {
    const { id: mailbox } = await services.connections.add({
      app: 'post_room',
      name: 'Post room',
      settings: { address: `${web.url}/api`, user: us },
      key: postMailboxes[0]?.password ?? '',
    });
    const id = await notes();
    const { draft, draftRev } = await services.workflows.get(id);
    const [note] = draft.steps as [WriteStep];
    const page = { blocks: [{ kind: 'heading', text: 'Note {number}' }] };
    const sheet = await services.documentTemplates.put('Sheet.json', Buffer.from(JSON.stringify(page)));
    const second: WriteStep = {
      ...note,
      id: 'sheet',
      target: await placeOf(services, note.target?.connection ?? '', [`${sheet.id}@1`]),
      mapping: { '/$name': textFilling('Sheet ', { ref: '/first_name' }), '/number': fieldFilling('/email') },
    };
    const mail = {
      id: 'mail',
      kind: 'write' as const,
      target: await placeOf(services, mailbox, ['outgoing']),
      mode: 'append' as const,
      purpose: 'service' as const,
      mapping: {
        '/to': fieldFilling('/email'),
        '/subject': { kind: 'fixed' as const, value: 'Your note' },
        '/text': { kind: 'fixed' as const, value: 'It goes along.' },
        '/document': { kind: 'field' as const, ref: { step: 'note', path: '/id' }, tidies: [] },
        '/document_2': { kind: 'field' as const, ref: { step: 'sheet', path: '/id' }, tidies: [] },
      },
    };
    await services.workflows.saveDraft(id, { ...draft, steps: [...draft.steps, second, mail] }, draftRev);
    await goLive(services, id);
    expect(await states(id)).toEqual(['delivered', 'delivered']);
    for (const at of [1, 2]) {
      const [message] = room.imap
        .foldersOf(`ada${at}@clay.example`)
        .flatMap(({ path, messages }) => (path === 'INBOX' ? messages : []));
      const { attachments } = await simpleParser(message?.raw ?? '');
      const names = [`Note Ada ${at}.docx`, `Sheet Ada ${at}.pdf`];
      expect(attachments.map(({ filename }) => filename)).toEqual(names);
      for (const [place, name] of names.entries())
        expect(attachments[place]?.content.equals(readFileSync(join(folder(), name)))).toBe(true);
    }
  } finally {
    await web.close();
    await room.close();
  }
});

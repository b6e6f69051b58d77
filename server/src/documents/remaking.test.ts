import { readdirSync, readFileSync, writeFileSync } from 'node:fs';
import type { WriteStep } from '@golden/core';
import mammoth from 'mammoth';
import { productAroundEach } from '../testing/around.ts';
import { checkNow, decide, goLive, settled, unbalanced } from '../testing/checks.ts';
import { dropAt, pointsOfRemaking } from '../testing/drop.ts';
import { madeAgain as again, notesFolder, notesWorkflow, textFilling } from '../testing/notes.ts';
import { addCustomers, customer, openServices } from '../testing/world.ts';

// Records that change after their document was made, judged by what lies in the folder.

afterEach(async () => expect(await unbalanced(around.services)).toEqual([]));
const around = productAroundEach();

const there = (): string[] => readdirSync(notesFolder(around)).sort();
const file = (name: string): string => `${notesFolder(around)}/${name}`;
const textOf = async (name: string): Promise<string> =>
  (await mammoth.extractRawText({ buffer: readFileSync(file(name)) })).value;

let first: number;

/** Two notes that are called after the e-mail, of customers who may change. */
async function twoNotes(step: Partial<WriteStep>): Promise<string> {
  first = around.world.shop.store.add(customer({ first_name: 'Ada 1', email: 'ada1@clay.example' })).id;
  addCustomers(around.world, 1, 2);
  const mapping = { '/$name': textFilling('Note ', { ref: '/email' }), '/remark': textFilling({ ref: '/last_name' }) };
  const id = await notesWorkflow(around, { mapping, step, start: { on: 'added_or_changed' } });
  await goLive(around.services, id);
  expect(there()).toEqual(['Note ada1@clay.example.docx', 'Note ada2@clay.example.docx']);
  return id;
}

/** The first customer gets another name. */
const change = (first_name: string): unknown => around.world.shop.store.change(first, { first_name });

const states = async (id: string) =>
  (
    await around.services.db
      .selectFrom('item')
      .select(['id', 'state', 'message'])
      .where('workflow_id', '=', id)
      .orderBy('seq')
      .execute()
  ).map(({ id: item, state, message }) => ({ item, state, message }));

test('made again, a document says what its record says now, under its name; one that has not changed is left alone', async () => {
  const id = await twoNotes(again);
  const other = readFileSync(file('Note ada2@clay.example.docx'));
  change('Adaline');
  // Rehearsed, one would be made again and the other is the same; nothing is made.
  await around.services.engine.rehearse(id, 'all');
  await around.services.engine.rehearsals.wait(id);
  const rehearsed = await around.services.db.selectFrom('rehearsal').select(['state', 'message']).execute();
  expect(rehearsed).toEqual([{ state: 'done', message: null }]);
  const seen = await around.services.db.selectFrom('rehearsal_item').select(['state', 'item_state']).execute();
  expect(seen.map(({ state }) => state)).toEqual(['delivered', 'delivered']);
  expect(seen.map(({ item_state }) => /"outcome":"(\w+)"/.exec(item_state)?.[1]).sort()).toEqual(['changed', 'same']);
  expect(await textOf('Note ada1@clay.example.docx')).toContain('Dear Ada 1,');
  await checkNow(around.services, id);
  expect(there()).toHaveLength(2);
  expect(await textOf('Note ada1@clay.example.docx')).toContain('Dear Adaline,');
  expect(readFileSync(file('Note ada2@clay.example.docx')).equals(other)).toBe(true);
  // Taken back, it says what it said before.
  const all = await states(id);
  await around.services.engine.takeBack(all.at(-1)?.item ?? '');
  expect(await textOf('Note ada1@clay.example.docx')).toContain('Dear Ada 1,');
});

test('records that are called the same have a document each, and a change goes to its own', async () => {
  first = around.world.shop.store.add(customer({ first_name: 'Ada', email: 'ada1@clay.example' })).id;
  around.world.shop.store.add(customer({ first_name: 'Ada', email: 'ada2@clay.example' }));
  const mapping = { '/remark': textFilling({ ref: '/last_name' }) };
  const id = await notesWorkflow(around, { mapping, step: again, start: { on: 'added_or_changed' } });
  await goLive(around.services, id);
  expect(there()).toEqual(['Note Ada (2).docx', 'Note Ada.docx']);
  // Both are made at the same time: either may come first to the name.
  const isFirst = (await textOf('Note Ada.docx')).includes('ada1@clay.example');
  const [its, others] = isFirst ? ['Note Ada.docx', 'Note Ada (2).docx'] : ['Note Ada (2).docx', 'Note Ada.docx'];
  around.world.shop.store.change(first, { last_name: 'Lovelace' });
  await checkNow(around.services, id);
  expect(there()).toHaveLength(2);
  expect(await textOf(its)).toContain('Lovelace');
  expect(await textOf(others)).not.toContain('Lovelace');
  expect(await textOf(others)).toContain('ada2@clay.example');
});

test('beside it, a new one is numbered and the old one stays', async () => {
  const id = await twoNotes({});
  change('Adaline');
  await checkNow(around.services, id);
  expect(there()).toEqual([
    'Note ada1@clay.example (2).docx',
    'Note ada1@clay.example.docx',
    'Note ada2@clay.example.docx',
  ]);
  expect(await textOf('Note ada1@clay.example (2).docx')).toContain('Dear Adaline,');
  expect(await textOf('Note ada1@clay.example.docx')).toContain('Dear Ada 1,');
});

test('asked, nothing is made until a person says so', async () => {
  const id = await twoNotes({ ...again, otherwise: 'ask' });
  const before = readFileSync(file('Note ada1@clay.example.docx'));
  change('Adaline');
  await checkNow(around.services, id);
  expect(readFileSync(file('Note ada1@clay.example.docx')).equals(before)).toBe(true);
  const asked = (await states(id)).at(-1);
  expect(asked).toMatchObject({ state: 'unsettled', message: expect.stringMatching(/you are asked each time/) });
  await decide(around.services, asked?.item ?? '', {
    kind: 'set',
    step: 'note',
    values: { '/customer/name': 'Adaline' },
  });
  await settled(around.services);
  expect((await states(id)).at(-1)?.state).toBe('delivered');
  expect(await textOf('Note ada1@clay.example.docx')).toContain('Dear Adaline,');
});

test('a document that somebody wrote in meanwhile isn’t written over, and it is said', async () => {
  const id = await twoNotes(again);
  writeFileSync(file('Note ada1@clay.example.docx'), 'somebody wrote in it');
  change('Adaline');
  await checkNow(around.services, id);
  expect(readFileSync(file('Note ada1@clay.example.docx'), 'utf8')).toBe('somebody wrote in it');
  expect((await states(id)).at(-1)).toMatchObject({
    state: 'unsettled',
    message: expect.stringMatching(/was changed since it was made/),
  });
});

test.each(['intent:after-store', ...pointsOfRemaking, 'result:after-store'] as const)(
  'killed at %s while it is made again, the document says what its record says now, and is there once',
  async (point) => {
    const id = await twoNotes(again);
    change('Adaline');
    const dropped = dropAt(around.services, point);
    void around.services.engine.checkNow(id).catch(() => undefined);
    await dropped;
    around.services = await openServices(around.world);
    await around.services.engine.resume();
    await settled(around.services);
    expect(there()).toEqual(['Note ada1@clay.example.docx', 'Note ada2@clay.example.docx']);
    expect(await textOf('Note ada1@clay.example.docx')).toContain('Dear Adaline,');
    expect((await states(id)).map(({ state }) => state)).toEqual(Array(3).fill('delivered'));
  },
);

test('what can be made stands in the list of places: templates in their forms, and the open formats', async () => {
  await notesWorkflow(around);
  const page = { blocks: [{ kind: 'lines', of: 'lines', columns: [{ label: 'Net', text: '{net}' }] }] };
  await around.services.documentTemplates.put('Invoice.json', Buffer.from(JSON.stringify(page)));
  const connection = (await around.services.connections.list()).find(({ app }) => app === 'documents')?.id ?? '';
  const connector = await around.services.connections.connector(connection);
  const places = await connector.places([]);
  expect(places.map(({ label }) => label)).toEqual([
    'Delivery note (DOCX)',
    'Delivery note (PDF)',
    'Invoice (PDF)',
    'Invoice (its tables as XLSX)',
    'Invoice (its table as CSV)',
    'Electronic invoice (XML)',
    'Contact card (VCF)',
    'Calendar entry (ICS)',
  ]);
  const described = await Promise.all(places.map(({ id }) => connector.describe([id])));
  expect(described.map(({ fields }) => fields.length)).toEqual(expect.arrayContaining([10]));
  expect(described.every(({ fields }) => fields[0]?.path === '/$name')).toBe(true);
  await expect(connector.describe(['format:film'])).rejects.toThrow(/no such template/);
});

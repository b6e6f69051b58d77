import { execFileSync } from 'node:child_process';
import { mkdirSync, mkdtempSync, readdirSync, readFileSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { BadPlaceholder, type JsonRecord } from '@golden/core';
import fc from 'fast-check';
import mammoth from 'mammoth';
import { readDocx } from './docx.ts';
import { docxMaker, pageMaker } from './maker.ts';
import { DocumentFolder } from './put-document.ts';

// What stands in the documents is read back by readers that aren't ours: poppler's tools for PDF, mammoth for DOCX. The
// templates were written by python-docx (testdata/documents/make-templates.py).

const testdata = (name: string): Buffer => readFileSync(join(__dirname, '../../testdata/documents', name));
const words = (text: string): string => text.replace(/\s+/g, ' ').trim();

/** The text of a DOCX, a line a paragraph. */
const readBack = async (bytes: Uint8Array): Promise<string[]> =>
  (await mammoth.extractRawText({ buffer: Buffer.from(bytes) })).value.split('\n').filter((line) => line !== '');

let folder: string;
beforeEach(() => {
  folder = mkdtempSync(join(tmpdir(), 'golden-documents-'));
});
afterEach(() => rmSync(folder, { recursive: true, force: true }));

/** What one of poppler's tools says of a PDF. */
function poppler(tool: string, bytes: Uint8Array, ...args: string[]): string {
  const file = join(folder, 'read.pdf');
  writeFileSync(file, bytes);
  return execFileSync(tool, [...args, file, ...(tool === 'pdftotext' ? ['-'] : [])], { encoding: 'utf8' });
}

const note = () => docxMaker(testdata('delivery-note.docx'));
const full: JsonRecord = {
  number: 'D-17',
  customer: { name: 'Zoë Łukasz & Söhne <Ltd>' },
  remark: 'Ring twice.\nThen wait.',
  total: '12.50',
  lines: [
    { description: 'Clay {number}', quantity: 2, net: '5.00' },
    { description: '山田 glaze', quantity: 1, net: '7.50' },
  ],
};

test('what a template takes is read out of it, wherever its names are cut into pieces', () => {
  const fields = note().fields.map(({ path, type, fields: inner }) => [path, type, inner?.map((one) => one.path)]);
  expect(fields).toEqual(
    expect.arrayContaining([
      ['/number', 'text', undefined],
      ['/customer/name', 'text', undefined],
      ['/remark', 'text', undefined],
      ['/lines', 'list', ['/description', '/quantity', '/net']],
      ['/total', 'text', undefined],
    ]),
  );
  expect(fields).toHaveLength(5);
});

test('a DOCX says what the record says: each line in a row, a part only if, nothing of a value taken for a placeholder', async () => {
  const made = await note().make(full, '');
  expect(made.problems).toEqual([]);
  expect(await readBack(made.bytes)).toEqual([
    'Delivery note D-17',
    'Dear Zoë Łukasz & Söhne <Ltd>,',
    // A reader of plain text leaves the new line within a paragraph out.
    'Please note: Ring twice.Then wait.',
    ...['Item', 'Number', 'Net'],
    ...['Clay {number}', '2', '5.00'],
    ...['山田 glaze', '1', '7.50'],
    'Total 12.50',
  ]);
  const { value: html } = await mammoth.convertToHtml({ buffer: Buffer.from(made.bytes) });
  expect(html).toContain('Ring twice.<br />Then wait.');
  const { remark: _remark, ...bare } = full;
  const without = await note().make({ ...bare, lines: [] }, '');
  expect(without.problems).toEqual([]);
  expect(await readBack(without.bytes)).toEqual([
    'Delivery note D-17',
    'Dear Zoë Łukasz & Söhne <Ltd>,',
    ...['Item', 'Number', 'Net'],
    'Total 12.50',
  ]);
});

test('a value that is missing is told by its name, and one that is empty is not', async () => {
  const { number: _number, lines: _lines, ...bare } = full;
  expect((await note().make(bare, '')).problems.toSorted()).toEqual([
    'There is no value for {lines}.',
    'There is no value for {number}.',
  ]);
  expect((await note().make({ ...full, number: '', total: null }, '')).problems).toEqual([]);
});

test.each([
  ['unclosed.docx', /isn’t closed\. Write \} after the name/],
  ['no-end.docx', /The part “\{#lines\}” has no end\. Write \{\/lines\} where it ends/],
  ['other-end.docx', /“\{#lines\}” is ended by “\{\/items\}”/],
])('what is wrong with %s is said', (name, says) => {
  expect(() => readDocx(testdata(name))).toThrow(BadPlaceholder);
  expect(() => readDocx(testdata(name))).toThrow(says);
});

test('what is no DOCX is refused with what to do', () => {
  for (const bytes of [Buffer.from('no document'), Buffer.alloc(0), testdata('make-templates.py')])
    expect(() => readDocx(bytes)).toThrow(/This is no DOCX document/);
});

test('whatever is put into a DOCX is read in it, and the same values give the same bytes', async () => {
  // Of what XML can hold; a reader may join white space.
  const value = fc
    .string({ unit: 'grapheme', minLength: 1 })
    .map((text) => `(${words(text.replace(/[\p{C}]/gu, ''))})`);
  const line = fc.record({ description: value, quantity: fc.integer(), net: value });
  const record = fc.record({
    number: value,
    customer: fc.record({ name: value }),
    total: value,
    remark: value,
    lines: fc.array(line, { maxLength: 4 }),
  });
  const maker = note();
  await fc.assert(
    fc.asyncProperty(record, async (values) => {
      const [one, other] = await Promise.all([maker.make(values, ''), maker.make(structuredClone(values), '')]);
      expect(Buffer.from(one.bytes).equals(Buffer.from(other.bytes))).toBe(true);
      const read = (await readBack(one.bytes)).map(words);
      expect(read).toEqual([
        `Delivery note ${values.number}`,
        `Dear ${values.customer.name},`,
        `Please note: ${values.remark}`,
        ...['Item', 'Number', 'Net'],
        ...values.lines.flatMap(({ description, quantity, net }) => [description, String(quantity), net]),
        `Total ${values.total}`,
      ]);
    }),
    { numRuns: 12 },
  );
});

const page = {
  blocks: [
    { kind: 'picture', file: 'mark.png', width: 12 },
    { kind: 'heading', text: 'Statement {number}' },
    { kind: 'text', text: 'For {customer.name}\nThank you.' },
    { kind: 'text', text: 'Overdue: {overdue}', onlyIf: 'overdue' },
    {
      kind: 'lines',
      of: 'lines',
      columns: [
        { label: 'Item', text: '{description}' },
        { label: 'Net', text: '{net}', isAmount: true, hasTotal: true },
      ],
    },
  ],
  footer: 'Saltmarsh Kiln Supply · page {page} of {pages}',
};
/** One black pixel (PNG, ISO/IEC 15948). */
const pixel = Buffer.from(
  'iVBORw0KGgoAAAANSUhEUgAAAAEAAAABCAAAAAA6fptVAAAACklEQVR4nGNgAAAAAgABSK+kcQAAAABJRU5ErkJggg==',
  'base64',
);
const pictures = async (name: string) => (name === 'mark.png' ? pixel : undefined);
const statement = (count: number): JsonRecord => ({
  number: 'S-9',
  customer: { name: '山田 太郎, Ωμέγα, Иван Łukasz' },
  overdue: 'no',
  lines: Array.from({ length: count }, (_, at) => ({ description: `Clay ${at + 1}`, net: '0.10' })),
});

test('a PDF says what the record says, in every script of our customers, its fonts in it and its picture drawn', async () => {
  const { bytes, problems } = await pageMaker(page, pictures).make(statement(2), 'Statement S-9');
  expect(problems).toEqual([]);
  expect(words(poppler('pdftotext', bytes, '-layout'))).toBe(
    'Statement S-9 For 山田 太郎, Ωμέγα, Иван Łukasz Thank you. Item Net Clay 1 0.10 Clay 2 0.10 Total 0.20 Saltmarsh Kiln Supply · page 1 of 1',
  );
  const info = poppler('pdfinfo', bytes);
  expect(info).toMatch(/^Title: +Statement S-9$/m);
  expect(info).toMatch(/^Page size: +595\.28 x 841\.89 pts \(A4\)$/m);
  const fonts = poppler('pdffonts', bytes).split('\n').slice(2, -1);
  expect(fonts.length).toBeGreaterThanOrEqual(3);
  for (const font of fonts) expect(font).toMatch(/ yes yes yes /);
  expect(poppler('pdfimages', bytes, '-list')).toMatch(/ image +1 +1 /);
});

test('a long table goes on over pages with its head on each, each page numbered, each line once', async () => {
  const { bytes } = await pageMaker({ ...page, size: 'Letter' }, pictures).make(statement(120), 'Long');
  const text = poppler('pdftotext', bytes, '-layout');
  const pages = Number(/^Pages: +(\d+)$/m.exec(poppler('pdfinfo', bytes))?.[1]);
  expect(pages).toBeGreaterThan(2);
  expect(text.match(/^\f? *Item +Net$/gm)).toHaveLength(pages);
  expect([...text.matchAll(/page (\d+) of (\d+)/g)].map(([, at, of]) => `${at}/${of}`)).toEqual(
    Array.from({ length: pages }, (_, at) => `${at + 1}/${pages}`),
  );
  expect([...text.matchAll(/Clay (\d+)/g)].map(([, at]) => Number(at))).toEqual(
    Array.from({ length: 120 }, (_, at) => at + 1),
  );
  expect(text).toMatch(/Total +12\.00/);
  expect(poppler('pdfinfo', bytes)).toMatch(/^Page size: +612 x 792 pts \(letter\)$/m);
});

test('letters that no font has, and a picture that isn’t there, are told and never left out in silence', async () => {
  const made = await pageMaker(page).make({ ...statement(1), customer: { name: 'نور' } }, 'S');
  expect(made.problems).toEqual(['There is no picture “mark.png”.', 'No font here has these letters: ن و ر']);
  const noPicture = await pageMaker(page, async () => Buffer.from('GIF89a')).make(statement(1), 'S');
  expect(noPicture.problems).toEqual(['“mark.png” is no PNG and no JPEG, so it can’t be drawn.']);
});

test('the same values give the same PDF, other ones another', async () => {
  const maker = pageMaker(page, pictures);
  const [one, same, other] = await Promise.all([2, 2, 3].map((count) => maker.make(statement(count), 'S')));
  expect(Buffer.from(one?.bytes ?? []).equals(Buffer.from(same?.bytes ?? []))).toBe(true);
  expect(Buffer.from(one?.bytes ?? []).equals(Buffer.from(other?.bytes ?? []))).toBe(false);
});

test('nothing that lies in a folder is written over; what lies there already isn’t put there again', async () => {
  const target = join(folder, 'new', 'notes');
  mkdirSync(target, { recursive: true });
  writeFileSync(join(target, 'NOTE 1.pdf'), 'of somebody');
  const open = await DocumentFolder.open(target);
  expect(await open.put('Note 1.pdf', '.pdf', Buffer.from('a'))).toEqual({ kind: 'made', name: 'Note 1 (2).pdf' });
  expect(await open.put('note 1.pdf', '.pdf', Buffer.from('b'))).toEqual({ kind: 'made', name: 'note 1 (3).pdf' });
  const again = await DocumentFolder.open(target);
  expect(await again.put('Note 1.pdf', '.pdf', Buffer.from('a'))).toEqual({ kind: 'there', name: 'Note 1 (2).pdf' });
  expect(readdirSync(target).sort()).toEqual(['NOTE 1.pdf', 'Note 1 (2).pdf', 'note 1 (3).pdf']);
  expect(readFileSync(join(target, 'NOTE 1.pdf'), 'utf8')).toBe('of somebody');
});

test('two that put documents of one name into a folder at the same time lose none', async () => {
  const contents = Array.from({ length: 20 }, (_, at) => `document ${at}`);
  const folders = await Promise.all([DocumentFolder.open(folder), DocumentFolder.open(folder)]);
  await Promise.all(contents.map((text, at) => folders[at % 2]?.put('Note.pdf', '.pdf', Buffer.from(text))));
  const there = readdirSync(folder).map((name) => readFileSync(join(folder, name), 'utf8'));
  expect(there.sort()).toEqual(contents.sort());
});

import fc from 'fast-check';
import { documentName, numberedName, sameName } from './document-name.ts';
import { fieldsOfPage, fillPage, type Page, readPage, unusedValues } from './page.ts';
import { BadPlaceholder, filledText, isThere, namesOfText, partsOfText } from './placeholders.ts';

const bytes = (text: string): number => Buffer.byteLength(text);

test('a text names values in braces; one that is wrongly written is told with what stands around it', () => {
  expect(partsOfText('Note {number} for { customer.name }')).toEqual([
    { kind: 'words', text: 'Note ' },
    { kind: 'value', name: 'number' },
    { kind: 'words', text: ' for ' },
    { kind: 'value', name: 'customer.name' },
  ]);
  expect(() => partsOfText('Note {number for you')).toThrow(/“Note \{number for you” a \{ isn’t closed/);
  expect(() => partsOfText('Note number} for you')).toThrow(/a \} stands without/);
  expect(() => partsOfText('Note {}')).toThrow(/nothing stands between/);
});

test('a text that is filled holds each value as it is, whatever stands in it; braces of values are no placeholders', () => {
  const name = fc.stringMatching(/^[a-z]{1,6}$/);
  const words = fc.string({ unit: 'grapheme' }).map((text) => text.replace(/[{}]/g, ''));
  const record = fc.dictionary(name, fc.string({ unit: 'grapheme' }), { minKeys: 1 });
  fc.assert(
    fc.property(record, fc.array(words, { minLength: 1, maxLength: 5 }), (values, between) => {
      const names = Object.keys(values);
      const pick = (at: number): string => names[at % names.length] ?? '';
      const text = between.map((one, at) => `${one}{${pick(at)}}`).join('');
      const missed: string[] = [];
      expect(filledText(text, [values], (one) => missed.push(one))).toBe(
        between.map((one, at) => `${one}${values[pick(at)] ?? ''}`).join(''),
      );
      expect(missed).toEqual([]);
      expect(new Set(namesOfText(text))).toEqual(new Set(between.map((_, at) => pick(at))));
    }),
  );
});

test.each([
  [undefined, false],
  [null, false],
  ['', false],
  [' no ', false],
  ['false', false],
  ['0', false],
  [[], false],
  [0, false],
  ['yes', true],
  ['some words', true],
  [[1], true],
])('a part that stands there only if %j stands there: %p', (value, there) => expect(isThere(value)).toBe(there));

// The names that NTFS and FAT refuse are a fact of the trade (common practice).
test.each([
  ['Note 17', 'Note 17.pdf', 0],
  ['AC/DC: "live"?', 'AC-DC- -live-.pdf', 1],
  ['  Note \n 17. ', 'Note 17.pdf', 1],
  ['con', 'con_.pdf', 1],
  ['LPT1.old', 'LPT1_.old.pdf', 1],
  ['Console', 'Console.pdf', 0],
  ['.hidden', 'hidden.pdf', 1],
  ['山田 太郎', '山田 太郎.pdf', 0],
])('%j is the file %j', (text, name, told) => {
  const made = documentName(text, '.pdf');
  expect(made?.name).toBe(name);
  expect(made?.told).toHaveLength(told);
});

test('nothing is no name', () => {
  for (const text of ['', '  ', '...', '///', '\n']) expect(documentName(text, '.pdf')).toBeUndefined();
});

test('whatever somebody is called, the file can be put into a folder: short enough, whole letters, the same when made of itself', () => {
  const text = fc.string({
    unit: fc.constantFrom('a', 'é', '山', '👩‍👩‍👧', '/', '.', ' ', ':', '\u0000'),
    maxLength: 300,
  });
  fc.assert(
    fc.property(text, fc.integer({ min: 2, max: 10_000 }), (given, number) => {
      const made = documentName(given, '.docx');
      if (!made) return;
      const bare = made.name.slice(0, -'.docx'.length);
      expect(made.name.endsWith('.docx')).toBe(true);
      expect(bytes(made.name)).toBeLessThanOrEqual(255);
      expect(bare).not.toMatch(/[\\/:*?"<>|\p{Cc}]|^[\s.]|[\s.]$/u);
      // A family isn't cut into a woman and half a family.
      expect(bare.replaceAll('👩‍👩‍👧', '')).not.toMatch(/\u200d|\u{1F469}/u);
      expect(documentName(bare, '.docx')).toEqual({ name: made.name, told: [] });
      const next = numberedName(made.name, '.docx', number);
      expect(bytes(next)).toBeLessThanOrEqual(255);
      expect(sameName(next)).not.toBe(sameName(made.name));
    }),
  );
});

const note: Page = readPage({
  blocks: [
    { kind: 'heading', text: 'Delivery note {number}' },
    { kind: 'text', text: 'For {customer.name}', onlyIf: 'customer' },
    {
      kind: 'lines',
      of: 'lines',
      columns: [
        { label: 'Item', text: '{description} ({number})' },
        { label: 'Net', text: '{net}', isAmount: true, hasTotal: true },
      ],
    },
  ],
  footer: 'Page {page} of {pages} · {number}',
});

test('the fields of a page are what its texts, tables and conditions name', () => {
  expect(
    fieldsOfPage(note).map(({ path, label, type, fields }) => [path, label, type, fields?.map((one) => one.path)]),
  ).toEqual([
    ['/number', 'number', 'text', undefined],
    ['/customer/name', 'customer.name', 'text', undefined],
    ['/lines', 'lines', 'list', ['/description', '/number', '/net']],
    ['/customer', 'customer', 'boolean', undefined],
  ]);
});

test('a page is filled: a line takes what it lacks from its record, what is missing is told, a total is exact', () => {
  const filled = fillPage(note, {
    number: 'D-17',
    customer: { name: 'Ada Nair' },
    lines: [
      { description: 'Clay', net: '0.10' },
      { description: 'Glaze', net: '0.205', number: 'G-1' },
      { description: 'Free', net: '' },
    ],
  });
  expect(filled).toEqual({
    size: 'A4',
    footer: ['Page ', { number: 'page' }, ' of ', { number: 'pages' }, ' · ', 'D-17'],
    problems: [],
    blocks: [
      { kind: 'heading', text: 'Delivery note D-17' },
      { kind: 'text', text: 'For Ada Nair' },
      {
        kind: 'table',
        head: ['Item', 'Net'],
        isAmount: [false, true],
        rows: [
          ['Clay (D-17)', '0.10'],
          ['Glaze (G-1)', '0.205'],
          ['Free (D-17)', ''],
        ],
        totals: ['Total', '0.305'],
      },
    ],
  });
  const { problems, blocks } = fillPage(note, { lines: [{ description: 'Clay', net: 'n/a' }] });
  expect(problems).toEqual([
    'There is no value for {number}.',
    '“n/a” in “Net” is no number, so the column has no total.',
  ]);
  expect(blocks.map(({ kind }) => kind)).toEqual(['heading', 'table']);
});

test('sums agree with whole pence, however many lines there are', () => {
  fc.assert(
    fc.property(fc.array(fc.integer({ min: -1e9, max: 1e9 }), { maxLength: 50 }), (pence) => {
      const lines = pence.map((one) => ({
        description: '',
        number: '',
        net: (BigInt(one) < 0 ? '-' : '') + penceText(one),
      }));
      const table = fillPage(note, { number: '1', lines }).blocks.at(-1);
      const sum = pence.reduce((all, one) => all + BigInt(one), 0n);
      const total = table?.kind === 'table' ? table.totals?.[1] : undefined;
      expect(BigInt((total ?? '').replace('.', ''))).toBe(sum);
    }),
  );
});
const penceText = (pence: number): string =>
  `${Math.trunc(Math.abs(pence) / 100)}.${String(Math.abs(pence) % 100).padStart(2, '0')}`;

test('values that nothing in the document takes are told, also those of lines', () => {
  expect(
    unusedValues(fieldsOfPage(note), {
      number: '1',
      customer: { name: 'Ada', city: 'Saltmarsh' },
      weight: 3,
      lines: [
        { description: 'Clay', net: '1', colour: 'red' },
        { colour: 'blue', size: 'L' },
      ],
    }),
  ).toEqual(['weight', 'lines: colour', 'lines: size']);
});

test('a page that is none says where and what', () => {
  expect(() => readPage({ blocks: [] })).toThrow(BadPlaceholder);
  expect(() => readPage({ blocks: [{ kind: 'text', text: 'Dear {name' }] })).toThrow(/isn’t closed/);
  expect(() => readPage({ blocks: [{ kind: 'film', text: '' }] })).toThrow(/^In block 1 \(kind\): /);
});

test('amounts that people read are alike within a column, by their country’s custom; the sum is of what was given', () => {
  const page: Page = {
    size: 'A4',
    blocks: [
      {
        kind: 'lines',
        of: 'lines',
        columns: [
          { label: 'Quantity', text: '{quantity}', isAmount: true },
          { label: 'Net', text: '{net}', isMoney: true, hasTotal: true },
        ],
      },
    ],
  };
  const record = {
    lines: [
      { quantity: 7, net: '27.6' },
      { quantity: 1, net: '1480' },
    ],
  };
  const table = (print?: { country?: string }) => fillPage(page, record, print).blocks[0];
  expect(table({ country: 'DE' })).toMatchObject({
    rows: [
      ['7', '27,60'],
      ['1', '1.480,00'],
    ],
    totals: ['Total', '1.507,60'],
  });
  expect(table({})).toMatchObject({ totals: ['Total', '1507.60'] });
  expect(table()).toMatchObject({
    rows: [
      ['7', '27.6'],
      ['1', '1480'],
    ],
    totals: ['Total', '1507.6'],
  });
});

import { readFileSync } from 'node:fs';
import { join } from 'node:path';
import type { JsonRecord } from '@golden/core';
import Ajv2019 from 'ajv/dist/2019.js';
import ExcelJS from 'exceljs';
import fc from 'fast-check';
import { XMLParser } from 'fast-xml-parser';
import ical from 'ical';
import Papa from 'papaparse';
import Vcf from 'vcf';
import { cardMaker } from './card.ts';
import { entryMaker } from './entry.ts';
import { invoiceMaker } from './invoice.ts';
import { tableMaker } from './table.ts';

// Documents in open formats, judged by readers and a schema that aren't ours.

const text = (bytes: Uint8Array): string => new TextDecoder('utf-8', { fatal: true }).decode(bytes);

// —— Invoices: EN 16931, OASIS UBL 2.1 ——

const schema = JSON.parse(readFileSync(join(__dirname, '../../../testdata/documents/ubl-invoice.schema.json'), 'utf8'));
const judge = new Ajv2019({ allErrors: true, strict: false, validateFormats: false }).compile(schema);

/** What the schema has against an invoice; prices of one item may have more decimals than amounts, which it leaves out. */
function faultsOf(invoice: unknown): string[] {
  judge({ 'ubl:Invoice': invoice });
  return (judge.errors ?? [])
    .filter(({ instancePath }) => !instancePath.endsWith('/cbc:PriceAmount'))
    .map(({ instancePath, message }) => `${instancePath} ${message}`);
}

type Json = Readonly<Record<string, unknown>>;

/** An element with attributes and a text, and no elements in it. */
const isText = (node: unknown): node is Json =>
  typeof node === 'object' &&
  node !== null &&
  Object.keys(node).every((name) => name === '#text' || name.startsWith('@'));

/** An element as the schema writes it: attributes beside the element, what may come often always a list. */
function asSchemaWrites(node: unknown, known: Json): unknown {
  if (typeof node !== 'object' || node === null) return String(node);
  const properties = (known['properties'] ?? {}) as Readonly<Record<string, Json>>;
  const out: Record<string, unknown> = {};
  for (const [name, given] of Object.entries(node)) {
    if (name.startsWith('@') || name === '#text') continue;
    const inner = properties[name] ?? {};
    const isList = inner['type'] === 'array';
    const items = (Array.isArray(given) ? given : [given]).map((one) => {
      if (!isText(one)) return asSchemaWrites(one, isList ? (inner['items'] as Json) : inner);
      for (const [attribute, value] of Object.entries(one))
        if (attribute.startsWith('@')) out[`${name}${attribute}`] = value;
      return String(one['#text']);
    });
    out[name] = isList ? items : items[0];
  }
  return out;
}

/** Elements that stand in another order than the schema's. */
function outOfOrder(node: unknown, known: Json): string[] {
  if (Array.isArray(node)) return node.flatMap((one) => outOfOrder(one, (known['items'] ?? {}) as Json));
  if (typeof node !== 'object' || node === null) return [];
  const properties = (known['properties'] ?? {}) as Readonly<Record<string, Json>>;
  const order = Object.keys(properties);
  const names = Object.keys(node).filter((name) => !name.includes('@'));
  const sorted = [...names].sort((one, other) => order.indexOf(one) - order.indexOf(other));
  const here = names.join() === sorted.join() ? [] : [names.join()];
  return [...here, ...names.flatMap((name) => outOfOrder((node as Json)[name], properties[name] ?? {}))];
}

const parser = new XMLParser({
  ignoreAttributes: false,
  attributeNamePrefix: '@',
  parseTagValue: false,
  trimValues: false,
});
const invoiceIn = (bytes: Uint8Array): Json => {
  const { Invoice } = parser.parse(text(bytes), true) as { readonly Invoice: Json };
  const known = (schema.properties as Readonly<Record<string, Json>>)['ubl:Invoice'] ?? {};
  return asSchemaWrites(Invoice, known) as Json;
};

const full: JsonRecord = {
  number: 'R-1017',
  issueDate: '2026-11-03',
  dueDate: '2026-12-03',
  currency: 'GBP',
  buyerReference: 'PO 4711',
  order: 'S-00017',
  note: 'Kiln <delivered> & fired',
  terms: 'Within 30 days',
  iban: 'GB33 BUKB 2020 1555 5555 55',
  seller: {
    name: 'Saltmarsh Kiln Supply',
    taxNumber: 'GB 123 4567 89',
    registration: '01234567',
    street: '1 Quay',
    city: 'Rye',
    postcode: 'TN31 7AA',
    country: 'GB',
    email: 'office@saltmarsh.example',
  },
  buyer: {
    name: 'Ember Ceramics Ltd',
    taxNumber: 'GB987654321',
    country: 'United Kingdom',
    email: 'pay@ember.example',
  },
  discount: '5.00',
  charge: '12.50',
  wholeTaxRate: '20',
  prepaid: '10.00',
  total: '63.96',
  lines: [
    {
      item: 'Stoneware clay',
      description: '12.5 kg bag',
      article: 'CLAY-1',
      quantity: '3',
      unit: 'kg',
      price: '14.995',
      discount: '2.00',
      taxRate: '20',
    },
    { item: 'Book', quantity: '1', price: '3.97', taxCategory: 'Z', taxRate: '0' },
  ],
};

test('an invoice holds to the schema of EN 16931, in its order, and comes to what its rules say', async () => {
  // 3 × 14.995 = 44.985 → 44.99, less 2.00: 42.99; with the book 46.96; + 7.50 at 20 %: 50.49 × 0.2 = 10.098 → 10.10.
  const wanted = { ...full, total: '64.56' };
  const { bytes, problems } = await invoiceMaker.make(wanted, 'R-1017');
  expect(problems).toEqual([]);
  const invoice = invoiceIn(bytes);
  expect(faultsOf(invoice)).toEqual([]);
  expect(outOfOrder(invoice, schema.properties['ubl:Invoice'])).toEqual([]);
  expect(invoice).toMatchObject({
    'cbc:Note': ['Kiln <delivered> & fired'],
    'cac:TaxTotal': [{ 'cbc:TaxAmount': '10.10' }],
    'cac:LegalMonetaryTotal': {
      'cbc:LineExtensionAmount': '46.96',
      'cbc:TaxExclusiveAmount': '54.46',
      'cbc:TaxInclusiveAmount': '64.56',
      'cbc:PrepaidAmount': '10.00',
      'cbc:PayableAmount': '54.56',
    },
  });
  expect((await invoiceMaker.make(wanted, 'R-1017')).bytes).toEqual(bytes);
  // What the books say is compared: a cent less is told.
  expect((await invoiceMaker.make(full, '')).problems).toEqual([
    'Your books say 63.96 with tax, and the lines come to 64.56.',
  ]);
});

const cents = fc.integer({ min: 0, max: 9_999_999 });
const amountOf = (minor: number | bigint): string => {
  const [sign, value] = minor < 0 ? ['-', -BigInt(minor)] : ['', BigInt(minor)];
  return `${sign}${value / 100n}.${String(value % 100n).padStart(2, '0')}`;
};
const minorOf = (amount: unknown): bigint => BigInt(String(amount).replace('.', ''));
/** A quotient with half a unit away from nought, in whole numbers. */
const divided = (over: bigint, by: bigint): bigint => {
  const value = over < 0n ? -over : over;
  const whole = (2n * value + by) / (2n * by);
  return over < 0n ? -whole : whole;
};

const line = fc.record({
  item: fc.constant('Glaze'),
  quantity: fc.integer({ min: -500, max: 5000 }).map((tenths) => String(tenths / 10)),
  price: cents.map((tenth) => `${Math.floor(tenth / 1000)}.${String(tenth % 1000).padStart(3, '0')}`),
  taxRate: fc.constantFrom('0', '5', '20', '13.5'),
});

test('whatever the lines are, the totals hold to BR-CO-10, 13, 14, 15, 16 and 17, counted in whole cents', async () => {
  await fc.assert(
    fc.asyncProperty(fc.array(line, { minLength: 1, maxLength: 12 }), cents, cents, async (lines, charge, prepaid) => {
      const given = { ...full, lines, charge: amountOf(charge), prepaid: amountOf(prepaid), discount: '0', total: '' };
      const { bytes, problems } = await invoiceMaker.make(given, '');
      expect(problems).toEqual([]);
      const invoice = invoiceIn(bytes);
      expect(faultsOf(invoice)).toEqual([]);
      const rows = invoice['cac:InvoiceLine'] as readonly Json[];
      const nets = rows.map((row) => minorOf(row['cbc:LineExtensionAmount']));
      // BT-131: quantity (tenths) times price (thousandths), in cents.
      lines.forEach(({ quantity, price }, at) => {
        const [tenths, thousandths] = [BigInt(Math.round(Number(quantity) * 10)), BigInt(price.replace('.', ''))];
        expect(nets[at]).toBe(divided(tenths * thousandths, 100n));
      });
      const totals = invoice['cac:LegalMonetaryTotal'] as Json;
      const sum = (all: readonly bigint[]): bigint => all.reduce((one, other) => one + other, 0n);
      const [tax] = invoice['cac:TaxTotal'] as readonly Json[];
      const subtotals = (tax?.['cac:TaxSubtotal'] ?? []) as readonly Json[];
      const groups = subtotals.map((one) => ({
        taxable: minorOf(one['cbc:TaxableAmount']),
        tax: minorOf(one['cbc:TaxAmount']),
        rate: String((one['cac:TaxCategory'] as Json)['cbc:Percent']),
      }));
      expect(minorOf(totals['cbc:LineExtensionAmount'])).toBe(sum(nets));
      expect(minorOf(totals['cbc:TaxExclusiveAmount'])).toBe(sum(nets) + BigInt(charge));
      expect(minorOf(tax?.['cbc:TaxAmount'])).toBe(sum(groups.map((one) => one.tax)));
      expect(minorOf(totals['cbc:TaxInclusiveAmount'])).toBe(
        sum(nets) + BigInt(charge) + sum(groups.map((one) => one.tax)),
      );
      expect(minorOf(totals['cbc:PayableAmount'])).toBe(minorOf(totals['cbc:TaxInclusiveAmount']) - BigInt(prepaid));
      for (const group of groups)
        expect(group.tax).toBe(divided(group.taxable * BigInt(Number(group.rate) * 10), 1000n));
      for (const rate of new Set(lines.map(({ taxRate }) => taxRate))) {
        const own = sum(nets.filter((_, at) => lines[at]?.taxRate === rate)) + (rate === '20' ? BigInt(charge) : 0n);
        expect(groups.find((one) => one.rate === rate)?.taxable).toBe(own);
      }
    }),
    { numRuns: 60 },
  );
});

test.each<[string, JsonRecord, RegExp]>([
  ['no lines', { lines: [] }, /no lines \(BR-16\)/],
  ['no way to know when it is due', { dueDate: '', terms: '' }, /BR-CO-25/],
  ['a seller whom nobody knows', { seller: { name: 'S', country: 'GB' } }, /BR-CO-26/],
  [
    'a VAT number without its country',
    { buyer: { name: 'B', country: 'GB', taxNumber: '987654321' } },
    /“987654321”.*BR-CO-09/,
  ],
  ['a country that is none', { buyer: { name: 'B', country: 'Atlantis' } }, /“ATLANTIS” is no country of the buyer/],
  ['a currency that is none', { currency: 'pounds' }, /“POUNDS” is no currency/],
  [
    'tax where none may be',
    { lines: [{ item: 'A', quantity: '1', price: '1', taxCategory: 'E', taxRate: '20' }] },
    /E has no tax, and its rate is 20/,
  ],
  [
    'no tax without a reason',
    { lines: [{ item: 'A', quantity: '1', price: '1', taxCategory: 'AE', taxRate: '0' }] },
    /why no tax is charged/,
  ],
  ['a price that is none', { lines: [{ item: 'A', quantity: '1', price: '1,50' }] }, /^Line 1: “1,50” is no price/],
  [
    'a unit that is none',
    { lines: [{ item: 'A', quantity: '1', price: '1', unit: 'bagful' }] },
    /^Line 1: “BAGFUL” is no unit/,
  ],
  ['three decimals', { prepaid: '1.005' }, /1\.005 has more than two decimals/],
])('an invoice with %s is told', async (_what, change, told) => {
  const problems = await invoiceMaker.problemsOf({ ...full, total: '', ...change });
  expect(problems.filter((one) => told.test(one))).toHaveLength(1);
});

// —— Contact cards: vCard 4.0, RFC 6350 ——

const awkward = fc
  .string({ unit: 'grapheme', maxLength: 120 })
  .map((one) => one.replace(/[\p{Cc}\p{Cs}]/gu, '').trim());

test('whatever a card says, another reader reads the same; no line is longer than 75 bytes', async () => {
  await fc.assert(
    fc.asyncProperty(awkward, awkward, awkward, async (name, company, note) => {
      const record = { name: `A${name}`, company, note, email: 'ada@clay.example', mobile: '+44 1632 960318' };
      const { bytes, problems } = await cardMaker.make(record, '');
      expect(problems).toEqual([]);
      const written = text(bytes);
      for (const one of written.split('\r\n')) expect(Buffer.byteLength(one)).toBeLessThanOrEqual(75);
      const [card] = Vcf.parse(written);
      const said = (property: string): string => String(card?.get(property)?.valueOf() ?? '');
      const plain = (value: string): string => value.replace(/\\([,;\\])/g, '$1').replace(/\\n/gi, '\n');
      expect(said('version')).toBe('4.0');
      expect(plain(said('fn'))).toBe(`A${name}`);
      expect(plain(said('note'))).toBe(note);
      expect(plain(said('org'))).toBe(company);
      expect(said('email')).toBe('ada@clay.example');
    }),
  );
});

test('a card without a name is called after its company, and one without both isn’t made', async () => {
  const card = text((await cardMaker.make({ company: 'Clay; Sons, Ltd', city: 'Rye', country: 'GB' }, '')).bytes);
  expect(card).toContain('FN:Clay; Sons\\, Ltd\r\n');
  expect(card).toContain('ADR:;;;Rye;;;GB\r\n');
  expect(await cardMaker.problemsOf({ email: 'ada@clay.example' })).toEqual(['It has neither a name nor a company.']);
});

// —— Calendar entries: iCalendar, RFC 5545 ——

const entryIn = (bytes: Uint8Array) => Object.values(ical.parseICS(text(bytes)))[0];

test('an entry is at the same instant for another reader, says the same, and a whole day ends with its last', async () => {
  const title = 'Kiln visit; bring, boots';
  const timed = {
    title,
    starts: '2026-11-03T09:30:00+02:00',
    ends: '2026-11-03T11:00:00+02:00',
    place: 'Rye\nQuay',
    id: 'S-17',
  };
  const { bytes, problems } = await entryMaker.make(timed, '');
  expect(problems).toEqual([]);
  const entry = entryIn(bytes);
  expect(entry?.start?.toISOString()).toBe('2026-11-03T07:30:00.000Z');
  expect(entry?.end?.toISOString()).toBe('2026-11-03T09:00:00.000Z');
  expect(entry).toMatchObject({ summary: title, location: 'Rye\nQuay' });
  expect((await entryMaker.make({ ...timed, place: 'Elsewhere' }, '')).bytes).not.toEqual(bytes);
  // The same id stays the same entry.
  expect(entryIn((await entryMaker.make({ ...timed, place: 'Elsewhere' }, '')).bytes)?.uid).toBe(entry?.uid);
  const days = text((await entryMaker.make({ title, day: '2026-12-31', lastDay: '2027-01-01' }, '')).bytes);
  expect(days).toContain('DTSTART;VALUE=DATE:20261231\r\n');
  expect(days).toContain('DTEND;VALUE=DATE:20270102\r\n');
});

test.each<[JsonRecord, string]>([
  [{ starts: '2026-11-03T09:30:00Z' }, 'It has no title.'],
  [{ title: 'Visit' }, 'It says neither when it starts nor on which day it is.'],
  [{ title: 'Visit', day: 'Friday' }, '“Friday” is no date.'],
  [{ title: 'Visit', starts: '2026-11-03T09:30:00Z', ends: '2026-11-03T09:00:00Z' }, 'It ends before it starts.'],
  [{ title: 'Visit', day: '2026-11-03', lastDay: '2026-11-02' }, 'Its last day comes before its first.'],
])('an entry that can’t be is told: %j', async (record, told) =>
  expect(await entryMaker.problemsOf(record)).toEqual([told]),
);

// —— Lists: RFC 4180, ECMA-376 ——

const page = {
  blocks: [
    { kind: 'heading', text: 'Note {number}' },
    {
      kind: 'lines',
      of: 'lines',
      columns: [
        { label: 'Item', text: '{item}' },
        { label: 'Net', text: '{net}', isAmount: true, hasTotal: true },
      ],
    },
  ],
};

test('a page’s table as CSV and XLSX says for other readers what its lines say; only what the table names is taken', async () => {
  const [csv, xlsx] = [tableMaker(page, '.csv'), tableMaker(page, '.xlsx')];
  expect(csv.fields.map(({ label }) => label)).toEqual(['lines']);
  await fc.assert(
    fc.asyncProperty(fc.array(fc.tuple(awkward, cents), { maxLength: 8 }), async (rows) => {
      const lines = rows.map(([item, net]) => ({ item, net: amountOf(net) }));
      const list = Papa.parse<string[]>(
        text((await csv.make({ lines }, '')).bytes)
          .slice(1)
          .trimEnd(),
        { delimiter: ',' },
      );
      // A text that a spreadsheet program would run as a formula has an apostrophe.
      const shown = list.data.slice(1).map(([item = '', net]) => [item.replace(/^'(?=[=+\-@])/, ''), net]);
      if (rows.length > 0) expect(shown).toEqual(lines.map(({ item, net }) => [item, net]));
      const made = await xlsx.make({ lines }, '');
      const book = new ExcelJS.Workbook();
      await book.xlsx.load(Buffer.from(made.bytes) as never);
      const sheet = book.worksheets[0];
      expect(lines.map((_, at) => sheet?.getCell(at + 2, 2).value)).toEqual(lines.map(({ net }) => Number(net)));
      expect(lines.map((_, at) => sheet?.getCell(at + 2, 1).text ?? '')).toEqual(lines.map(({ item }) => item));
      expect((await xlsx.make({ lines }, '')).bytes).toEqual(made.bytes);
    }),
    { numRuns: 30 },
  );
});

test('a page without a table is no list', () =>
  expect(() => tableMaker({ blocks: [{ kind: 'text', text: 'Dear {name}' }] }, '.csv')).toThrow(/no table of lines/));

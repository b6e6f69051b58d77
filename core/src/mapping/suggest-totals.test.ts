import fc from 'fast-check';
import { aField, contentWith, writeToList } from '../testing/workflows.ts';
import type { Field } from '../values/field.ts';
import type { JsonRecord } from '../values/value.ts';
import { proposalsToAccept, rehearsedAs } from '../workflow/going-live.ts';
import { mapRecord } from './map-record.ts';
import { lineRoleOf, totalRoleOf } from './money-roles.ts';
import { suggestMapping, suggestSources } from './suggest.ts';
import { saleOf } from './suggest-totals.ts';

// Amounts by what they mean, after the business terms and the rules BR-CO-10 to BR-CO-16 of EN 16931.

const money = (label: string): Field => aField(`/${label.replaceAll(' ', '_')}`, { label, type: 'money' });

test.each([
  // The names of UBL 2.1 for the amounts of a document.
  ['line extension amount', 'lines'],
  ['allowance total amount', 'allowance'],
  ['charge total amount', 'charge'],
  ['tax exclusive amount', 'exclusive'],
  ['tax amount', 'tax'],
  ['tax inclusive amount', 'inclusive'],
  ['prepaid amount', 'prepaid'],
  ['payable amount', 'payable'],
  // As shops and people call them (common practice).
  ['subtotal', 'lines'],
  ['discount total', 'allowance'],
  ['shipping', 'charge'],
  ['tax total', 'tax'],
  ['VAT', 'tax'],
  ['net total', 'exclusive'],
  ['grand total', 'inclusive'],
  ['total', 'inclusive'],
  ['amount due', 'payable'],
  ['balance due', 'payable'],
  ['Versandkosten', 'charge'],
  ['MwSt', 'tax'],
  ['Gesamtbetrag', 'inclusive'],
  ['tax percent', undefined],
  ['charge tax category', undefined],
  ['VAT number', undefined],
  ['payment terms days', undefined],
  ['order number', undefined],
])('“%s” of a document means %s', (label, role) => expect(totalRoleOf(money(label))).toBe(role));

test.each([
  ['invoiced quantity', 'quantity'],
  ['price amount', 'price'],
  ['unit price', 'price'],
  ['allowance amount', 'allowance'],
  ['line extension amount', 'net'],
  ['line total', 'net'],
  ['tax rate', 'rate'],
  ['tax percent', 'rate'],
  ['tax category', 'category'],
  ['unit code', 'unit'],
  ['sellers item id', 'article'],
  ['sku', 'article'],
  ['item name', 'name'],
] as const)('“%s” of a line means %s', (label, role) =>
  expect(lineRoleOf({ label, type: role === 'net' || role === 'price' ? 'money' : 'text' })).toBe(role),
);

const saleFields: Field[] = [
  aField('/lines', {
    type: 'list',
    fields: [
      aField('/sku', { label: 'sku' }),
      aField('/quantity', { label: 'quantity', type: 'decimal' }),
      aField('/unit_price', { label: 'unit price', type: 'money' }),
      aField('/discount', { label: 'discount', type: 'money' }),
      aField('/tax_rate', { label: 'tax rate', type: 'decimal' }),
      aField('/line_total', { label: 'line total', type: 'money' }),
    ],
  }),
  money('shipping'),
  money('tax total'),
  money('total'),
];
const invoiceFields: Field[] = [
  aField('/invoiceLines', {
    label: 'invoice lines',
    type: 'list',
    fields: [
      aField('/invoicedQuantity', { label: 'invoiced quantity', type: 'decimal' }),
      aField('/priceAmount', { label: 'price amount', type: 'money' }),
      aField('/allowanceAmount', { label: 'allowance amount', type: 'money' }),
      aField('/lineExtensionAmount', { label: 'line extension amount', type: 'money' }),
    ],
  }),
  ...['line extension amount', 'allowance total amount', 'charge total amount', 'tax exclusive amount'].map(money),
  ...['tax amount', 'tax inclusive amount', 'prepaid amount', 'payable amount'].map(money),
];

const pence = (value: number): string => (value / 100).toFixed(2);
const aLine = fc.record({
  quantity: fc.integer({ min: 1, max: 9 }),
  price: fc.integer({ min: 1, max: 90_000 }),
  discount: fc.constantFrom(0, 0, 0, 17, 250),
  rate: fc.constantFrom(0, 5, 20),
});
/** A sale whose sums are right: each line, the tax of each rate by itself, the total. */
const aSale = fc
  .record({ lines: fc.array(aLine, { minLength: 1, maxLength: 5 }), shipping: fc.constantFrom(0, 495, 1250) })
  .map(({ lines, shipping }): JsonRecord => {
    const priced = lines.map((one) => ({ ...one, net: one.quantity * one.price - Math.min(one.discount, one.price) }));
    const net = priced.reduce((sum, one) => sum + one.net, 0) + shipping;
    const byRate = new Map<number, number>([[20, shipping]]);
    for (const one of priced) byRate.set(one.rate, (byRate.get(one.rate) ?? 0) + one.net);
    const tax = [...byRate].reduce((sum, [rate, amount]) => sum + Math.round((amount * rate) / 100), 0);
    return {
      lines: priced.map((one) => ({
        sku: 'CLAY',
        quantity: String(one.quantity),
        unit_price: pence(one.price),
        discount: pence(Math.min(one.discount, one.price)),
        tax_rate: String(one.rate),
        line_total: pence(one.net),
      })),
      shipping: pence(shipping),
      tax_total: pence(tax),
      total: pence(net + tax),
    };
  });

const proposed = (records: readonly JsonRecord[]) => {
  const sale = saleOf({ fields: saleFields, singular: 'order' }, records, 'start');
  const all = suggestMapping(suggestSources(records, saleFields, 'start'), invoiceFields, [], sale);
  return Object.fromEntries(all.map((one) => [one.path, one.filling]));
};
const around = { zone: 'utc', country: 'GB' };
const seed = Number(process.env['GOLDEN_SEED'] ?? 16931);

test('law: whatever is sold, what is proposed keeps to BR-CO-10, 13, 15 and 16 for every sale', () => {
  fc.assert(
    fc.property(fc.array(aSale, { minLength: 4, maxLength: 20 }), (sales) => {
      const mapping = proposed(sales);
      expect(Object.keys(mapping)).not.toContain('/allowance_total_amount');
      for (const sale of sales) {
        const { values, problems } = mapRecord(mapping, invoiceFields, { start: sale }, around);
        expect(problems).toEqual([]);
        const of = (name: string): number => Math.round(Number(values[`/${name.replaceAll(' ', '_')}`]) * 100);
        const lines = values['/invoiceLines'] as { lineExtensionAmount: string }[];
        const nets = lines.reduce((sum, one) => sum + Math.round(Number(one.lineExtensionAmount) * 100), 0);
        expect(of('line extension amount')).toBe(nets);
        expect(of('tax exclusive amount')).toBe(nets + of('charge total amount'));
        expect(of('tax inclusive amount')).toBe(of('tax exclusive amount') + of('tax amount'));
        expect(of('payable amount')).toBe(of('tax inclusive amount'));
      }
    }),
    { seed, numRuns: 40 },
  );
});

test('law: an amount that the samples contradict is not proposed, and never another one in its place', () => {
  const wrong = aSale.map(
    (sale): JsonRecord => ({ ...sale, total: pence(Math.round(Number(sale['total']) * 100) + 777) }),
  );
  fc.assert(
    fc.property(fc.array(wrong, { minLength: 4, maxLength: 12 }), (sales) => {
      const mapping = proposed(sales);
      for (const name of ['/tax_inclusive_amount', '/payable_amount', '/tax_exclusive_amount'])
        expect(mapping[name]).toBeUndefined();
    }),
    { seed, numRuns: 30 },
  );
});

test('without any records the amounts are proposed by their names, so that a draft isn’t empty', () => {
  const mapping = proposed([]);
  expect(mapping['/tax_inclusive_amount']).toMatchObject({ ref: { path: '/total' } });
  expect(mapping['/invoiceLines']).toMatchObject({ kind: 'lines' });
});

describe('before going live', () => {
  const content = (more: Parameters<typeof writeToList>[0]) => contentWith([writeToList(more)]);

  test('what a mistake is dear in has to be accepted: what records are matched by, ids and money', () => {
    const suggested = { '/Number': 'an id', '/Name': 'same name' };
    expect(proposalsToAccept(content({ suggested })).map(({ path }) => path)).toEqual(['/Number']);
    expect(proposalsToAccept(content({ suggested, isOff: true }))).toEqual([]);
    expect(proposalsToAccept(content({}))).toEqual([]);
  });

  test('a rehearsal stands for every draft that comes to the same, and for no other', () => {
    const before = content({});
    const named = { ...before, name: 'Another name', start: { ...before.start, fromWhen: { kind: 'now' as const } } };
    expect(rehearsedAs(named)).toBe(rehearsedAs(before));
    expect(rehearsedAs(content({ suggested: { '/Number': 'an id' }, note: 'For the front desk' }))).toBe(
      rehearsedAs(before),
    );
    expect(rehearsedAs(content({ empties: 'all' }))).not.toBe(rehearsedAs(before));
    expect(rehearsedAs(content({ mapping: {} }))).not.toBe(rehearsedAs(before));
  });
});

import { fieldsOf } from './fields.ts';
import type { JsonSchema } from './schema.ts';
import { isUbl, plainUblName } from './ubl-names.ts';

// The names of elements are UBL 2.1's (OASIS, 2013); what they are called is after the business terms of EN 16931-1.

const text: JsonSchema = { type: 'string' };
const money: JsonSchema = { type: 'integer', format: 'money-minor' };
const line: JsonSchema = {
  type: 'object',
  properties: { lineExtensionAmount: money, priceAmount: money, sellersItemId: text, note: text },
};
const invoice: JsonSchema = {
  type: 'object',
  properties: {
    invoiceNumber: text,
    taxExclusiveAmount: money,
    lineExtensionAmount: money,
    invoiceLines: { type: 'array', items: line },
    buyer: { type: 'object', properties: { postalAddress: { type: 'object', properties: { streetName: text } } } },
  },
};
const named = (schema: JsonSchema) => fieldsOf(schema, undefined, { idPath: '/id', recordType: 'invoices' });

test('fields after UBL are called as people call them, the standard’s name behind; the same element otherwise in a line', () => {
  const fields = named(invoice);
  const told = (path: string, among = fields) => {
    const { label, standardName } = among.find((one) => one.path === path) ?? {};
    return [label, standardName];
  };
  expect(told('/taxExclusiveAmount')).toEqual(['total without tax', 'tax exclusive amount']);
  expect(told('/lineExtensionAmount')).toEqual(['sum of the lines', 'line extension amount']);
  expect(told('/invoiceNumber')).toEqual(['invoice number', undefined]);
  expect(told('/buyer/postalAddress/streetName')).toEqual(['buyer · postal address · street', 'street name']);
  const lines = fields.find(({ path }) => path === '/invoiceLines')?.fields ?? [];
  expect(told('/lineExtensionAmount', lines)).toEqual(['net amount', 'line extension amount']);
  expect(told('/priceAmount', lines)).toEqual(['price', 'price amount']);
  expect(told('/note', lines)).toEqual(['note', undefined]);
});

test('an app that doesn’t write after UBL keeps its own names, or gives them by its titles', () => {
  const own: JsonSchema = {
    type: 'object',
    properties: {
      companyId: { type: 'string', title: 'Firm' },
      taxAmount: money,
      about: { type: 'string', title: 'x'.repeat(61) },
      empty: { type: 'string', title: '  ' },
    },
  };
  expect(named(own).map(({ label, standardName }) => [label, standardName])).toEqual([
    ['Firm', undefined],
    ['tax amount', undefined],
    ['about', undefined],
    ['empty', undefined],
  ]);
});

test.each([
  ['nothing', {}],
  ['no object as a property', { properties: { a: null, b: 3, c: 'x', d: [] } }],
  ['no object as a part’s properties', { properties: { a: { properties: null }, b: { properties: 'x' } } }],
])('a description that holds %s is read all the same', (_name, schema) => {
  expect(isUbl(schema as never)).toBe(false);
  expect(plainUblName('constructor', false)).toBeUndefined();
  expect(plainUblName('__proto__', true)).toBeUndefined();
});

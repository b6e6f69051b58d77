import fc from 'fast-check';
import type { Field, FieldType } from '../values/field.ts';
import { completedRecord } from './completed-record.ts';
import { fieldsOfPage, fillPage, readPage, unusedValues } from './page.ts';
import { exampleRecord, proposePage } from './proposed-page.ts';

const field = (label: string, type: FieldType, fields?: Field[]): Field => ({
  path: `/${label}`,
  label,
  type,
  ...(fields && { fields }),
});

const orders = {
  singular: 'order',
  fields: [
    field('id', 'id'),
    field('placed on', 'date'),
    field('number', 'text'),
    field('customer', 'record', [field('name', 'text')]),
    field('lines', 'list', [
      field('item', 'text'),
      field('quantity', 'integer'),
      field('net', 'money'),
      field('notes', 'list'),
    ]),
  ],
};

test('a first page is headed by what names a record, tells its values, and has a table of its lines with totals of money', () => {
  expect(proposePage(orders)).toEqual({
    size: 'A4',
    blocks: [
      { kind: 'heading', text: 'Order {number}' },
      { kind: 'text', text: 'Placed on: {placed on}' },
      {
        kind: 'lines',
        of: 'lines',
        columns: [
          { label: 'Item', text: '{item}' },
          { label: 'Quantity', text: '{quantity}', isAmount: true },
          { label: 'Net', text: '{net}', isMoney: true, hasTotal: true },
        ],
      },
    ],
    footer: 'Page {page} of {pages}',
  });
});

const labels = fc.string({ unit: 'grapheme', minLength: 1, maxLength: 12 }).filter((label) => label.trim() === label);
const plainField = fc
  .tuple(labels, fc.constantFrom<FieldType>('text', 'integer', 'decimal', 'money', 'date', 'boolean', 'id', 'choice'))
  .map(([label, type]) => field(label, type));
const listField = fc
  .tuple(labels, fc.array(plainField, { maxLength: 8 }))
  .map(([label, inner]) => field(label, 'list', inner));
const source = fc.record({
  singular: labels,
  fields: fc.array(fc.oneof(plainField, listField), { maxLength: 14 }),
});

test('whatever a source holds, its first page can be read, names only what is there, and is filled by its examples', () => {
  fc.assert(
    fc.property(source, ({ singular, fields }) => {
      const page = readPage(
        JSON.parse(JSON.stringify(proposePage({ singular: singular.replace(/[{}]/g, ''), fields }))),
      );
      const takes = fieldsOfPage(page);
      const known = new Set(fields.map(({ label }) => label));
      expect(takes.filter(({ label }) => !known.has(label))).toEqual([]);
      const examples = exampleRecord(takes);
      expect(unusedValues(takes, examples)).toEqual([]);
      expect(fillPage(page, examples).problems).toEqual([]);
    }),
  );
});

test('what a mapping leaves out is empty, within lines too, and is told once', () => {
  const fields = [field('number', 'text'), field('lines', 'list', [field('item', 'text'), field('net', 'decimal')])];
  const told: string[] = [];
  const whole = completedRecord(fields, { lines: [{ item: 'Clay' }, { net: '3.00' }] }, (one) => told.push(one));
  expect(whole).toEqual({
    number: '',
    lines: [
      { item: 'Clay', net: '' },
      { item: '', net: '3.00' },
    ],
  });
  expect(told).toEqual(['number', 'lines: net', 'lines: item']);
});

import fc from 'fast-check';
import type { FieldType } from '../values/field.ts';
import type { Value } from '../values/value.ts';
import { type Equality, equalities, formOf, proposeEquality } from './equality.ts';

const here = { country: 'GB', zone: 'Europe/London' };
const equal = (one: Value, other: Value, as: Equality): boolean => formOf(one, as, here) === formOf(other, as, here);

test.each<[Equality, Value, Value]>([
  ['spaces', ' Ember  Ceramics ', 'Ember Ceramics'],
  ['case', 'Ella LUNDIN', 'Ella Lundin'],
  // Full case folding, Unicode Standard 3.13: the long s of German meets two.
  ['case', 'Straße', 'STRASSE'],
  ['number', '1,204.50', 1204.5],
  ['money', '12.5', '12.50'],
  ['money', '£1,204.50', '1204.5'],
  ['date', '2026-11-30T23:30:00Z', '30/11/2026'],
  // The same moment in two zones (RFC 3339, section 5.8 compares such).
  ['instant', '2026-11-30T10:00:00+01:00', '2026-11-30T09:00:00Z'],
  ['phone', '01632 960771', '+44 1632 960 771'],
  ['yes_no', true, 'ja'],
  ['whole', { a: 1, b: [2] }, { b: [2], a: 1 }],
  ['exact', null, ''],
  ['number', '   ', null],
])('as %s %j is %j', (as, one, other) => {
  expect(equal(one, other, as)).toBe(true);
});

test.each<[Equality, Value, Value]>([
  ['exact', 'Ella', 'ella'],
  ['spaces', 'Ella', 'ella'],
  ['case', 'José', 'Jose'],
  ['number', '12.50', '12.51'],
  ['money', '12.504', '12.51'],
  ['date', '2026-11-30T23:30:00Z', '2026-12-01'],
  ['phone', '01632 960771', '01632 960772'],
  ['number', '5', 'five'],
  // A word that looks like the mark of what was read is still a word.
  ['number', '#5', '5'],
  ['yes_no', 'true', '#true'],
  ['exact', null, '0'],
  ['number', null, 0],
])('as %s %j is not %j', (as, one, other) => {
  expect(equal(one, other, as)).toBe(false);
});

test('a value is equal to itself however it is compared, and only nothing has no form', () => {
  fc.assert(
    fc.property(fc.constantFrom(...equalities), fc.jsonValue(), (as, value) => {
      const form = formOf(value as Value, as, here);
      expect(formOf(structuredClone(value) as Value, as, here)).toBe(form);
      if (typeof value === 'number' || typeof value === 'boolean') expect(form).not.toBe('');
    }),
  );
});

test.each<[FieldType, FieldType, Equality]>([
  ['text', 'phone', 'phone'],
  ['any', 'money', 'money'],
  ['instant', 'date', 'date'],
  ['email', 'text', 'case'],
  ['text', 'text', 'spaces'],
  ['list', 'any', 'whole'],
])('of %s and %s it is proposed to compare as %s', (left, right, as) => {
  expect(proposeEquality({ type: left }, { type: right })).toBe(as);
  expect(proposeEquality({ type: right }, { type: left })).toBe(as);
});

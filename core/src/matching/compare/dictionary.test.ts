import fc from 'fast-check';
import { findDuplicates, runSearch } from '../find-duplicates.ts';
import { MatchTable } from '../table.ts';
import { Dictionary, PairDictionary } from './dictionary.ts';

// A table of a million records must not hold more than it is compared by.

test('pairs of numbers are told apart and counted as a list has them', () => {
  const number = fc.oneof(fc.nat(5), fc.integer({ min: 2 ** 26 - 3, max: 2 ** 26 - 1 }));
  fc.assert(
    fc.property(fc.array(fc.tuple(number, number), { minLength: 1, maxLength: 60 }), (given) => {
      const pairs = new PairDictionary();
      const numbers = given.map(([one, other]) => pairs.add(one, other));
      for (const [at, pair] of given.entries()) {
        const alike = given.filter(([one, other]) => one === pair[0] && other === pair[1]).length;
        expect(numbers.filter((one) => one === numbers[at])).toHaveLength(alike);
        expect(pairs.share(numbers[at] as number)).toBeCloseTo(alike / given.length, 12);
      }
    }),
  );
});

test('once it is complete nothing is added, and all is known as before', () => {
  const texts = new Dictionary();
  const pairs = new PairDictionary();
  const numbers = ['Nair', 'Boyle', 'Nair'].map((text) => texts.add(text));
  const pair = pairs.add(3, 4);
  texts.complete();
  pairs.complete();
  expect(() => texts.add('Holm')).toThrow('No more records');
  expect(() => pairs.add(3, 4)).toThrow('No more records');
  expect(numbers).toEqual([0, 1, 0]);
  expect(texts.text(1)).toBe('Boyle');
  expect(texts.share(0)).toBeCloseTo(2 / 3);
  expect(pairs.share(pair)).toBe(1);
});

test('a table with every kind of field is searched alike, whether it was completed or not', () => {
  const kinds = [
    'given_name',
    'family_name',
    'company',
    'email',
    'phone',
    'tax_number',
    'street',
    'postcode',
    'city',
    'country',
    'date',
    'amount',
    'code',
    'text',
    'address',
  ] as const;
  const fill = (completed: boolean) => {
    const table = new MatchTable(kinds.map((kind) => ({ name: kind, kind })));
    for (let at = 0; at < 90; at++)
      table.add([
        `Ada${at % 7}`,
        `Boyle${at % 45}`,
        `Kiln ${at % 30} Ltd`,
        at % 5 ? `ada.boyle${at % 45}@clay.example` : '',
        `01632 96${1000 + (at % 45)}`,
        `GB ${100_000_000 + (at % 45)}`,
        `${at % 45} Kiln Lane`,
        `SM${at % 9} 4AB`,
        'Saltmarsh',
        'GB',
        '2026-03-05',
        String(at % 45),
        `C-${at % 45}`,
        'glaze and clay',
        `${at % 45} Kiln Lane, Saltmarsh`,
      ]);
    if (completed) table.complete();
    return runSearch(findDuplicates(table)).pairs;
  };
  expect(fill(true)).toEqual(fill(false));
});

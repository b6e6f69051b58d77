import fc from 'fast-check';
import type { JsonRecord } from '../values/value.ts';
import { indexWords, searchWords } from './search-words.ts';

/** Whether a search finds a record: each word of it is one of the record's, or one begins with it. */
function finds(query: string, record: JsonRecord, names: readonly string[] = []): boolean {
  const has = indexWords([record], names, 'GB');
  const wanted = searchWords(query, 'GB');
  return (
    wanted.length > 0 &&
    wanted.every(({ text, isWhole }) => has.some((word) => (isWhole ? word === text : word.startsWith(text))))
  );
}

const abbey: JsonRecord = {
  first_name: 'Zoë',
  last_name: "O'Neill-Bechtelar",
  email: 'Abbey@Kiln.example',
  phone: '01632 960 653',
  address: { street: '96 Ash Glaze Close', city: '東京都港区' },
  total: 299.65,
  lines: [{ sku: 'CLAY-10' }],
};

test.each([
  ['zoe'],
  ['ZOË bech'],
  ['o’neill'],
  ['abbey@kiln.example'],
  ['Abbey@kiln'],
  // Any part of the number, however it is typed; as called from abroad too.
  ['960 653'],
  ['632-960'],
  ['960653'],
  ['+44 1632 960653'],
  ['0044 1632 960 653'],
  ['ash glaze'],
  ['東京'],
  ['港区'],
  ['clay 10'],
  ['299.65'],
])('“%s” finds her', (query) => {
  expect(finds(query, abbey)).toBe(true);
});

test.each([['zoe miller'], ['960 654'], ['653 960'], ['京東'], [''], ['  '], ['@'], ['bbey']])(
  '“%s” doesn’t',
  (query) => {
    expect(finds(query, abbey)).toBe(false);
  },
);

test('what a record is called, and each of its words, telephone and parts of numbers find it', () => {
  expect(finds('S-20593', {}, ['S-20593'])).toBe(true);
  fc.assert(
    fc.property(fc.string({ unit: 'grapheme' }), fc.stringMatching(/^\d{5,14}$/), fc.nat(2), (text, digits, from) => {
      const record = { text, number: digits };
      for (const { text: word } of searchWords(text, 'GB').slice(0, 5)) expect(word).not.toMatch(/[\s"*:]/u);
      expect(finds(digits.slice(from), record)).toBe(true);
      if (searchWords(text, 'GB').length > 0) expect(finds(text, record)).toBe(true);
    }),
  );
});

test('a long record is cut, not refused', () => {
  const long = { text: Array.from({ length: 5000 }, (_, at) => `w${at}`).join(' ') };
  expect(indexWords([long, { email: 'late@x.example' }], ['first'], 'GB').length).toBeLessThan(3000);
});

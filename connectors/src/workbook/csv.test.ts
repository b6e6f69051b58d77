import fc from 'fast-check';
import Papa from 'papaparse';
import { editCsv, readCsv } from './csv.ts';
import type { BookEdit } from './sheet.ts';

/** What a value holds: nothing in it may be a lone half of a character, which UTF-8 can't hold. */
const value = fc.oneof(
  fc.constantFrom('', 'x', 'a "b"', 'Zoë; Ó', 'one,two', 'up\nand down', '00420', ' spaced '),
  fc.string({ unit: 'grapheme', maxLength: 6 }),
);
/** Rows have something in their first place: a blank one is none. */
const row = fc
  .tuple(
    value.map((text) => `r${text.replaceAll('\r', '')}`),
    value,
    value,
  )
  .map((cells) => cells.map((cell) => cell.replaceAll('\r', '')));
const rows = fc.array(row, { minLength: 1, maxLength: 8 });

/** A file as other programs write it. */
const style = fc.record({
  delimiter: fc.constantFrom(',', ';', '\t'),
  newline: fc.constantFrom('\r\n', '\n'),
  quotes: fc.boolean(),
  mark: fc.constantFrom('', '\ufeff'),
  end: fc.constantFrom('', 'one', 'blank lines'),
});

const editsOf = (added: readonly (readonly string[])[], from: number): BookEdit[] =>
  added.map((cells, at) => ({
    kind: 'cells',
    tab: 'list',
    row: from + at,
    cells: cells.map((one, column) => ({ column: column + 1, value: one, type: 'text' })),
  }));
const cellsOf = (bytes: Uint8Array): unknown[][] =>
  readCsv('list.csv', bytes).sheets[0]?.rows.map(({ record }) => Object.values(record)) ?? [];

test('rows that are added leave every byte of the file as it is, and are read with the others', () => {
  fc.assert(
    fc.property(rows, rows, style, (there, added, { delimiter, newline, quotes, mark, end }) => {
      const text = Papa.unparse([['a', 'b', 'c'], ...there], { delimiter, newline, quotes });
      const bytes = Buffer.from(
        `${mark}${text}${end === '' ? '' : newline}${end === 'blank lines' ? newline.repeat(2) : ''}`,
      );
      const saved = Buffer.from(editCsv('list.csv', bytes, editsOf(added, there.length + 2)));
      expect(saved.subarray(0, bytes.length)).toEqual(bytes);
      expect(cellsOf(saved)).toEqual([...there, ...added]);
      expect(saved.toString().endsWith(newline)).toBe(true);
      expect(saved.subarray(bytes.length).includes('\r')).toBe(newline === '\r\n');
    }),
    { seed: 23, numRuns: 500 },
  );
});

test('a file in which every value stands in quotation marks goes on so; rows beyond the next one leave empty ones between', () => {
  const quoted = Buffer.from('"a";"b"\r\n"1";"two"\r\n');
  expect(Buffer.from(editCsv('list.csv', quoted, editsOf([['3', 'x;y']], 3))).toString()).toBe(
    '"a";"b"\r\n"1";"two"\r\n"3";"x;y"\r\n',
  );
  const plain = Buffer.from('a,b\n1,"two, or three"\n');
  expect(Buffer.from(editCsv('list.csv', plain, editsOf([['4', 'x']], 4))).toString()).toBe(
    'a,b\n1,"two, or three"\n,\n4,x\n',
  );
});

test('mixed line ends: the file is gone on with by those it is read by; without changes it is as it was', () => {
  for (const text of ['a,b\n1,"x, y"\r\nline', 'a,b\r\n1,2\r\n3,4\n', 'a,b\r1,2\r', 'a,b\r\n1,2\n3,4']) {
    const bytes = Buffer.from(text);
    const before = cellsOf(bytes);
    const saved = editCsv('list.csv', bytes, editsOf([['9', 'new']], before.length + 2));
    expect(cellsOf(saved)).toEqual([...before, ['9', 'new']]);
    expect(Buffer.from(saved).subarray(0, bytes.length)).toEqual(bytes);
    expect(editCsv('list.csv', bytes, [])).toBe(bytes);
  }
});

test('a change among the rows rewrites the file in its own style; an empty file takes names', () => {
  const given = Buffer.from('\ufeffName;No\nÓskar;1\nZoë;2\n');
  expect(Buffer.from(editCsv('list.csv', given, editsOf([['Ada', '3']], 2))).toString()).toBe(
    '\ufeffName;No\nAda;3\nZoë;2\n',
  );
  expect(
    Buffer.from(editCsv('list.csv', Buffer.from(''), [{ kind: 'columns', tab: 'list', names: ['a', 'b'] }])).toString(),
  ).toBe('a,b\r\n');
});

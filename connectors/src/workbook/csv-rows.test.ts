import fc from 'fast-check';
import Papa from 'papaparse';
import { editCsv, lazyCsv, outlineCsv, readCsv } from './csv.ts';
import { type CsvRows, placesOfRows } from './csv-rows.ts';
import { RowListings } from './row-listings.ts';
import type { BookEdit } from './sheet.ts';

// A long CSV file is read a row at a time, out of its text. The judge is the same file read whole.

const piece = fc.constantFrom(
  'a',
  'Zoë',
  '"',
  '""',
  ',',
  ';',
  '\n',
  '\r\n',
  '\r',
  ' ',
  '\t',
  'x y',
  '1,5',
  '"q"',
  '\u00a0',
);
const anyText = fc.array(piece, { maxLength: 40 }).map((pieces) => `N,M\n${pieces.join('')}`);
const wellFormed = fc
  .tuple(
    fc.array(fc.array(fc.string({ unit: 'grapheme', maxLength: 5 }), { minLength: 2, maxLength: 4 }), {
      maxLength: 12,
    }),
    fc.constantFrom(',', ';', '\t'),
    fc.constantFrom('\r\n', '\n'),
    fc.constantFrom('', '\ufeff'),
  )
  .map(([rows, delimiter, newline, mark]) => `${mark}${Papa.unparse([['N', 'M'], ...rows], { delimiter, newline })}`);

const said = <T>(work: () => T): T | string => {
  try {
    return work();
  } catch (error) {
    return (error as Error).message;
  }
};

test.each([
  ['any text', anyText],
  ['what a program writes', wellFormed],
])('%s is read row by row as it is read whole, faults too', (_, texts) => {
  fc.assert(
    fc.property(texts, (text) => {
      const bytes = Buffer.from(text);
      const whole = said(() => readCsv('list.csv', bytes).sheets);
      const lazy = said(() => lazyCsv('list.csv', bytes, outlineCsv('list.csv', bytes)).content.sheets);
      if (typeof whole === 'string' || typeof lazy === 'string') return expect(lazy).toEqual(whole);
      const [one, other] = [whole[0], lazy[0]];
      expect(other?.columns).toEqual(one?.columns);
      expect([...(other?.rows ?? [])]).toEqual([...(one?.rows ?? [])]);
      expect(other?.rows.length).toBe(one?.rows.length);
      for (let at = -2; at < (one?.rows.length ?? 0) + 1; at++) expect(other?.rows.at(at)).toEqual(one?.rows.at(at));
    }),
    { numRuns: 1500 },
  );
});

test('it is the same in whatever pieces the text is gone through', () => {
  fc.assert(
    fc.property(fc.oneof(anyText, wellFormed), fc.integer({ min: 1, max: 60 }), (text, piece) => {
      const fault = (row: number): Error => new Error(`fault in ${row}`);
      const whole = said(() => placesOfRows(text, undefined, fault));
      expect(said(() => placesOfRows(text, undefined, fault, piece))).toEqual(whole);
    }),
    { numRuns: 3000 },
  );
});

test('rows put below the last one give the very file that reading all of it gives', () => {
  fc.assert(
    fc.property(
      wellFormed,
      fc.array(fc.string({ unit: 'grapheme', maxLength: 6 }), { minLength: 1, maxLength: 5 }),
      (text, added) => {
        const bytes = Buffer.from(text);
        const places = outlineCsv('list.csv', bytes);
        const edits = added.map(
          (value, at): BookEdit => ({
            kind: 'cells',
            tab: 'list',
            row: places.starts.length + 1 + at,
            cells: [{ column: 1, value: `r${value}`, type: 'text' }],
          }),
        );
        expect(Buffer.from(lazyCsv('list.csv', bytes, places).append(edits)).toString()).toBe(
          Buffer.from(editCsv('list.csv', bytes, edits)).toString(),
        );
      },
    ),
    { numRuns: 300 },
  );
});

describe('a long listing', () => {
  const lines = Array.from({ length: 12_345 }, (_, at) => `${at % 4000},n${at}`);
  const rowsOf = (all: readonly string[]): CsvRows => {
    const bytes = Buffer.from(['K,N', ...all].join('\n'));
    return lazyCsv('l.csv', bytes, outlineCsv('l.csv', bytes)).content.sheets[0]?.rows as CsvRows;
  };
  const listed = (pages: RowListings[], rows: CsvRows, mark = 'm'): string[] => {
    const ids: string[] = [];
    let cursor: string | null | undefined;
    for (let at = 0; cursor !== null; at++) {
      const page = (pages[at % pages.length] as RowListings).page('k', mark, rows, '/K', cursor);
      ids.push(...page.records.map(({ id }) => id));
      cursor = page.cursor;
    }
    return ids;
  };

  test('comes in pages, each row once, doubled keys told apart; another process goes on where it stood', () => {
    const rows = rowsOf(lines);
    const ids = listed([new RowListings()], rows);
    expect(ids).toHaveLength(lines.length);
    expect(new Set(ids).size).toBe(lines.length);
    expect(ids.slice(4000, 4002)).toEqual(['0 (2)', '1 (2)']);
    expect(listed([new RowListings(), new RowListings(), new RowListings()], rows)).toEqual(ids);
  });

  test('begins anew where the file has changed in the middle', () => {
    const listings = new RowListings();
    const first = listings.page('k', 'm', rowsOf(lines), '/K', undefined);
    const again = listings.page('k', 'n', rowsOf(['x,1', ...lines]), '/K', first.cursor ?? '');
    expect(again.records[0]?.id).toBe('x');
    expect(again.cursor).not.toBe(first.cursor);
  });
});

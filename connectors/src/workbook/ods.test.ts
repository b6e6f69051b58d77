import { readdirSync, readFileSync } from 'node:fs';
import { join } from 'node:path';
import { notCalculated } from '@golden/core';
import fc from 'fast-check';
import JSZip from 'jszip';
import { type Cell, cellsOf, trimmedNames } from '../testing/cells.ts';
import { readOds } from './ods.ts';
import { openBook } from './open-book.ts';
import { UnreadableWorkbook } from './sheet.ts';

// OpenDocument spreadsheets that LibreOffice Calc wrote (connectors/testdata/workbooks); the outside judge is
// openpyxl, reading what Calc itself makes of each as .xlsx.

const folder = join(__dirname, '../../testdata/workbooks');
const files = readdirSync(folder).filter((name) => name.endsWith('.ods'));
const judged = JSON.parse(readFileSync(join(folder, 'judged_ods.json'), 'utf8')) as Record<
  string,
  Record<string, Record<string, Cell>>
>;

test('each is judged', () => {
  expect(files.length).toBeGreaterThanOrEqual(14);
  expect(Object.keys(judged).sort()).toEqual([...files].sort());
});

test.each(files)('%s is read as Calc and openpyxl read it, and is only read', async (name) => {
  const book = await openBook(name, readFileSync(join(folder, name)));
  expect(book.readOnlyBecause).toContain('only read');
  expect(book.sheets.map((sheet) => sheet.name).sort()).toEqual(Object.keys(judged[name] ?? {}));
  for (const sheet of book.sheets)
    expect(trimmedNames(cellsOf(sheet))).toEqual(trimmedNames(judged[name]?.[sheet.name] ?? {}));
});

const office = 'urn:oasis:names:tc:opendocument:xmlns:office:1.0';
const head = `<office:document-content xmlns:office="${office}" xmlns:table="urn:oasis:names:tc:opendocument:xmlns:table:1.0" xmlns:text="urn:oasis:names:tc:opendocument:xmlns:text:1.0" xmlns:calcext="urn:org:documentfoundation:names:experimental:calc:xmlns:calcext:1.0"><office:body><office:spreadsheet>`;
const foot = '</office:spreadsheet></office:body></office:document-content>';
const text = (said: string, more = ''): string =>
  `<table:table-cell office:value-type="string"${more}><text:p>${said}</text:p></table:table-cell>`;

async function ods(rows: string, more: Readonly<Record<string, string>> = {}): Promise<Uint8Array> {
  const zip = new JSZip();
  const parts = {
    mimetype: 'application/vnd.oasis.opendocument.spreadsheet',
    'content.xml': `${head}<table:table table:name="List">${rows}</table:table>${foot}`,
    ...more,
  };
  for (const [name, content] of Object.entries(parts)) zip.file(name, content);
  return zip.generateAsync({ type: 'uint8array' });
}

async function recordsOf(rows: string) {
  const { sheets } = await readOds(await ods(`<table:table-row>${text('A')}${text('B')}</table:table-row>${rows}`));
  return sheets[0]?.rows.map(({ number, record }) => [number, record['A'], record['B']]);
}

const row = (cells: string, more = ''): string => `<table:table-row${more}>${cells}</table:table-row>`;

describe('OpenDocument, part 3', () => {
  test('rows and cells that stand for several, empty ones passed over', async () => {
    const empty = '<table:table-cell table:number-columns-repeated="16383"/>';
    const rows = [
      row(text('x', ' table:number-columns-repeated="2"'), ' table:number-rows-repeated="2"'),
      row(empty, ' table:number-rows-repeated="3"'),
      row(`<table:table-cell/>${text('y')}`),
      row(empty, ' table:number-rows-repeated="1048569"'),
    ];
    expect(await recordsOf(rows.join(''))).toEqual([
      [2, 'x', 'x'],
      [3, 'x', 'x'],
      [7, null, 'y'],
    ]);
  });

  test('texts with their white space, lines and spans; remarks and tables within a cell are no part of it', async () => {
    const spaced = text('two<text:s text:c="2"/>blanks<text:tab/>and <text:span>a <text:a>link</text:a></text:span>');
    const lines =
      '<table:table-cell office:value-type="string"><text:p>one</text:p><text:p>two<text:line-break/>three</text:p></table:table-cell>';
    const remark =
      '<table:table-cell office:value-type="string"><office:annotation><text:p>Ask the mill</text:p></office:annotation><text:p>clay</text:p></table:table-cell>';
    const nested = `<table:table-cell office:value-type="string"><text:p>out</text:p><table:table table:name="In">${row(text('in'))}</table:table></table:table-cell>`;
    expect(await recordsOf(row(spaced + lines) + row(remark + nested))).toEqual([
      [2, 'two  blanks\tand a link', 'one\ntwo\nthree'],
      [3, 'clay', 'out'],
    ]);
  });

  test('values by their type: numbers, dates and times, yes and no, errors, formulas that nobody has worked out', async () => {
    const cell = (attributes: string, shown = ''): string =>
      `<table:table-cell ${attributes}>${shown && `<text:p>${shown}</text:p>`}</table:table-cell>`;
    const rows = [
      ['office:value-type="percentage" office:value="0.19"', 'office:value-type="currency" office:value="11.4"'],
      [
        'office:value-type="date" office:date-value="2026-03-05"',
        'office:value-type="date" office:date-value="2026-03-05T09:30:00"',
      ],
      [
        'office:value-type="time" office:time-value="PT26H30M00S"',
        'office:value-type="time" office:time-value="PT09H05M07.5S"',
      ],
      ['office:value-type="boolean" office:boolean-value="true"', 'table:formula="of:=[.A1]*2"'],
    ].map((cells) => row(cells.map((one) => cell(one, 'shown')).join('')));
    const errors = row(
      cell(
        'table:formula="of:=1/0" office:value-type="string" office:string-value="" calcext:value-type="error"',
        '#DIV/0!',
      ) +
        cell(
          'table:formula="of:=X()" office:value-type="string" office:string-value="" calcext:value-type="error"',
          'Err:508',
        ),
    );
    expect(await recordsOf(rows.join('') + errors)).toEqual([
      [2, 0.19, 11.4],
      [3, '2026-03-05', '2026-03-05T09:30:00'],
      [4, '26:30:00', '09:05:07'],
      [5, true, notCalculated],
      [6, '#DIV/0!', '#VALUE!'],
    ]);
  });
});

describe('what isn’t read', () => {
  test.each([
    ['another kind of document', { mimetype: 'application/vnd.oasis.opendocument.text' }, 'not an .ods spreadsheet'],
    ['broken XML', { 'content.xml': `${head}<table:table table:name="List">` }, 'not an .ods spreadsheet'],
    ['a password', { 'META-INF/manifest.xml': '<manifest:encryption-data/>' }, 'protected by a password'],
    ['a document type', { 'content.xml': '<!DOCTYPE x [<!ENTITY a "b">]><x/>' }, 'document type'],
  ])('%s', async (_, parts, sentence) => {
    await expect(ods('', parts).then((bytes) => readOds(bytes))).rejects.toThrow(sentence);
  });

  test('a row that stands for a million with values, and a cell for as many, are told and not made', async () => {
    const rows = row(text('x').repeat(4), ' table:number-rows-repeated="1048576"');
    await expect(ods(rows).then((bytes) => readOds(bytes))).rejects.toThrow(UnreadableWorkbook);
    const cells = row(text('x', ' table:number-columns-repeated="999999999"'));
    await expect(ods(cells).then((bytes) => readOds(bytes))).rejects.toThrow('more than');
  });

  test('mutated files end in a sentence', async () => {
    const contents = await Promise.all(
      files.slice(0, 6).map(async (name) => {
        const zip = await JSZip.loadAsync(readFileSync(join(folder, name)));
        return (await zip.file('content.xml')?.async('string')) ?? '';
      }),
    );
    const piece = fc.constantFrom('<', '>', '"', '&', '/', '0', 'office:value', '<table:table>', ' ', '\u0000');
    const mutation = fc.record({
      at: fc.double({ min: 0, max: 1, noNaN: true }),
      length: fc.integer({ min: 0, max: 40 }),
      piece,
    });
    await fc.assert(
      fc.asyncProperty(
        fc.constantFrom(...contents),
        fc.array(mutation, { minLength: 1, maxLength: 3 }),
        async (xml, all) => {
          const mutated = all.reduce((now, one) => {
            const at = Math.floor(one.at * now.length);
            return now.slice(0, at) + one.piece + now.slice(at + one.length);
          }, xml);
          try {
            await readOds(await ods('', { 'content.xml': mutated }));
          } catch (error) {
            expect(error).toBeInstanceOf(UnreadableWorkbook);
          }
        },
      ),
      { numRuns: 400 },
    );
  });
});

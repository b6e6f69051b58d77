import { readdirSync, readFileSync } from 'node:fs';
import { join } from 'node:path';
import { coerce } from '@golden/core';
import fc from 'fast-check';
import JSZip from 'jszip';
import { SaxesParser } from 'saxes';
import { openBook } from '../open-book.ts';
import { type BookEdit, type CellChange, columnLetter, type Sheet, UnreadableWorkbook } from '../sheet.ts';
import { editXlsx, newXlsx, readXlsx } from '../xlsx.ts';
import { Package } from './package.ts';
import { serialOf } from './read-cell.ts';
import { readSheet } from './read-sheet.ts';
import { areaOf, columnOf } from './refs.ts';
import { escapedText, Strings, unescaped } from './strings.ts';
import { kindOfCode, Styles } from './styles.ts';
import { attribute, tagsIn, xmlText } from './xml.ts';

const folder = join(__dirname, '../../../testdata/workbooks');
const bytesOf = (name: string): Buffer => readFileSync(join(folder, name));
const partOf = async (bytes: Uint8Array, part: string): Promise<string> =>
  (await JSZip.loadAsync(bytes)).file(part)?.async('string') ?? '';

/** Three rows below the last one of five. */
const appended = (columns: readonly number[], from = 7): BookEdit[] =>
  [0, 1, 2].map((at) => ({
    kind: 'cells',
    tab: 'Stock',
    row: from + at,
    cells: columns.map((column) => ({ column, value: `new ${at}`, type: 'text' })),
  }));

describe('what reaches to the last row', () => {
  test('a table grows, with its filter; one with totals, or beside what is written, doesn’t', async () => {
    const table = await partOf(
      await editXlsx(bytesOf('table.openpyxl.xlsx'), appended([1, 2])),
      'xl/tables/table1.xml',
    );
    expect(table.match(/ref="[^"]*"/g)).toEqual(['ref="A1:E9"', 'ref="A1:E9"']);
    for (const [file, columns] of [
      ['table_with_totals.openpyxl.xlsx', [1, 2]],
      ['table.openpyxl.xlsx', [9]],
    ] as const) {
      const before = await partOf(bytesOf(file), 'xl/tables/table1.xml');
      expect(await partOf(await editXlsx(bytesOf(file), appended(columns, 8)), 'xl/tables/table1.xml')).toBe(before);
    }
  });

  test('checks of values, conditional formats of both kinds, and the filter with its name go on', async () => {
    const sheetOf = async (file: string, from = 7) =>
      partOf(await editXlsx(bytesOf(file), appended([1], from)), 'xl/worksheets/sheet1.xml');
    const areas = (xml: string): string[] =>
      [...xml.slice(xml.indexOf('</sheetData>')).matchAll(/(?:sqref="|sqref>|autoFilter ref=")([^"<]+)/g)].map(
        ([, one]) => one as string,
      );
    expect(areas(await sheetOf('validations.openpyxl.xlsx'))).toEqual(['E2:E9', 'C2:C9']);
    expect(areas(await sheetOf('conditional_formats.openpyxl.xlsx'))).toEqual(['C2:C9', 'A2:E9']);
    expect(areas(await sheetOf('sparklines_and_x14.parts.xlsx', 4))).toEqual(['B2:B6', 'D2']);
    const filtered = await editXlsx(bytesOf('hidden_and_filtered.openpyxl.xlsx'), appended([1]));
    expect(areas(await partOf(filtered, 'xl/worksheets/sheet1.xml')).at(-1)).toBe('A1:E9');
    expect(await partOf(filtered, 'xl/workbook.xml')).toContain('$A$1:$E$9');
  });

  test('programs calculate anew where something is calculated, and nothing is said where nothing is', async () => {
    const bookOf = async (file: string) => partOf(await editXlsx(bytesOf(file), appended([1])), 'xl/workbook.xml');
    const settings = (xml: string) =>
      [...tagsIn(xml)].filter(({ name }) => name === 'calcPr').map((tag) => attribute(xml, tag, 'fullCalcOnLoad'));
    expect(settings(await bookOf('shared_formulas.parts.xlsx'))).toEqual(['1']);
    expect(settings(await bookOf('formulas.calc.xlsx'))).toEqual(['1']);
    expect(await bookOf('sparklines_and_x14.parts.xlsx')).toBe(
      await partOf(bytesOf('sparklines_and_x14.parts.xlsx'), 'xl/workbook.xml'),
    );
  });
});

test('new rows look as the last one: its formats, not those of the names; a text that reads as a number is marked', async () => {
  const bytes = await editXlsx(bytesOf('plain.openpyxl.xlsx'), [
    {
      kind: 'cells',
      tab: 'Stock',
      row: 7,
      cells: [
        { column: 1, value: '00420', type: 'text' },
        { column: 2, value: 'Clay', type: 'text' },
        { column: 3, value: '7.5', type: 'decimal' },
        { column: 4, value: '2026-12-24', type: 'date' },
      ],
    },
  ]);
  const xml = await partOf(bytes, 'xl/worksheets/sheet1.xml');
  const styleOf = (ref: string) => /\bs="(\d+)"/.exec(new RegExp(`<c r="${ref}"[^>]*>`).exec(xml)?.[0] ?? '')?.[1];
  for (const column of ['B', 'C', 'D'])
    expect([column, styleOf(`${column}7`)]).toEqual([column, styleOf(`${column}6`)]);
  const styles = Styles.read(Buffer.from(await partOf(bytes, 'xl/styles.xml')));
  expect(styles.isText(Number(styleOf('A7')))).toBe(true);
  expect(styles.kindOf(Number(styleOf('D7')))).toBe('date');
});

test('errors and formulas that no program has worked out are told, and say nothing of their column', async () => {
  const [texts] = (await readXlsx(bytesOf('awkward_texts.openpyxl.xlsx'))).sheets;
  expect(texts?.columns.at(-1)).toMatchObject({ name: 'Errors', type: 'any' });
  const said = (sheet: Sheet | undefined, column: string) =>
    sheet?.rows.map(({ record }) =>
      coerce(record[column], { path: '/x', label: 'x', type: 'text' }, { zone: 'utc', country: 'GB' }),
    );
  expect(said(texts, 'Errors')?.slice(0, 3)).toEqual(
    ['#REF!', '#N/A', '#DIV/0!'].map((error) => ({
      ok: false,
      message: expect.stringContaining(`“${error}” is an error`),
    })),
  );
  const [sums] = (await readXlsx(bytesOf('formulas.openpyxl.xlsx'))).sheets;
  expect(said(sums, 'Gross')).toEqual(
    Array.from({ length: 5 }, () => ({ ok: false, message: expect.stringContaining('no program has worked out yet') })),
  );
  const [calculated] = (await readXlsx(bytesOf('formulas.calc.xlsx'))).sheets;
  expect(calculated?.rows.map(({ record }) => record['Gross'])).toEqual([13.68, 14.88, 16.08, 17.28, 18.48]);
});

test('every cell that one formula fills is calculated, also those that only hold a piece of its result', async () => {
  for (const file of ['array_formula.calc.xlsx', 'array_formula.openpyxl.xlsx']) {
    const [sheet] = (await readXlsx(bytesOf(file))).sheets;
    expect(sheet?.rows.map(({ formulas }) => formulas)).toEqual(Array.from({ length: 5 }, () => [7]));
  }
  const [shared] = (await readXlsx(bytesOf('shared_formulas.parts.xlsx'))).sheets;
  expect(shared?.rows.map(({ formulas }) => formulas)).toEqual([[2], [2], [2]]);
});

test('a row is emptied, never moved: what is calculated in it stays', async () => {
  const bytes = await editXlsx(bytesOf('shared_formulas.parts.xlsx'), [{ kind: 'delete_row', tab: 'Stock', row: 3 }]);
  const xml = await partOf(bytes, 'xl/worksheets/sheet1.xml');
  expect(xml).toContain('<c r="A3"/><c r="B3"><f t="shared" si="0"/><v>24</v></c>');
  expect((await readXlsx(bytes)).sheets[0]?.rows.map(({ number }) => number)).toEqual([2, 3, 4]);
});

test.each([
  'plain.openpyxl.xlsx',
  'prefixed.parts.xlsx',
  'strict.parts.xlsx',
  'several_tabs.openpyxl.xlsx',
  'absolute_names.parts.xlsx',
])('a tab is added to %s, and its columns are read', async (file) => {
  const before = await readXlsx(bytesOf(file));
  const bytes = await editXlsx(bytesOf(file), [
    { kind: 'tab', tab: 'Größe & more', names: ['Number', 'Name'] },
    { kind: 'tab', tab: 'Second', names: ['One'] },
  ]);
  const after = await readXlsx(bytes);
  expect(after.sheets.slice(0, -2)).toEqual(before.sheets);
  expect(after.sheets.slice(-2).map(({ name, columns }) => [name, columns.map((one) => one.name)])).toEqual([
    ['Größe & more', ['Number', 'Name']],
    ['Second', ['One']],
  ]);
});

test('a formula over the whole tab costs nothing: only columns that there are are calculated', () => {
  const rows = Array.from({ length: 2000 }, (_, at) => `<row r="${at + 2}"><c r="B${at + 2}"><v>1</v></c></row>`).join(
    '',
  );
  const text = `<worksheet><sheetData><row r="1"><c r="A1"><f t="array" ref="A1:XFD1048576">1</f><v>1</v></c></row>${rows}</sheetData></worksheet>`;
  const { rows: read } = readSheet('Stock', text, { strings: new Strings(''), styles: new Styles(), is1904: false });
  expect(read).toHaveLength(2000);
  expect(read.at(0)?.formulas).toEqual([1, 2]);
});

describe('in their own words', () => {
  const zipped = async (change: (zip: JSZip) => void): Promise<Uint8Array> => {
    const zip = await JSZip.loadAsync(bytesOf('absolute_names.parts.xlsx'));
    change(zip);
    return zip.generateAsync({ type: 'uint8array' });
  };
  const compound = (text: string): Buffer =>
    Buffer.concat([Buffer.from('d0cf11e0a1b11ae1', 'hex'), Buffer.alloc(600), Buffer.from(text, 'utf16le')]);

  test('old, encrypted and binary workbooks, document types and other encodings', async () => {
    const said = async (bytes: Uint8Array): Promise<string> =>
      readXlsx(bytes).then(
        () => 'read',
        (error: Error) => error.message,
      );
    expect(await said(compound('Workbook'))).toContain('old .xls format');
    expect(await said(compound('EncryptedPackage'))).toContain('protected by a password');
    const binary = await zipped((zip) => {
      zip.file(
        '_rels/.rels',
        '<Relationships><Relationship Id="a" Type="x/officeDocument" Target="xl/workbook.bin"/></Relationships>',
      );
      zip.file('xl/workbook.bin', 'x');
    });
    expect(await said(binary)).toContain('.xlsb format');
    const sheet = 'xl/worksheets/sheet1.xml';
    const typed =
      '<!DOCTYPE x [<!ENTITY a SYSTEM "file:///etc/passwd">]><worksheet><sheetData><row><c t="str"><v>&a;</v></c></row></sheetData></worksheet>';
    expect(await said(await zipped((zip) => zip.file(sheet, typed)))).toContain('damaged');
    expect(await said(await zipped((zip) => zip.file(sheet, Buffer.from('\ufeff<worksheet/>', 'utf16le'))))).toContain(
      'UTF-16',
    );
    expect(await said(await zipped((zip) => zip.remove(sheet)))).toContain('damaged');
    const astray = '<Relationships><Relationship Id="a" Type="x/officeDocument" Target="xl/%zz"/></Relationships>';
    expect(await said(await zipped((zip) => zip.file('_rels/.rels', astray)))).toContain('damaged');
  });
});

test('every tag of every part is where another parser sees it', async () => {
  for (const name of readdirSync(folder).filter((one) => /\.xls[xm]$/.test(one))) {
    const book = Package.open(bytesOf(name));
    for (const part of book.parts.filter((one) => /\.(xml|rels|vml)$/.test(one.name))) {
      const bytes = await book.read(part.name);
      const theirs: string[] = [];
      const parser = new SaxesParser({ xmlns: false });
      parser.on('opentag', (tag) => theirs.push(`${tag.name} ${JSON.stringify(Object.values(tag.attributes))}`));
      parser.on('closetag', (tag) => theirs.push(`/${tag.name}`));
      parser.write(bytes.toString('utf8')).close();
      const text = xmlText(bytes);
      const ours = [...tagsIn(text)].flatMap((tag) => {
        const whole = text.slice(tag.start + (tag.kind === 'close' ? 2 : 1), tag.end).split(/[\s/>]/, 1)[0] as string;
        const names = [...text.slice(tag.start, tag.end).matchAll(/\s([\w:.-]+)\s*=\s*(?:"[^"]*"|'[^']*')/g)].map(
          ([, one]) => one as string,
        );
        const values = names.map((one) => attribute(text, tag, one));
        if (tag.kind === 'close') return [`/${whole}`];
        return [`${whole} ${JSON.stringify(values)}`, ...(tag.kind === 'empty' ? [`/${whole}`] : [])];
      });
      expect([name, part.name, ours]).toEqual([name, part.name, theirs]);
    }
  }
});

describe('laws', () => {
  const text = fc.string({ unit: 'binary', maxLength: 12 });
  const value: fc.Arbitrary<Pick<CellChange, 'value' | 'type'>> = fc.oneof(
    text.filter((one) => one !== '').map((one) => ({ value: one, type: 'text' as const })),
    fc.double({ noNaN: true, noDefaultInfinity: true }).map((one) => ({ value: one, type: 'decimal' as const })),
    fc.integer().map((one) => ({ value: String(one), type: 'integer' as const })),
    fc.boolean().map((one) => ({ value: one, type: 'boolean' as const })),
    fc
      .date({ min: new Date('1900-03-01'), max: new Date('9999-12-31'), noInvalidDate: true })
      .map((one) => ({ value: one.toISOString().slice(0, 10), type: 'date' as const })),
    fc.constant({ value: null, type: 'any' as const }),
  );
  const edits = fc.array(
    fc.record({ row: fc.integer({ min: 2, max: 40 }), column: fc.integer({ min: 1, max: 30 }), to: value }),
    { minLength: 1, maxLength: 25 },
  );
  const editOf = ({
    row,
    column,
    to,
  }: {
    row: number;
    column: number;
    to: Pick<CellChange, 'value' | 'type'>;
  }): BookEdit => ({
    kind: 'cells',
    tab: 'Stock',
    row,
    cells: [{ column, ...to }],
  });
  /** What is read of a written value: numbers as numbers, line ends as they were. */
  const readAs = ({ value: written, type }: Pick<CellChange, 'value' | 'type'>): unknown =>
    type === 'integer' || type === 'decimal' ? Number(written) : written;

  const read = (sheet: Sheet): Map<string, unknown> =>
    new Map(
      [...sheet.rows].flatMap(({ number, record }) =>
        sheet.columns.flatMap(({ index, name }) =>
          record[name] === null ? [] : [[`${number} ${index}`, record[name]] as const],
        ),
      ),
    );

  test.each(['table.openpyxl.xlsx', 'styled.calc.xlsx', 'prefixed.parts.xlsx', 'empty.openpyxl.xlsx'])(
    'any sequence of writes into %s reads back as written, in any grouping',
    async (file) => {
      const start = bytesOf(file);
      const before = read((await readXlsx(start)).sheets[0] as Sheet);
      await fc.assert(
        fc.asyncProperty(edits, fc.integer({ min: 1, max: 25 }), async (given, cut) => {
          const wanted = new Map(before);
          for (const { row, column, to } of given)
            if (to.value === null) wanted.delete(`${row} ${column}`);
            else wanted.set(`${row} ${column}`, readAs(to));
          const all = given.map(editOf);
          const once = await editXlsx(start, all);
          expect(read((await readXlsx(once)).sheets[0] as Sheet)).toEqual(wanted);
          const parts = await editXlsx(await editXlsx(start, all.slice(0, cut)), all.slice(cut));
          expect(read((await readXlsx(parts)).sheets[0] as Sheet)).toEqual(wanted);
        }),
        { numRuns: 60, seed: 17 },
      );
    },
  );

  test('any text comes back from a cell, whatever XML can’t hold or would read otherwise', () => {
    fc.assert(
      fc.property(fc.oneof(text, fc.stringMatching(/^(_x[0-9A-F]{4}_|_|x){1,6}$/)), (given) => {
        expect(unescaped(escapedText(given))).toBe(given);
      }),
      { numRuns: 2000, seed: 18 },
    );
  });

  test('a day and its number are each other’s inverse in both ways of counting', () => {
    const bookOf = (serial: number, is1904: boolean) =>
      readSheet(
        'Stock',
        `<worksheet><sheetData><row r="2"><c r="A2" s="0"><v>${serial}</v></c></row></sheetData></worksheet>`,
        {
          strings: new Strings(''),
          styles: new Styles('<styleSheet><cellXfs count="1"><xf numFmtId="14"/></cellXfs></styleSheet>'),
          is1904,
        },
      );
    fc.assert(
      fc.property(
        fc.date({ min: new Date('1904-01-02'), max: new Date('9999-12-31'), noInvalidDate: true }),
        fc.boolean(),
        (date, is1904) => {
          const day = date.toISOString().slice(0, 10);
          expect(bookOf(serialOf(day, is1904), is1904).rows.at(0)?.record).toEqual({ 'column A': day });
        },
      ),
      { seed: 19 },
    );
    // From memory: programs give the 1st of January 1900 the number 1, and the 1st of March 1900 the number 61.
    expect([serialOf('1900-01-01', false), serialOf('1900-03-01', false), serialOf('2026-01-01', false)]).toEqual([
      1, 61, 46_023,
    ]);
  });
});

test('formats tell dates, times and durations apart (ECMA-376 part 1, 18.8.30 and 18.8.31)', () => {
  const kinds = Object.fromEntries(
    [
      'General',
      '0.00%',
      '"days" 0',
      '[Red]0',
      'dd/mm/yyyy',
      'mmm-yy',
      'h:mm AM/PM',
      '[h]:mm',
      '[mm]:ss',
      '#,##0\\d',
      'yyyy"年"m"月"',
      '[$-409]d mmm;@',
      '_-* #,##0.00_-',
      'mm:ss.0',
    ].map((code) => [code, kindOfCode(code)]),
  );
  expect(kinds).toEqual({
    General: 'number',
    '0.00%': 'number',
    '"days" 0': 'number',
    '[Red]0': 'number',
    'dd/mm/yyyy': 'date',
    'mmm-yy': 'date',
    'h:mm AM/PM': 'time',
    '[h]:mm': 'duration',
    '[mm]:ss': 'duration',
    '#,##0\\d': 'number',
    'yyyy"年"m"月"': 'date',
    '[$-409]d mmm;@': 'date',
    '_-* #,##0.00_-': 'number',
    'mm:ss.0': 'time',
  });
});

test('names of cells and areas', () => {
  expect(['A1', 'Z9', 'AA10', 'XFD1048576'].map(columnOf)).toEqual([1, 26, 27, 16_384]);
  expect(areaOf('$B$2:D9')).toEqual({ left: 2, top: 2, right: 4, bottom: 9 });
  expect(areaOf('C3')).toEqual({ left: 3, top: 3, right: 3, bottom: 3 });
  expect([areaOf('A:C'), areaOf('1:3'), areaOf('#REF!')]).toEqual([undefined, undefined, undefined]);
  for (let column = 1; column <= 16_384; column += 37) expect(columnOf(`${columnLetter(column)}7`)).toBe(column);
});

describe('ten thousand mutated files end in a sentence', () => {
  const files = [
    'table.openpyxl.xlsx',
    'comments_in_xml.parts.xlsx',
    'formulas.calc.xlsx',
    'phonetic_and_rich.parts.xlsx',
  ];

  /** Bytes with some changed, cut out or doubled. */
  const mutated = (
    bytes: Buffer,
    wounds: readonly { at: number; byte: number; length: number; kind: number }[],
  ): Buffer => {
    let made = Buffer.from(bytes);
    for (const { at, byte, length, kind } of wounds) {
      const place = Math.floor(at * made.length);
      if (kind === 0) made[place] = byte;
      else if (kind === 1) made = Buffer.concat([made.subarray(0, place), made.subarray(place + length)]);
      else made = Buffer.concat([made.subarray(0, place), made.subarray(Math.max(0, place - length))]);
    }
    return made;
  };
  const wounds = fc.array(
    fc.record({
      at: fc.double({ min: 0, max: 1, noNaN: true, maxExcluded: true }),
      byte: fc.integer({ min: 0, max: 255 }),
      length: fc.integer({ min: 1, max: 60 }),
      kind: fc.integer({ min: 0, max: 2 }),
    }),
    { minLength: 1, maxLength: 4 },
  );
  const read = (work: () => Promise<unknown>): Promise<unknown> =>
    work().catch((error: unknown) => {
      if (!(error instanceof UnreadableWorkbook)) throw error;
    });

  test.each(files)('%s as a package', async (file) => {
    const whole = bytesOf(file);
    await fc.assert(
      fc.asyncProperty(wounds, async (given) => {
        const bytes = mutated(whole, given);
        await read(async () => editXlsx(bytes, appended([1])).then(readXlsx));
      }),
      { numRuns: 1250, seed: 20 },
    );
  });

  test.each(files)('%s as XML', async (file) => {
    const book = Package.open(bytesOf(file));
    const names = book.parts.map(({ name }) => name).filter((name) => /\.(xml|rels)$/.test(name));
    const parts = await Promise.all(names.map((name) => book.read(name)));
    await fc.assert(
      fc.asyncProperty(wounds, fc.nat(names.length - 1), async (given, at) => {
        const bytes = await book.with(new Map([[names[at] as string, mutated(parts[at] as Buffer, given)]]));
        await read(async () =>
          editXlsx(bytes, [...appended([1]), { kind: 'tab', tab: 'New', names: ['x'] }]).then(readXlsx),
        );
      }),
      { numRuns: 1250, seed: 21 },
    );
  });
});

/** The same package with sizes and places as some programs write them whatever the size (APPNOTE 4.3.14, 4.5.3). */
function asZip64(bytes: Buffer): Buffer {
  const end = bytes.length - 22;
  const [count, size, from] = [
    bytes.readUInt16LE(end + 10),
    bytes.readUInt32LE(end + 12),
    bytes.readUInt32LE(end + 16),
  ];
  const records: Buffer[] = [];
  for (let at = from; at < from + size; ) {
    const length = 46 + bytes.readUInt16LE(at + 28) + bytes.readUInt16LE(at + 30) + bytes.readUInt16LE(at + 32);
    const record = Buffer.from(bytes.subarray(at, at + 46 + bytes.readUInt16LE(at + 28)));
    const field = Buffer.alloc(28);
    field.writeUInt16LE(1, 0);
    field.writeUInt16LE(24, 2);
    for (const [index, place] of [24, 20, 42].entries()) {
      field.writeBigUInt64LE(BigInt(record.readUInt32LE(place)), 4 + 8 * index);
      record.writeUInt32LE(0xffffffff, place);
    }
    record.writeUInt16LE(field.length, 30);
    record.writeUInt16LE(0, 32);
    records.push(record, field);
    at += length;
  }
  const directory = Buffer.concat(records);
  const end64 = Buffer.alloc(56);
  end64.writeUInt32LE(0x06064b50, 0);
  end64.writeBigUInt64LE(44n, 4);
  for (const place of [24, 32]) end64.writeBigUInt64LE(BigInt(count), place);
  end64.writeBigUInt64LE(BigInt(directory.length), 40);
  end64.writeBigUInt64LE(BigInt(from), 48);
  const locator = Buffer.alloc(20);
  locator.writeUInt32LE(0x07064b50, 0);
  locator.writeBigUInt64LE(BigInt(from + directory.length), 8);
  locator.writeUInt32LE(1, 16);
  const last = Buffer.alloc(22, 0xff);
  last.writeUInt32LE(0x06054b50, 0);
  for (const place of [4, 6, 20]) last.writeUInt16LE(0, place);
  return Buffer.concat([bytes.subarray(0, from), directory, end64, locator, last]);
}

test('a package whose sizes stand in fields of their own is read, and written as other programs read it', async () => {
  const whole = bytesOf('table.openpyxl.xlsx');
  const long = asZip64(whole);
  // Another library takes it for the same package.
  expect(Object.keys((await JSZip.loadAsync(long)).files)).toEqual(Object.keys((await JSZip.loadAsync(whole)).files));
  expect((await readXlsx(long)).sheets).toEqual((await readXlsx(whole)).sheets);
  const saved = await editXlsx(long, appended([1]));
  expect((await readXlsx(saved)).sheets).toEqual((await readXlsx(await editXlsx(whole, appended([1])))).sheets);
  expect(await partOf(saved, 'xl/tables/table1.xml')).toContain('ref="A1:E9"');
});

test('a new workbook takes rows', async () => {
  const book = await openBook('x.xlsx', await newXlsx('Stock', ['Article']));
  book.setCells('Stock', 2, [{ column: 1, value: 'clay', type: 'text' }]);
  expect((await openBook('x.xlsx', await book.save())).sheets[0]?.rows).toEqual([
    { number: 2, record: { Article: 'clay' } },
  ]);
});

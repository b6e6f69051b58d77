import { execFileSync } from 'node:child_process';
import { existsSync, mkdtempSync, readdirSync, readFileSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import fc from 'fast-check';
import { cellsOf } from '../../testing/cells.ts';
import { readCsv } from '../csv.ts';
import type { BookEdit, Sheet } from '../sheet.ts';
import { editXlsx, readXlsx, whyEmptied } from '../xlsx.ts';
import { Package } from './package.ts';

// A row is taken out by moving up what is below, where nothing in the file points to rows by their number; else it is
// emptied, and the reason is said.

const folder = join(__dirname, '../../../testdata/workbooks');
const bytesOf = (name: string): Buffer => readFileSync(join(folder, name));
const files = readdirSync(folder).filter((name) => /\.xls[xm]$/.test(name));
const sheetOf = async (bytes: Uint8Array, tab?: string): Promise<Sheet> => {
  const { sheets } = await readXlsx(bytes);
  return sheets.find(({ name }) => tab === undefined || name === tab) as Sheet;
};

/** Files of the collection in which nothing points to rows: each was looked at. */
const plain = [
  'absolute_names.parts.xlsx',
  'awkward_texts.openpyxl.xlsx',
  'empty.openpyxl.xlsx',
  'number_formats.openpyxl.xlsx',
  'phonetic_and_rich.parts.xlsx',
  'plain.openpyxl.xlsx',
  'prefixed.parts.xlsx',
  'right_to_left.openpyxl.xlsx',
  'since_1904.openpyxl.xlsx',
  'strict.parts.xlsx',
  'styled.openpyxl.xlsx',
  'widest.openpyxl.xlsx',
  'without_references.parts.xlsx',
  'comments_in_xml.parts.xlsx',
];

test('rows move up in plain lists alone; in every other file the reason is said, and the row is emptied', async () => {
  const moving: string[] = [];
  for (const name of files) {
    const { name: tab } = await sheetOf(bytesOf(name));
    const why = await whyEmptied(bytesOf(name), tab);
    if (why === undefined) moving.push(name);
    else expect(why).toMatch(/rows/);
  }
  expect(moving.sort()).toEqual([...plain].sort());
});

test.each(files)('in %s a row that is taken out leaves all others as they were', async (name) => {
  const bytes = bytesOf(name);
  const before = await sheetOf(bytes);
  const second = before.rows.at(0);
  if (!second) return;
  const after = await sheetOf(
    await editXlsx(bytes, [{ kind: 'delete_row', tab: before.name, row: second.number }]),
    before.name,
  );
  const moves = (await whyEmptied(bytes, before.name)) === undefined;
  const rest = [...before.rows].slice(1).map((row) => ({ ...row, number: moves ? row.number - 1 : row.number }));
  // What is calculated in a row that is emptied stays.
  const others = [...after.rows].filter(({ number }) => moves || number !== second.number);
  expect(others.map(({ number, record }) => [number, Object.values(record).filter((one) => one !== null)])).toEqual(
    rest.map(({ number, record }) => [number, Object.values(record).filter((one) => one !== null)]),
  );
});

test('the other parts stay byte for byte, and the area that the tab says it fills is one row less', async () => {
  const bytes = bytesOf('plain.openpyxl.xlsx');
  const moved = await editXlsx(bytes, [{ kind: 'delete_row', tab: 'Stock', row: 3 }]);
  const [one, other] = [Package.open(bytes), Package.open(moved)];
  for (const { name } of one.parts)
    if (!name.endsWith('sheet1.xml')) expect(await other.read(name)).toEqual(await one.read(name));
  expect((await other.read('xl/worksheets/sheet1.xml')).toString()).toContain('<dimension ref="A1:E5"/>');
});

test('rows that are taken out and put in, one after the other or at once, are those of a list kept by hand', async () => {
  const act = fc.oneof(
    fc.record({ kind: fc.constant('delete_row' as const), row: fc.integer({ min: 2, max: 9 }) }),
    fc.record({ kind: fc.constant('cells' as const), row: fc.integer({ min: 2, max: 9 }) }),
  );
  await fc.assert(
    fc.asyncProperty(
      fc.constantFrom('plain.openpyxl.xlsx', 'without_references.parts.xlsx', 'prefixed.parts.xlsx'),
      fc.array(act, { minLength: 1, maxLength: 8 }),
      fc.nat(8),
      async (name, acts, cut) => {
        const bytes = bytesOf(name);
        const { rows, name: tab } = await sheetOf(bytes);
        const wanted: (string | null)[] = [];
        for (const { number, record } of rows) wanted[number - 2] = String(record['Article']);
        const edits = acts.map(({ kind, row }, at): BookEdit => {
          if (kind === 'delete_row') {
            wanted.splice(row - 2, 1);
            return { kind, tab, row };
          }
          wanted[row - 2] = `new ${at}`;
          return { kind, tab, row, cells: [{ column: 1, value: `new ${at}`, type: 'text' }] };
        });
        const articles = async (edited: Uint8Array): Promise<string[]> => {
          const sheet = await sheetOf(edited);
          return [...sheet.rows].flatMap(({ number, record }) =>
            record['Article'] === null ? [] : [`${number} ${record['Article']}`],
          );
        };
        const said = wanted.flatMap((article, at) =>
          article === undefined || article === null ? [] : [`${at + 2} ${article}`],
        );
        expect(await articles(await editXlsx(bytes, edits))).toEqual(said);
        expect(await articles(await editXlsx(await editXlsx(bytes, edits.slice(0, cut)), edits.slice(cut)))).toEqual(
          said,
        );
      },
    ),
    { numRuns: 80 },
  );
});

// LibreOffice can be there without Calc.
const calc = existsSync('/usr/bin/localc') ? '/usr/bin/soffice' : undefined;
(calc ? test : test.skip)('Calc finds the rows of a plain list closed up', async () => {
  const at = mkdtempSync(join(tmpdir(), 'moved-'));
  const moved = await editXlsx(bytesOf('plain.openpyxl.xlsx'), [
    { kind: 'delete_row', tab: 'Stock', row: 2 },
    { kind: 'delete_row', tab: 'Stock', row: 5 },
  ]);
  writeFileSync(join(at, 'list.xlsx'), moved);
  const args = ['--headless', `-env:UserInstallation=file://${at}/profile`, '--convert-to', 'csv', '--outdir', at];
  execFileSync(calc as string, [...args, join(at, 'list.xlsx')], { stdio: 'ignore' });
  const read = readCsv('list.csv', readFileSync(join(at, 'list.csv'))).sheets[0];
  expect(read?.rows.map(({ record }) => record['Article'])).toEqual(['CL-001', 'CL-002', 'CL-003']);
  expect(cellsOf(await sheetOf(moved))['A4']).toBe('CL-003');
  rmSync(at, { recursive: true });
});

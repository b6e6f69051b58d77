import { execFileSync } from 'node:child_process';
import { existsSync, mkdtempSync, readFileSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import type { BookEdit } from '../sheet.ts';
import { editXlsx } from '../xlsx.ts';
import { Package } from './package.ts';

// What a table calculates in every row is calculated in those that we add.

const source = join(__dirname, '../../../testdata/workbooks/table.openpyxl.xlsx');
const [table, sheet] = ['xl/tables/table1.xml', 'xl/worksheets/sheet1.xml'];

/** A table of five articles with another column, "Gross", that is calculated by a formula as the XML has it. */
async function calculated(formula: string): Promise<Buffer> {
  const pack = Package.open(readFileSync(source));
  const changed = async (part: string, ...pairs: readonly (readonly [string | RegExp, string])[]) =>
    Buffer.from(pairs.reduce((text, [from, to]) => text.replace(from, to), (await pack.read(part)).toString()));
  const column = `<tableColumn id="6" name="Gross"><calculatedColumnFormula>${formula}</calculatedColumnFormula></tableColumn>`;
  return pack.with(
    new Map([
      [
        table,
        await changed(
          table,
          [/A1:E6/g, 'A1:F6'],
          ['count="5"', 'count="6"'],
          ['</tableColumns>', `${column}</tableColumns>`],
        ),
      ],
      [sheet, await changed(sheet, ['</c></row>', '</c><c r="F1" t="inlineStr"><is><t>Gross</t></is></c></row>'])],
    ]),
  );
}

const net = 'Articles[[#This Row],[Net]]*1.2';
const row = (number: number, ...cells: readonly (readonly [number, string | number])[]): BookEdit => ({
  kind: 'cells',
  tab: 'Stock',
  row: number,
  cells: cells.map(([column, value]) => ({ column, value, type: typeof value === 'number' ? 'decimal' : 'text' })),
});
const two = [row(7, [1, 'CL-100'], [3, 10]), row(8, [1, 'CL-101'], [3, 20.5])];
const cellsOf = async (bytes: Uint8Array, from: number): Promise<string[]> =>
  [...(await Package.open(Buffer.from(bytes)).read(sheet)).toString().matchAll(/<c r="F(\d+)".*?(?:\/>|<\/c>)/g)]
    .filter(([, number]) => Number(number) >= from)
    .map(([cell]) => cell.replace(/ s="\d+"/, ''));

test('new rows of a table calculate what the others do, and programs are told to calculate', async () => {
  const made = await editXlsx(await calculated(net), two);
  expect(await cellsOf(made, 7)).toEqual([`<c r="F7"><f>${net}</f></c>`, `<c r="F8"><f>${net}</f></c>`]);
  const pack = Package.open(Buffer.from(made));
  expect((await pack.read(table)).toString()).toContain('ref="A1:F8"');
  expect((await pack.read('xl/workbook.xml')).toString()).toContain('fullCalcOnLoad="1"');
});

test.each<[string, string, BookEdit[], string[]]>([
  ['a value that is written there counts', net, [row(7, [1, 'x'], [6, 9])], ['<c r="F7"><v>9</v></c>']],
  ['a row beside the table is none of it', net, [row(7, [9, 'x'])], []],
  ['a row further down is none of it', net, [row(9, [9, 'x'])], []],
  ['a row that is there keeps its own', net, [row(6, [1, 'x'])], []],
  ['cells by their place would be others', 'C2*1.2', [row(7, [1, 'x'])], []],
  [
    'the same cell in every row',
    '$I$1*Articles[[#This Row],[Net]]',
    [row(7, [1, 'x'])],
    ['<c r="F7"><f>$I$1*Articles[[#This Row],[Net]]</f></c>'],
  ],
  [
    'names of functions and columns that look like cells',
    'LOG10(Articles[[#This Row],[Q1]])&amp;"A1"',
    [row(7, [1, 'x'])],
    ['<c r="F7"><f>LOG10(Articles[[#This Row],[Q1]])&amp;"A1"</f></c>'],
  ],
])('%s', async (_name, formula, edits, cells) => {
  expect(await cellsOf(await editXlsx(await calculated(formula), edits), 6)).toEqual(cells);
});

// LibreOffice can be there without Calc.
const calc = existsSync('/usr/bin/localc') ? '/usr/bin/soffice' : undefined;
(calc ? test : test.skip)('Calc works them out', async () => {
  const at = mkdtempSync(join(tmpdir(), 'calculated-'));
  writeFileSync(join(at, 'made.xlsx'), await editXlsx(await calculated(net), two));
  const args = ['--headless', `-env:UserInstallation=file://${at}/profile`, '--convert-to', 'csv', '--outdir', at];
  execFileSync(calc as string, [...args, join(at, 'made.xlsx')], { stdio: 'ignore' });
  const lines = readFileSync(join(at, 'made.csv'), 'utf8').trim().split('\n');
  expect(lines.slice(6).map((line) => Number(line.split(',').at(-1)))).toEqual([12, 24.6]);
  rmSync(at, { recursive: true });
});

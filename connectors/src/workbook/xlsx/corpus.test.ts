import { execFileSync } from 'node:child_process';
import { existsSync, mkdirSync, mkdtempSync, readdirSync, readFileSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import JSZip from 'jszip';
import { SaxesParser } from 'saxes';
import { type Cell, cellsOf, trimmedNames } from '../../testing/cells.ts';
import { openBook } from '../open-book.ts';
import { columnLetter, type EditableWorkbook, type Sheet } from '../sheet.ts';

// Workbooks that LibreOffice Calc and openpyxl wrote, and some put together by hand for what neither
// writes (connectors/testdata/workbooks, with the script that made them). They are read as openpyxl
// reads them, and after our changes they are the same but for the cells that we changed: told by
// another unzip, another XML parser and, where it is installed, by Calc.

const folder = join(__dirname, '../../../testdata/workbooks');
const files = readdirSync(folder).filter((name) => /\.xls[xm]$/.test(name));
const judged = JSON.parse(readFileSync(join(folder, 'judged.json'), 'utf8')) as Record<
  string,
  Record<string, Record<string, Cell>>
>;

/**
 * Where the judge is known to be wrong or silent: it leaves the standard's escapes (ECMA-376 part 1,
 * 22.9.2.19) as they are, and reads nothing in strict documents.
 */
const corrections: Readonly<Record<string, Record<string, Record<string, Cell>>>> = {
  'phonetic_and_rich.parts.xlsx': { Stock: { A3: 'fire clay\r' } },
  'awkward_texts.openpyxl.xlsx': { Stock: { A7: 'A is no A' } },
  'strict.parts.xlsx': { Stock: { A1: 'Article', B1: 'Since', A2: 'clay', B2: '2026-03-04' } },
};

const bytesOf = (name: string): Buffer => readFileSync(join(folder, name));

test('there are at least 25, and each is judged', () => {
  expect(files.length).toBeGreaterThanOrEqual(25);
  expect(Object.keys(judged).sort()).toEqual([...files].sort());
});

test.each(files)('%s is read as the outside judge reads it', async (name) => {
  const book = await openBook(name, bytesOf(name));
  const wanted = { ...judged[name], ...corrections[name] };
  for (const sheet of book.sheets)
    expect(trimmedNames(cellsOf(sheet))).toEqual(
      trimmedNames({ ...judged[name]?.[sheet.name], ...corrections[name]?.[sheet.name] }),
    );
  expect(book.sheets.map((sheet) => sheet.name)).toEqual(expect.arrayContaining(Object.keys(wanted)));
});

/** The parts of a package, unpacked by another library. */
async function partsOf(bytes: Uint8Array): Promise<Map<string, Buffer>> {
  const zip = await JSZip.loadAsync(bytes);
  const parts = new Map<string, Buffer>();
  for (const file of Object.values(zip.files)) if (!file.dir) parts.set(file.name, await file.async('nodebuffer'));
  return parts;
}

interface Seen {
  /** Each cell with all that is in it, and each row's own attributes. */
  readonly cells: Map<string, string>;
  readonly rows: Map<string, string>;
  /** Everything around the rows, what names areas apart. */
  readonly around: string[];
  readonly areas: string[];
}

/** A sheet's XML as another parser sees it. */
function seen(xml: string): Seen {
  const found: Seen = { cells: new Map(), rows: new Map(), around: [], areas: [] };
  const parser = new SaxesParser({ xmlns: false });
  let [row, column, cell] = [0, 0, ''];
  let text = '';
  const path: string[] = [];
  parser.on('opentag', ({ name, attributes }) => {
    const local = name.replace(/^.*:/, '');
    path.push(local);
    const said = JSON.stringify(attributes);
    if (local === 'row') {
      row = Number(attributes['r'] ?? row + 1);
      column = 0;
      const { spans: _spans, ...own } = attributes as Record<string, string>;
      found.rows.set(String(row), JSON.stringify(own));
    } else if (local === 'c') {
      column += 1;
      cell = String(attributes['r'] ?? `${columnLetter(column)}${row}`);
      found.cells.set(cell, said);
    } else if (cell !== '') found.cells.set(cell, `${found.cells.get(cell)}<${local} ${said}>`);
    else if (['dimension', 'autoFilter', 'conditionalFormatting', 'dataValidation'].includes(local))
      found.areas.push(said);
    else found.around.push(`${local} ${said}`);
  });
  const heard = (more: string): void => {
    if (cell !== '') found.cells.set(cell, `${found.cells.get(cell)}${more}`);
    else text += more;
  };
  parser.on('text', heard);
  parser.on('cdata', heard);
  parser.on('closetag', ({ name }) => {
    const local = name.replace(/^.*:/, '');
    if (local === 'c') cell = '';
    if (cell === '' && text.trim() !== '') (local === 'sqref' ? found.areas : found.around).push(text);
    text = '';
    path.pop();
  });
  parser.write(xml).close();
  return found;
}

/** What is changed in each workbook: a row more, a cell of the first row, a column more. */
function change(book: EditableWorkbook): { tab: string; changed: Set<string>; row: number } | undefined {
  const sheet = book.sheets[0] as Sheet;
  if (sheet.columns.length === 0) return undefined;
  const row = (sheet.lastRow ?? sheet.rows.at(-1)?.number ?? 1) + 1;
  const changed = new Set<string>();
  const columns = sheet.columns.slice(0, 5);
  book.setCells(
    sheet.name,
    row,
    columns.map(({ index, type }) => {
      changed.add(`${columnLetter(index)}${row}`);
      const value =
        { date: '2026-12-24', decimal: 7.25, integer: 42, boolean: true }[type as string] ?? 'new & “quoted” 007';
      return { column: index, value, type };
    }),
  );
  const second = sheet.rows.find(({ formulas }) => !formulas?.includes(1));
  if (second) {
    book.setCells(sheet.name, second.number, [{ column: 1, value: ' changed\n', type: 'text' }]);
    changed.add(`A${second.number}`);
  }
  const last = sheet.columns.at(-1)?.index as number;
  if (last < 16_384) {
    book.addColumns(sheet.name, ['Another']);
    changed.add(`${columnLetter(last + 1)}1`);
  }
  return { tab: sheet.name, changed, row };
}

/** Parts that may change beside the sheet itself: formats that are new, tables that grow, and the order to calculate anew. */
const mayChange = /styles\.xml$|tables\/table\d+\.xml$|^xl\/workbook\.xml$/;

const edited = new Map<string, Uint8Array>();

test.each(files)('%s keeps every part and every cell that we didn’t write', async (name) => {
  const before = bytesOf(name);
  const book = await openBook(name, before);
  const done = change(book);
  if (!done) return expect(book.sheets[0]?.rows).toEqual([]);
  const bytes = await book.save();
  edited.set(name, bytes);
  const [was, is] = [await partsOf(before), await partsOf(bytes)];
  expect([...is.keys()]).toEqual([...was.keys()]);
  const differing = [...was].filter(([part, content]) => !content.equals(is.get(part) as Buffer)).map(([part]) => part);
  const sheets = differing.filter((part) => /worksheets\//.test(part));
  expect(sheets).toHaveLength(1);
  expect(differing.filter((part) => !sheets.includes(part) && !mayChange.test(part))).toEqual([]);
  const [old, now] = [was.get(sheets[0] as string) as Buffer, is.get(sheets[0] as string) as Buffer].map((one) =>
    one.toString('utf8'),
  ) as [string, string];
  const [oldSeen, newSeen] = [seen(old), seen(now)];
  expect(newSeen.around).toEqual(oldSeen.around);
  expect(newSeen.areas).toHaveLength(oldSeen.areas.length);
  for (const [ref, content] of oldSeen.cells)
    if (!done.changed.has(ref)) expect([ref, newSeen.cells.get(ref)]).toEqual([ref, content]);
  for (const [row, attributes] of oldSeen.rows) expect(newSeen.rows.get(row)).toBe(attributes);
  const added = [...newSeen.cells.keys()].filter((ref) => !oldSeen.cells.has(ref));
  expect(added.filter((ref) => !done.changed.has(ref))).toEqual([]);
  // Rows without a change, letter for letter.
  const rows = (xml: string): string[] => xml.match(/<(\w+:)?row\b[^>]*>[\s\S]*?<\/(\w+:)?row>/g) ?? [];
  const untouched = rows(old).filter(
    (one) =>
      ![...done.changed].some((ref) => new RegExp(`\\br="?'?${ref.replace(/^[A-Z]+/, '')}["']`).test(one)) &&
      /\br=/.test(one),
  );
  for (const row of untouched) expect(now).toContain(row);
});

test.each(files)('%s is read back as written', async (name) => {
  const book = await openBook(name, bytesOf(name));
  const done = change(book);
  if (!done) return expect(book.sheets[0]?.rows).toEqual([]);
  const bytes = edited.get(name) ?? (await book.save());
  const again = await openBook(name, bytes);
  const [was, is] = [cellsOf(book.sheets[0] as Sheet), cellsOf(again.sheets[0] as Sheet)];
  for (const [ref, value] of Object.entries(was))
    if (!done.changed.has(ref)) expect([ref, is[ref]]).toEqual([ref, value]);
  for (const ref of done.changed) expect(is[ref]).toBeDefined();
  expect(Object.keys(is).filter((ref) => was[ref] === undefined && !done.changed.has(ref))).toEqual([]);
  expect(again.sheets.slice(1)).toEqual(book.sheets.slice(1));
  // Of the first column a cell became a text, and one that took anything holds something now.
  for (const { name: one, type } of (book.sheets[0] as Sheet).columns.slice(1))
    if (type !== 'any') expect(again.sheets[0]?.columns.find((column) => column.name === one)).toMatchObject({ type });
});

/** Whether Calc is installed, which LibreOffice can be without; it isn't needed to work on the project. */
const hasCalc = (): boolean => existsSync('/usr/bin/localc');

interface InCalc {
  readonly formats: number;
  readonly checks: number;
  readonly formulas: string[];
  readonly texts: string[];
}

/** What Calc makes of files, by name. */
function inCalc(at: string, names: readonly string[]): Map<string, InCalc> {
  const out = join(at, 'out');
  mkdirSync(out);
  execFileSync(
    'soffice',
    [
      `-env:UserInstallation=file://${at}/profile`,
      '--headless',
      '--convert-to',
      'fods',
      '--outdir',
      out,
      ...names.map((name) => join(at, name)),
    ],
    { stdio: 'ignore' },
  );
  return new Map(
    names.map((name) => {
      const xml = readFileSync(join(out, name.replace(/\.xls[xm]$/, '.fods')), 'utf8');
      const count = (sign: RegExp): number => xml.match(sign)?.length ?? 0;
      return [
        name,
        {
          formats: count(/<calcext:conditional-format /g),
          checks: count(/<table:content-validation /g),
          // Calc keeps yes and no as formulas.
          formulas: [...xml.matchAll(/table:formula="([^"]*)"/g)]
            .map(([, formula]) => formula as string)
            .filter((formula) => !/^of:=(TRUE|FALSE)\(\)$/.test(formula))
            .sort(),
          texts: [...xml.matchAll(/<text:p>([^<]*)<\/text:p>/g)].map(([, text]) => text as string).sort(),
        },
      ];
    }),
  );
}

// Two starts of Calc for all files together take about twenty seconds.
(hasCalc() ? test : test.skip)(
  'Calc opens each with the values, formulas, formats and checks that it had (skipped where Calc isn’t installed)',
  () => {
    const at = mkdtempSync(join(tmpdir(), 'golden-calc-'));
    try {
      const names = [...edited.keys()].filter((name) => !name.startsWith('widest'));
      for (const side of ['before', 'after'] as const) {
        mkdirSync(join(at, side));
        for (const name of names)
          writeFileSync(join(at, side, name), side === 'before' ? bytesOf(name) : (edited.get(name) as Uint8Array));
      }
      const [before, after] = [inCalc(join(at, 'before'), names), inCalc(join(at, 'after'), names)];
      for (const name of names) {
        const [was, is] = [before.get(name) as InCalc, after.get(name) as InCalc];
        expect([name, is.formats, is.checks, is.formulas]).toEqual([name, was.formats, was.checks, was.formulas]);
        const kept = [...is.texts];
        const gone = was.texts.filter((text) => {
          const place = kept.indexOf(text);
          if (place >= 0) kept.splice(place, 1);
          return place < 0;
        });
        // One cell was changed; a sum over the rows may be another one.
        expect([name, gone.length]).toEqual([name, Math.min(gone.length, 3)]);
      }
    } finally {
      rmSync(at, { recursive: true, force: true });
    }
  },
);

import { execFileSync } from 'node:child_process';
import { existsSync, mkdtempSync, readdirSync, readFileSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { SaxesParser } from 'saxes';
import type { Sheet } from '../sheet.ts';
import { editXlsx, readXlsx } from '../xlsx.ts';
import { Workbook } from './book.ts';
import { Package } from './package.ts';
import { readCell } from './read-cell.ts';
import { cellsIn, frameOf } from './sheet-part.ts';
import { xmlText } from './xml.ts';

// A tab made like another one: its head, columns and formats, and none of its rows.

const folder = join(__dirname, '../../../testdata/workbooks');
const files = readdirSync(folder).filter((name) => /\.xls[xm]$/.test(name));
const bytesOf = (name: string): Buffer => readFileSync(join(folder, name));
const sheetsOf = async (bytes: Uint8Array): Promise<readonly Sheet[]> => (await readXlsx(bytes)).sheets;

test.each(files)(
  '%s: the head without rows, in XML that another parser takes; all other parts but the lists as they were',
  async (name) => {
    const bytes = bytesOf(name);
    const [model, ...others] = await sheetsOf(bytes);
    const made = await editXlsx(bytes, [{ kind: 'tab_like', tab: 'November', like: model?.name ?? '' }]);
    const sheets = await sheetsOf(made);
    const own = sheets.at(-1);
    expect(own?.name).toBe('November');
    // A column without a name is there only by its rows.
    const named = (sheet: Sheet | undefined) =>
      sheet?.columns.filter((one) => !/^column [A-Z]+$/.test(one.name)).map((one) => one.name);
    expect(named(own)).toEqual(named(model));
    expect(own?.rows).toEqual([]);
    expect(sheets.slice(0, -1).map((one) => [one.name, [...one.rows].length])).toEqual(
      [model, ...others].map((one) => [one?.name, [...(one?.rows ?? [])].length]),
    );
    const [before, after] = [Package.open(bytes), Package.open(made)];
    const book = await Workbook.open(made);
    const lists = [book.part, '[Content_Types].xml', book.part.replace(/([^/]+)$/, '_rels/$1.rels')];
    for (const { name: part } of before.parts)
      if (!lists.includes(part)) expect(await after.read(part)).toEqual(await before.read(part));
    const text = (await after.read(book.tabs.at(-1)?.part ?? '')).toString();
    const parser = new SaxesParser({ xmlns: true });
    parser.on('error', (error) => {
      throw error;
    });
    parser.write(text).close();
    // What belongs to other parts, or to rows that aren't there, stays behind.
    expect(text).not.toMatch(/tablePart|<drawing|legacyDrawing|mergeCell|autoFilter|hyperlink|extLst|tabSelected="1"/);
  },
);

test('what is written there looks as in the last tab: dates as dates, amounts as amounts', async () => {
  const start = await editXlsx(bytesOf('styled.openpyxl.xlsx'), []);
  const [model] = await sheetsOf(start);
  const last = [...(model?.rows ?? [])].at(-1);
  const made = await editXlsx(start, [{ kind: 'tab_like', tab: '2027', like: model?.name ?? '' }]);
  const cells = model?.columns.map(({ index, name, type }) => ({
    column: index,
    value: last?.record[name] as string | number | boolean | null,
    type,
  }));
  const written = await editXlsx(made, [
    { kind: 'cells', tab: '2027', row: 2, cells: cells ?? [] },
    { kind: 'cells', tab: '2027', row: 3, cells: cells ?? [] },
  ]);
  const formats = async (tab: string | undefined, row: number | undefined): Promise<unknown[]> => {
    const book = await Workbook.open(written);
    const frame = frameOf(xmlText(await book.pack.read(book.tabs.find((one) => one.name === tab)?.part ?? '')));
    const place = frame.rows.find(({ number }) => number === row);
    const reading = { strings: await book.strings(), styles: await book.styles(), is1904: book.is1904 };
    if (!place) throw new Error('The row isn’t there.');
    const shown = model?.columns.filter(({ type }) => type === 'date' || type === 'decimal').map(({ index }) => index);
    return cellsIn(frame, place).flatMap((cell) =>
      !shown?.includes(cell.column) ? [] : [[cell.column, cell.format, readCell(frame, cell, reading).value]],
    );
  };
  const wanted = await formats(model?.name, last?.number);
  expect(wanted.length).toBeGreaterThan(1);
  expect(await formats('2027', 2)).toEqual(wanted);
  expect(await formats('2027', 3)).toEqual(wanted);
});

// LibreOffice can be there without Calc.
const calc = existsSync('/usr/bin/localc') ? '/usr/bin/soffice' : undefined;
(calc ? test : test.skip)('Calc opens files with such a tab', async () => {
  const at = mkdtempSync(join(tmpdir(), 'tab-like-'));
  for (const name of ['table.openpyxl.xlsx', 'conditional_formats.calc.xlsx', 'chart.openpyxl.xlsx']) {
    const [model] = await sheetsOf(bytesOf(name));
    writeFileSync(
      join(at, name),
      await editXlsx(bytesOf(name), [{ kind: 'tab_like', tab: 'New', like: model?.name ?? '' }]),
    );
    const args = ['--headless', `-env:UserInstallation=file://${at}/profile`, '--convert-to', 'ods', '--outdir', at];
    execFileSync(calc as string, [...args, join(at, name)], { stdio: 'ignore' });
    const content = await Package.open(readFileSync(join(at, name.replace(/xlsx$/, 'ods')))).read('content.xml');
    expect(content.toString()).toContain('table:name="New"');
  }
  rmSync(at, { recursive: true });
});

test.each(files)(
  '%s emptied: no rows, in XML that another parser takes; what isn’t of rows as it was',
  async (name) => {
    const bytes = bytesOf(name);
    const before = await sheetsOf(bytes);
    const [model] = before;
    const made = await editXlsx(bytes, [{ kind: 'emptied', tab: model?.name ?? '' }]);
    const after = await sheetsOf(made);
    expect([...(after[0]?.rows ?? [])]).toEqual([]);
    const named = (sheet: Sheet | undefined) =>
      sheet?.columns.filter((one) => !/^column [A-Z]+$/.test(one.name)).map((one) => one.name);
    expect(named(after[0])).toEqual(named(model));
    expect(after.slice(1)).toEqual(before.slice(1));
    const [was, is] = [Package.open(bytes), Package.open(made)];
    const book = await Workbook.open(made);
    const part = book.tabs[0]?.part ?? '';
    const changed = new Set([part, '[Content_Types].xml', book.part.replace(/([^/]+)$/, '_rels/$1.rels')]);
    for (const { name: one } of was.parts) {
      if (/calcChain/.test(one)) expect(is.has(one)).toBe(false);
      else if (!changed.has(one) && !/tables\//.test(one)) expect(await is.read(one)).toEqual(await was.read(one));
    }
    for (const one of ['[Content_Types].xml', book.part.replace(/([^/]+)$/, '_rels/$1.rels')])
      expect((await is.read(one)).toString()).not.toContain('calcChain');
    for (const { name: one } of is.parts.filter((each) => /\.xml$|\.rels$/.test(each.name))) {
      const parser = new SaxesParser({ xmlns: true });
      parser.on('error', (error) => {
        throw error;
      });
      parser.write((await is.read(one)).toString()).close();
    }
    // What comes then stands under the names again.
    const columns = (after[0]?.columns ?? []).filter((one) => named(after[0])?.includes(one.name));
    if (columns.length === 0) return;
    const filled = await sheetsOf(
      await editXlsx(made, [
        {
          kind: 'cells',
          tab: model?.name ?? '',
          row: 2,
          cells: columns.map(({ index }) => ({ column: index, value: 'x', type: 'text' })),
        },
      ]),
    );
    expect([...(filled[0]?.rows ?? [])].map((row) => row.number)).toEqual([2]);
  },
);

import {
  BadPlaceholder,
  type FilledBlock,
  fieldsOfPage,
  fillPage,
  harmless,
  type JsonRecord,
  type Page,
  readPage,
} from '@golden/core';
import ExcelJS from 'exceljs';
import Papa from 'papaparse';
import PizZip from 'pizzip';
import type { DocumentMaker } from '../maker.ts';
import { fixedDate } from '../zip-date.ts';

// The tables of a page as a file of their own, for spreadsheet programs and whoever takes lists.

type Table = Extract<FilledBlock, { kind: 'table' }>;

/** The page with nothing but its tables; a CSV file holds the first one. @throws BadPlaceholder where it has none */
function tablesOf(page: Page, ending: '.csv' | '.xlsx'): Page {
  const tables = page.blocks.filter(({ kind }) => kind === 'lines');
  if (tables.length === 0) throw new BadPlaceholder('This page has no table of lines.');
  return { size: page.size, blocks: ending === '.csv' ? tables.slice(0, 1) : tables };
}

/** Makes lists of a page's tables. @throws BadPlaceholder */
export function tableMaker(given: unknown, ending: '.csv' | '.xlsx'): DocumentMaker {
  const page = tablesOf(readPage(given), ending);
  const filled = (record: JsonRecord) => {
    const { blocks, problems } = fillPage(page, record);
    return { tables: blocks.filter((block) => block.kind === 'table'), problems };
  };
  return {
    ending,
    fields: fieldsOfPage(page),
    problemsOf: async (record) => filled(record).problems,
    make: async (record) => {
      const { tables, problems } = filled(record);
      if (ending === '.csv') return { bytes: asCsv(tables), problems };
      const rows = tables.flatMap(({ head, rows: inner, totals }) => [head, ...inner, ...(totals ? [totals] : [])]);
      return { bytes: await asXlsx(tables), problems, lines: rows.map((row) => row.join('\t')) };
    },
  };
}

/** RFC 4180; the mark at the front tells spreadsheet programs that it is UTF-8, and no text runs there as a formula. */
function asCsv([table]: readonly Table[]): Uint8Array {
  const rows = table ? [table.head, ...table.rows] : [];
  const text = Papa.unparse(
    rows.map((row) => row.map(harmless)),
    { newline: '\r\n' },
  );
  return Buffer.from(`\ufeff${text}\r\n`);
}

/** So many digits a spreadsheet program holds exactly; what has more stays a text. */
const mostDigits = 15;

async function asXlsx(tables: readonly Table[]): Promise<Uint8Array> {
  const book = new ExcelJS.Workbook();
  book.created = fixedDate;
  book.modified = fixedDate;
  for (const [at, { head, rows, totals, isAmount }] of tables.entries()) {
    const sheet = book.addWorksheet(`Table ${at + 1}`);
    sheet.addRow(head).font = { bold: true };
    for (const row of rows) sheet.addRow(row.map((text, column) => cellOf(text, isAmount[column] === true)));
    if (totals) sheet.addRow(totals.map((text) => cellOf(text, true))).font = { bold: true };
    for (const [column, isNumber] of isAmount.entries()) {
      const places = Math.max(0, ...rows.map((row) => /\.(\d+)$/.exec(row[column] ?? '')?.[1]?.length ?? 0));
      if (isNumber) sheet.getColumn(column + 1).numFmt = places === 0 ? '0' : `0.${'0'.repeat(places)}`;
      const longest = Math.max(...[head, ...rows].map((row) => row[column]?.length ?? 0));
      sheet.getColumn(column + 1).width = Math.min(60, Math.max(8, longest + 2));
    }
  }
  if (tables.length === 0) book.addWorksheet('Table 1');
  const zip = new PizZip(Buffer.from(await book.xlsx.writeBuffer()));
  for (const part of Object.values(zip.files)) part.date = fixedDate;
  return zip.generate({ type: 'uint8array', compression: 'DEFLATE' });
}

const cellOf = (text: string, isAmount: boolean): string | number =>
  isAmount && /^-?\d+(\.\d+)?$/.test(text) && text.replace(/\D/g, '').length <= mostDigits ? Number(text) : text;

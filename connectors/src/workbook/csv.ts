import Papa from 'papaparse';
import { type CsvPlaces, CsvRows, placesOfRows } from './csv-rows.ts';
import { expectFileSize, expectGrid } from './limits.ts';
import {
  type BookContent,
  type BookEdit,
  type CellChange,
  type Column,
  nameColumns,
  type Sheet,
  UnreadableWorkbook,
} from './sheet.ts';

/**
 * Reads a CSV file (RFC 4180) with its first row as column names; it has one tab, called after the
 * file. All values are text.
 * @throws UnreadableWorkbook when a quote isn't closed, the bytes are no text, or there is too much
 */
export function readCsv(name: string, bytes: Uint8Array): BookContent {
  const { rows, readOnlyBecause } = parseCsv(name, bytes);
  return { sheets: [toSheet(tabOf(name), rows)], ...(readOnlyBecause && { readOnlyBecause }) };
}

/**
 * The file with these changes. Its separator, line ends and byte order mark are kept; rows that only come
 * below the last one are put behind the file's bytes, which stay as they are.
 */
export function editCsv(name: string, bytes: Uint8Array, edits: readonly BookEdit[]): Uint8Array {
  if (edits.length === 0) return bytes;
  const { text, rows, delimiter, linebreak } = parseCsv(name, bytes);
  const newline = lineEndOf(text);
  const separator = rows.length > 0 && delimiter ? delimiter : ',';
  if (isBelow(edits, rows.length)) {
    const [first = [], last = []] = [rows[0], rows.at(-1)];
    return appended(bytes, text, { delimiter: separator, linebreak, count: rows.length, first, last }, edits);
  }
  for (const edit of edits) applyTo(rows, edit);
  const saved = asText(rows, newline, separator);
  return new TextEncoder().encode(`${text.startsWith('\ufeff') ? '\ufeff' : ''}${saved}${newline}`);
}

const lineEndOf = (text: string): string => (text.includes('\r\n') || !text.includes('\n') ? '\r\n' : '\n');

/** Whether edits only put rows below the last of so many, the names' one among them. */
export const isBelow = (edits: readonly BookEdit[], count: number): boolean =>
  count > 0 && edits.every((edit) => edit.kind === 'cells' && edit.row > count);

interface Table {
  readonly delimiter: string;
  readonly linebreak: string;
  readonly count: number;
  readonly first: readonly string[];
  readonly last: readonly string[];
}

/** The file with these rows behind its bytes, which stay as they are. */
function appended(
  bytes: Uint8Array,
  text: string,
  { delimiter, linebreak, count, first, last }: Table,
  edits: readonly BookEdit[],
): Uint8Array {
  const rows: string[][] = [[...first]];
  for (const edit of edits) if (edit.kind === 'cells') applyTo(rows, { ...edit, row: edit.row - count + 1 });
  // Where line ends are mixed, those count by which the file is read.
  const newline = /[\r\n]/.test(text) ? linebreak : lineEndOf(text);
  const added = Papa.unparse(rows.slice(1), { newline, delimiter, quotes: isQuoted(text, last, delimiter) });
  return Buffer.concat([bytes, new TextEncoder().encode(`${text.endsWith(newline) ? '' : newline}${added}${newline}`)]);
}

/**
 * Where the rows of a CSV file stand: all that has to be found out once to read them one by one.
 * @throws UnreadableWorkbook as `readCsv`
 */
export function outlineCsv(name: string, bytes: Uint8Array): CsvPlaces {
  const body = bodyOf(decoded(name, bytes).text);
  return placesOfRows(body, separatorOf(body), notClosed);
}

/** A CSV file whose rows are read out of its text when they are asked for, and what puts rows below them. */
export function lazyCsv(
  name: string,
  bytes: Uint8Array,
  places: CsvPlaces,
): { readonly content: BookContent; readonly append: (edits: readonly BookEdit[]) => Uint8Array } {
  const { text, readOnlyBecause } = decoded(name, bytes);
  const body = bodyOf(text);
  const { starts, end, delimiter } = places;
  const rowAt = (at: number): string[] =>
    starts[at] === undefined
      ? []
      : (Papa.parse<string[]>(body.slice(starts[at], starts[at + 1] ?? end), {
          ...places,
          newline: places.linebreak as '\n',
          preview: 1,
        }).data[0] ?? []);
  const first = rowAt(0);
  const names = namesOf(first);
  const tab = tabOf(name);
  expectGrid(tab, names.length, starts.length, true);
  const sheet = { name: tab, columns: columnsOf(names), rows: new CsvRows(body, places, names) };
  return {
    content: { sheets: [sheet], ...(readOnlyBecause && { readOnlyBecause }) },
    append: (edits) => {
      const [count, last] = [starts.length, rowAt(starts.length - 1)];
      return appended(bytes, text, { delimiter, linebreak: places.linebreak, count, first, last }, edits);
    },
  };
}

/** Whether the last row is written with each value in quotation marks, as some programs write all of them. */
function isQuoted(text: string, last: readonly string[], delimiter: string): boolean {
  return text.trimEnd().endsWith(Papa.unparse([[...last]], { delimiter, quotes: true }));
}

function parseCsv(name: string, bytes: Uint8Array) {
  const { text, readOnlyBecause } = decoded(name, bytes);
  const body = bodyOf(text);
  const delimiter = separatorOf(body);
  const parsed = Papa.parse<string[]>(body, { skipEmptyLines: 'greedy', ...(delimiter && { delimiter }) });
  const fault = parsed.errors.find((error) => error.type === 'Quotes');
  if (fault) throw notClosed((fault.row ?? 0) + 1);
  const rows = parsed.data;
  expectGrid(tabOf(name), rows[0]?.length ?? 0, rows.length);
  return { text, rows, delimiter: parsed.meta.delimiter, linebreak: parsed.meta.linebreak, readOnlyBecause };
}

const bodyOf = (text: string): string => text.replace(/^\ufeff/, '');

const notClosed = (row: number): UnreadableWorkbook =>
  new UnreadableWorkbook(`In row ${row} a quotation mark isn’t closed.`);

/** The rows as text; the names in quotation marks where without them another separator would be read. */
function asText(rows: string[][], newline: string, delimiter: string): string {
  const saved = Papa.unparse(rows, { newline, delimiter });
  if (separatorOf(saved) === delimiter) return saved;
  const [names = [], ...others] = rows;
  const head = Papa.unparse([names], { newline, delimiter, quotes: true });
  return others.length === 0 ? head : `${head}${newline}${Papa.unparse(others, { newline, delimiter })}`;
}

const tabOf = (name: string): string => name.replace(/\.csv$/i, '');

function applyTo(rows: string[][], edit: BookEdit): void {
  switch (edit.kind) {
    case 'cells': {
      const width = Math.max(rows[0]?.length ?? 0, ...edit.cells.map((cell) => cell.column));
      while (rows.length < edit.row) rows.push(Array.from({ length: width }, () => ''));
      for (const cell of edit.cells) setCell(rows[edit.row - 1] as string[], cell);
      return;
    }
    case 'delete_row':
      rows.splice(edit.row - 1, 1);
      return;
    case 'columns': {
      const width = rows.reduce((most, row) => Math.max(most, row.length), 0);
      if (rows.length === 0) rows.push([]);
      rows.forEach((row, at) => {
        while (row.length < width) row.push('');
        row.push(...edit.names.map((one) => (at === 0 ? one : '')));
      });
      return;
    }
    case 'emptied':
      rows.splice(1);
      return;
    case 'tab':
    case 'tab_like':
      throw new UnreadableWorkbook('A CSV file has just one tab.');
  }
}

/** The separators that are looked for, the usual one first. */
const separators = [',', ';', '\t', '|'];

/**
 * What the first record, where the names stand, is separated by; undefined where two give as many
 * names. The library tells it by how even the rows are, which fails on a short row.
 */
function separatorOf(text: string): string | undefined {
  const counts = separators.map((sign) => ({
    sign,
    count: (Papa.parse<string[]>(text, { delimiter: sign, preview: 1, skipEmptyLines: 'greedy' }).data[0] ?? []).length,
  }));
  const most = Math.max(...counts.map(({ count }) => count));
  if (most <= 1) return ',';
  const best = counts.filter(({ count }) => count === most);
  return best.length === 1 ? best[0]?.sign : undefined;
}

/**
 * The text of a file. UTF-8 is written as well as read; UTF-16 (told by its byte order mark) and
 * what is no UTF-8, read as Windows-1252 (WHATWG Encoding), are only read: saving would change every
 * character's bytes under other programs.
 */
function decoded(name: string, bytes: Uint8Array): { text: string; readOnlyBecause?: string } {
  expectFileSize(bytes.length);
  const [first, second] = bytes;
  const isUtf16 = (first === 0xff && second === 0xfe) || (first === 0xfe && second === 0xff);
  const readOnly = (encoding: string): string =>
    `“${name}” is written in ${encoding}, so it is only read. Save it as “CSV UTF-8” to write to it.`;
  if (isUtf16) {
    const encoding = first === 0xff ? 'utf-16le' : 'utf-16be';
    return { text: new TextDecoder(encoding).decode(bytes), readOnlyBecause: readOnly('UTF-16') };
  }
  try {
    return { text: new TextDecoder('utf-8', { fatal: true, ignoreBOM: true }).decode(bytes) };
  } catch {
    if (bytes.includes(0)) throw new UnreadableWorkbook('It is not a text file. Is it really a CSV file?');
    return { text: new TextDecoder('windows-1252').decode(bytes), readOnlyBecause: readOnly('Windows-1252') };
  }
}

const namesOf = (first: readonly string[]): string[] => nameColumns(first.map((header) => header.trim()));
const columnsOf = (names: readonly string[]): Column[] =>
  names.map((name, at) => ({ index: at + 1, name, type: 'text' }));

function toSheet(name: string, rows: readonly (readonly string[])[]): Sheet {
  const names = namesOf(rows[0] ?? []);
  return {
    name,
    columns: columnsOf(names),
    rows: rows.slice(1).map((row, at) => ({
      number: at + 2,
      record: Object.fromEntries(names.map((column, index) => [column, row[index] ?? null])),
    })),
  };
}

function setCell(row: string[], { column, value }: CellChange): void {
  while (row.length < column) row.push('');
  row[column - 1] = value === null ? '' : String(value);
}

import { createReadStream, existsSync } from 'node:fs';
import Papa from 'papaparse';

/** A CSV file that a command can't use, in words that say what to do. */
export class UnusableFile extends Error {
  override readonly name = 'UnusableFile';
}

/** The header and the first rows of a CSV file (RFC 4180, any delimiter that Papa Parse finds). */
export interface CsvHead {
  readonly fields: readonly string[];
  readonly rows: readonly (readonly string[])[];
}

function streamRows(path: string, most: number, row: (cells: readonly string[]) => void): Promise<void> {
  if (!existsSync(path)) return Promise.reject(new UnusableFile(`There is no file ${path}.`));
  return new Promise((resolve, reject) => {
    const input = createReadStream(path, { encoding: 'utf8' });
    input.on('error', reject);
    let seen = 0;
    Papa.parse<string[]>(input, {
      skipEmptyLines: 'greedy',
      step: ({ data }, parser) => {
        if (seen++ > most) parser.abort();
        else row(data);
      },
      complete: () => resolve(),
      error: reject,
    });
  });
}

function cleanHeader(cells: readonly string[]): string[] {
  return cells.map((cell) => cell.replace(/^\ufeff/, '').trim());
}

/** Reads the header and at most `most` rows after it. */
export async function readHead(path: string, most = 2000): Promise<CsvHead> {
  let fields: string[] | undefined;
  const rows: (readonly string[])[] = [];
  await streamRows(path, most, (cells) => {
    if (!fields) fields = cleanHeader(cells);
    else rows.push(cells);
  });
  if (!fields || fields.length === 0)
    throw new UnusableFile(`${path} is empty: its first line should name the columns.`);
  const twice = fields.find((field, at) => fields?.indexOf(field) !== at);
  if (twice !== undefined) throw new UnusableFile(`${path} has two columns named "${twice}"; give each its own name.`);
  return { fields, rows };
}

/** Reads all rows after the header, one at a time; each has as many cells as the header. */
export async function readRows(path: string, width: number, row: (cells: readonly string[]) => void): Promise<void> {
  let isHeader = true;
  await streamRows(path, Number.POSITIVE_INFINITY, (cells) => {
    if (!isHeader) row(cells.length === width ? cells : Array.from({ length: width }, (_, at) => cells[at] ?? ''));
    isHeader = false;
  });
}

import Papa from 'papaparse';
import type { RowList, SheetRow } from './sheet.ts';

/** Where the rows of a CSV text stand, so that they can be read one by one. */
export interface CsvPlaces {
  readonly delimiter: string;
  readonly linebreak: string;
  /** Where each row begins that isn't empty, the names' first, in UTF-16 units. */
  readonly starts: Uint32Array;
  /** Where the last one ends. */
  readonly end: number;
}

/** Rows of which one value each is read at once. */
const valuesAtOnce = 2000;

/** UTF-16 units that are split at once: all of a long text would be in the memory again, as pieces. */
const pieceUnits = 1024 * 1024;

/** Cells that are read at once when all rows are gone through. */
const cellsAtOnce = 10_000;

/** Whether a row has nothing in it but blanks: such rows aren't counted. */
export const isEmptyRow = (row: readonly string[]): boolean => row.join('').trim() === '';

/**
 * Finds the rows of a CSV text (RFC 4180), without keeping what is in them.
 *
 * @param fault - what is thrown for a row with a quotation mark that isn't closed; its number counts from 1
 */
export function placesOfRows(
  text: string,
  delimiter: string | undefined,
  fault: (row: number) => Error,
  piece = pieceUnits,
): CsvPlaces {
  let starts = new Uint32Array(1024);
  let [count, at, end, row] = [0, 0, 0, 0];
  // Told by the beginning of the whole, not by that of a piece.
  const found = Papa.parse<string[]>(text, { ...(delimiter && { delimiter }), preview: 1 }).meta;
  let failed: Error | undefined;
  Papa.parse<string[]>(text, {
    delimiter: found.delimiter,
    newline: found.linebreak as '\n',
    chunkSize: piece,
    step: ({ data, errors, meta }, parser) => {
      row += 1;
      if (errors.some(({ type }) => type === 'Quotes')) {
        failed = fault(row);
        parser.abort();
        return;
      }
      if (!isEmptyRow(data)) {
        if (count === starts.length) {
          const longer = new Uint32Array(starts.length * 2);
          longer.set(starts);
          starts = longer;
        }
        starts[count++] = at;
        end = meta.cursor;
      }
      at = meta.cursor;
    },
  });
  if (failed) throw failed;
  return { delimiter: found.delimiter, linebreak: found.linebreak, starts: starts.slice(0, count), end };
}

/** The rows of a CSV text, read out of it when they are asked for: a million take no more memory than the text. */
export class CsvRows implements RowList {
  readonly length: number;
  readonly columns: number;

  constructor(
    private readonly text: string,
    private readonly places: CsvPlaces,
    private readonly names: readonly string[],
  ) {
    this.length = Math.max(0, places.starts.length - 1);
    this.columns = names.length;
  }

  at(index: number): SheetRow | undefined {
    const place = index < 0 ? this.length + index : index;
    return place >= 0 && place < this.length ? this.read(place, place + 1)[0] : undefined;
  }

  *[Symbol.iterator](): Generator<SheetRow> {
    yield* this.from(0);
  }

  /** The rows from a place on. */
  *from(begin: number): Generator<SheetRow> {
    const some = Math.max(1, Math.floor(cellsAtOnce / Math.max(1, this.names.length)));
    for (let at = begin; at < this.length; at += some) yield* this.read(at, Math.min(this.length, at + some));
  }

  /** What stands in one column of each row, counted from 0. */
  *values(column: number): Generator<string | null> {
    for (let at = 0; at < this.length; at += valuesAtOnce)
      for (const row of this.split(at, Math.min(this.length, at + valuesAtOnce))) yield row[column] ?? null;
  }

  map<T>(change: (row: SheetRow) => T): T[] {
    return Array.from(this, change);
  }

  find(isIt: (row: SheetRow) => boolean): SheetRow | undefined {
    for (const row of this) if (isIt(row)) return row;
    return undefined;
  }

  /** The rows from one place up to another, which isn't among them; the names stand above the first. */
  private read(from: number, to: number): SheetRow[] {
    return this.split(from, to).map((row, at) => ({
      number: from + at + 2,
      record: Object.fromEntries(this.names.map((name, index) => [name, row[index] ?? null])),
    }));
  }

  private split(from: number, to: number): string[][] {
    const { starts, end, delimiter, linebreak } = this.places;
    const text = this.text.slice(starts[from + 1], starts[to + 1] ?? end);
    return Papa.parse<string[]>(text, { delimiter, newline: linebreak as '\n', skipEmptyLines: 'greedy' }).data;
  }
}

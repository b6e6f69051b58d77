import { keyText, type Pointer, readPointer } from '@golden/core';
import type { Page, SourceRecord } from '../connector.ts';
import type { CsvRows } from './csv-rows.ts';
import type { SheetRow } from './sheet.ts';

/** How rows are named in a listing: by the field that was chosen for it, else by their place. */
export class RowNames {
  private readonly times = new Map<string, number>();

  constructor(private readonly identity: Pointer | undefined) {}

  /** The name of the next row. Two with one key, or none: told apart by their place, so that none is lost. */
  of(row: SheetRow): string {
    const named = this.identity ? keyText(readPointer(row.record, this.identity)) : '';
    if (named === '') return `row ${row.number}`;
    const count = (this.times.get(named) ?? 0) + 1;
    this.times.set(named, count);
    return count === 1 ? named : `${named} (${count})`;
  }
}

/** Cells of a page, and its records at the most: some milliseconds of work for whoever takes it. */
const [cellsAPage, mostRowsAPage] = [20_000, 1000];

interface Under {
  readonly cursor: string;
  readonly at: number;
  readonly names: RowNames;
}

/** Lists long tables page after page, so that they are never in the memory whole. */
export class RowListings {
  /** The listing of each place that is under way. */
  private readonly under = new Map<string, Under>();

  /**
   * A page of a listing; one that goes on at a cursor of another content begins anew.
   *
   * @param mark - of the content; a listing without one goes on all the same
   */
  page(
    key: string,
    mark: string | undefined,
    rows: CsvRows,
    identity: Pointer | undefined,
    cursor: string | undefined,
  ): Page {
    const { at, names } = this.begun(key, mark, rows, identity, cursor);
    const records: SourceRecord[] = [];
    const most = Math.min(mostRowsAPage, Math.max(1, Math.floor(cellsAPage / Math.max(1, rows.columns))));
    for (const row of rows.from(at)) {
      records.push({ id: names.of(row), record: row.record });
      if (records.length === most) break;
    }
    const next = at + records.length;
    this.under.delete(key);
    if (next >= rows.length) return { records, cursor: null };
    const goesOn = JSON.stringify([mark, next]);
    this.under.set(key, { cursor: goesOn, at: next, names });
    return { records, cursor: goesOn };
  }

  private begun(
    key: string,
    mark: string | undefined,
    rows: CsvRows,
    identity: Pointer | undefined,
    cursor: string | undefined,
  ): Omit<Under, 'cursor'> {
    const known = this.under.get(key);
    if (cursor !== undefined && known?.cursor === cursor && cursor === JSON.stringify([mark, known.at])) return known;
    const names = new RowNames(identity);
    const [of, at] = (cursor === undefined ? [mark, 0] : JSON.parse(cursor)) as [string | null | undefined, number];
    if (at === 0 || (of ?? undefined) !== mark) return { at: 0, names };
    // Begun by another process: how the rows before were named tells how those after are.
    let gone = 0;
    for (const row of rows) {
      if (gone++ === at) break;
      names.of(row);
    }
    return { at, names };
  }
}

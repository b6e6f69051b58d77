import { cellError, type FieldType } from '@golden/core';
import { expectCells, expectGrid } from '../limits.ts';
import { type Area, type Column, nameColumnsAt, type Sheet, type SheetRow } from '../sheet.ts';
import { type Reading, readCell, type Scalar } from './read-cell.ts';
import { areaOf } from './refs.ts';
import { cellsIn, frameOf, type RowPlace, type SheetFrame } from './sheet-part.ts';
import { attribute, tagsIn } from './xml.ts';

interface Row {
  readonly number: number;
  readonly cells: ReadonlyMap<number, Scalar>;
  readonly formulas: readonly number[];
}

/** What is known of a column, gathered while the rows are read. */
interface ColumnSigns {
  filled: number;
  whole: number;
  numbers: number;
  dates: number;
  booleans: number;
}

/**
 * Reads a sheet's part, a record a row; the first row names the columns. Only cells with something in
 * them are looked at: one in the last column of all makes no other.
 *
 * @param keeps - without its rows an outline takes little memory: columns, and where the last row is
 * @throws UnreadableWorkbook
 */
export function readSheet(name: string, text: string, reading: Reading, keeps: 'rows' | 'outline' = 'rows'): Sheet {
  const frame = frameOf(text);
  const reader = new SheetReader(frame, reading, keeps === 'rows');
  for (const row of frame.rows) reader.take(row);
  return reader.sheet(name);
}

/** What is gathered while the rows of a sheet are gone through. */
class SheetReader {
  private readonly headers = new Map<number, string>();
  private readonly rows: Row[] = [];
  private readonly signs = new Map<number, ColumnSigns>();
  /** Columns that have a cell in the second row, and of these the ones that are shown with decimals. */
  private readonly second = new Set<number>();
  private readonly decimals = new Set<number>();
  /** Areas that one formula fills: every cell of them is calculated. */
  private readonly arrays: Area[] = [];
  private count = 0;
  private filled = 0;
  private lastFilled = 1;
  private last = 1;

  constructor(
    private readonly frame: SheetFrame,
    private readonly reading: Reading,
    private readonly keepsRows: boolean,
  ) {}

  take(place: RowPlace): void {
    const cells = new Map<number, Scalar>();
    const formulas: number[] = [];
    for (const cell of cellsIn(this.frame, place)) {
      if (place.number === 2) {
        this.second.add(cell.column);
        if (this.reading.styles.mayHaveDecimals(cell.format)) this.decimals.add(cell.column);
      }
      const { value, isDate, hasFormula, array } = readCell(this.frame, cell, this.reading);
      if (hasFormula) formulas.push(cell.column);
      if (array) this.arrays.push(array);
      if (value === null || value === '') continue;
      cells.set(cell.column, value);
      if (place.number > 1) note(this.signs, cell.column, value, isDate);
    }
    this.count += cells.size;
    expectCells(this.count);
    if (place.number === 1) this.name(cells);
    else if (cells.size > 0 || formulas.length > 0) this.keep({ number: place.number, cells, formulas });
  }

  private name(cells: ReadonlyMap<number, Scalar>): void {
    for (const [column, value] of cells) {
      const header = String(value).trim();
      if (header !== '') this.headers.set(column, header);
    }
  }

  private keep(row: Row): void {
    this.last = row.number;
    if (row.cells.size === 0) return;
    this.lastFilled = row.number;
    this.filled += 1;
    if (this.keepsRows) this.rows.push(row);
  }

  /** Only columns that there are: an area may reach over the whole tab. */
  private calculated({ number, formulas }: Row, columns: readonly Column[]): { formulas?: readonly number[] } {
    const areas = this.arrays.filter(({ top, bottom }) => number >= top && number <= bottom);
    if (areas.length === 0) return formulas.length > 0 ? { formulas } : {};
    const filled = columns.filter(({ index }) => areas.some(({ left, right }) => index >= left && index <= right));
    const all = new Set([...formulas, ...filled.map(({ index }) => index)]);
    return all.size > 0 ? { formulas: [...all] } : {};
  }

  sheet(name: string): Sheet {
    const indexes = [...new Set([...this.headers.keys(), ...this.signs.keys()])].sort((one, other) => one - other);
    expectGrid(name, indexes.length, this.filled);
    const names = nameColumnsAt(indexes.map((index) => [index, this.headers.get(index) ?? '']));
    const columns = indexes.map(
      (index, at): Column => ({
        index,
        name: names[at] as string,
        type: typeOf(this.signs.get(index), !this.second.has(index) || this.decimals.has(index)),
      }),
    );
    const merged = mergedIn(this.frame);
    const rows = this.rows.map(
      (row): SheetRow => ({
        number: row.number,
        record: Object.fromEntries(columns.map(({ name: column, index }) => [column, row.cells.get(index) ?? null])),
        ...this.calculated(row, columns),
      }),
    );
    return {
      name,
      columns,
      rows,
      ...((this.last > this.lastFilled || !this.keepsRows) && { lastRow: this.last }),
      ...(merged.length > 0 && { merged }),
    };
  }
}

function note(signs: Map<number, ColumnSigns>, column: number, value: Scalar, isDate: boolean): void {
  let one = signs.get(column);
  if (!one) {
    one = { filled: 0, whole: 0, numbers: 0, dates: 0, booleans: 0 };
    signs.set(column, one);
  }
  // An error tells nothing of what the column holds.
  if (cellError(value)) return;
  one.filled += 1;
  if (typeof value === 'number') one.numbers += 1;
  if (Number.isInteger(value)) one.whole += 1;
  if (typeof value === 'boolean') one.booleans += 1;
  if (isDate) one.dates += 1;
}

/** What a column holds, told by its cells; a column without any takes anything, one of figures that are shown with decimals takes decimals. */
function typeOf(signs: ColumnSigns | undefined, mayHaveDecimals: boolean): FieldType {
  if (!signs?.filled) return 'any';
  if (signs.numbers === signs.filled) return signs.whole === signs.filled && !mayHaveDecimals ? 'integer' : 'decimal';
  if (signs.booleans === signs.filled) return 'boolean';
  return signs.dates === signs.filled ? 'date' : 'text';
}

/** Areas of cells that are one. */
function mergedIn({ text, dataEnd }: SheetFrame): Area[] {
  const merged: Area[] = [];
  if (text.indexOf('mergeCell', dataEnd) < 0) return merged;
  for (const tag of tagsIn(text, dataEnd)) {
    const area = tag.name === 'mergeCell' && areaOf(attribute(text, tag, 'ref') ?? '');
    if (area) merged.push(area);
  }
  return merged;
}

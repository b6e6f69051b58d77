import { cellError, type FieldType } from '@golden/core';
import { expectCells, expectGrid } from './limits.ts';
import { type Area, type Column, nameColumnsAt, type Sheet, type SheetRow } from './sheet.ts';

/** What a cell holds, as it is read. */
export type Scalar = string | number | boolean;

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
 * Makes the records of a tab out of its cells, row by row from the top; the first row names the columns. Only cells
 * with something in them are given: one in the last column of all makes no other.
 */
export class SheetBuilder {
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
  private number = 0;
  private cells = new Map<number, Scalar>();
  private formulas: number[] = [];

  /** @param keeps - without its rows an outline takes little memory: columns, and where the last row is */
  constructor(private readonly keeps: 'rows' | 'outline') {}

  beginRow(number: number): void {
    this.number = number;
    this.cells = new Map();
    this.formulas = [];
  }

  /** A cell of the row that was begun last. */
  cell(column: number, value: Scalar | null, isDate: boolean, hasFormula: boolean): void {
    if (hasFormula) this.formulas.push(column);
    if (value === null || value === '') return;
    this.cells.set(column, value);
    if (this.number > 1) note(this.signs, column, value, isDate);
  }

  /** The second row has this cell, shown with decimals or not. */
  secondRow(column: number, mayHaveDecimals: boolean): void {
    this.second.add(column);
    if (mayHaveDecimals) this.decimals.add(column);
  }

  /** An area that one formula fills. */
  array(area: Area): void {
    this.arrays.push(area);
  }

  /** @throws UnreadableWorkbook for more cells than are read */
  endRow(): void {
    this.count += this.cells.size;
    expectCells(this.count);
    if (this.number === 1) this.name();
    else if (this.cells.size > 0 || this.formulas.length > 0) this.keep();
  }

  private name(): void {
    for (const [column, value] of this.cells) {
      const header = String(value).trim();
      if (header !== '') this.headers.set(column, header);
    }
  }

  private keep(): void {
    this.last = this.number;
    if (this.cells.size === 0) return;
    this.lastFilled = this.number;
    this.filled += 1;
    if (this.keeps === 'rows') this.rows.push({ number: this.number, cells: this.cells, formulas: this.formulas });
  }

  /** Only columns that there are: an area may reach over the whole tab. */
  private calculated({ number, formulas }: Row, columns: readonly Column[]): { formulas?: readonly number[] } {
    const areas = this.arrays.filter(({ top, bottom }) => number >= top && number <= bottom);
    if (areas.length === 0) return formulas.length > 0 ? { formulas } : {};
    const filled = columns.filter(({ index }) => areas.some(({ left, right }) => index >= left && index <= right));
    const all = new Set([...formulas, ...filled.map(({ index }) => index)]);
    return all.size > 0 ? { formulas: [...all] } : {};
  }

  /** @throws UnreadableWorkbook for a tab with more columns, or more of both, than are read */
  sheet(name: string, merged: readonly Area[]): Sheet {
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
      ...((this.last > this.lastFilled || this.keeps === 'outline') && { lastRow: this.last }),
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

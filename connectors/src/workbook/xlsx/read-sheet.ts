import type { FieldType } from '@golden/core';
import { expectCells, expectGrid } from '../limits.ts';
import { type Area, type Column, nameColumnsAt, type Sheet, type SheetRow } from '../sheet.ts';
import { areaOf } from './refs.ts';
import { type CellPlace, cellsIn, frameOf, type SheetFrame } from './sheet-part.ts';
import { richText, type Strings, unescaped } from './strings.ts';
import type { Styles } from './styles.ts';
import { attribute, tagsIn, textWithin } from './xml.ts';

type Scalar = string | number | boolean;

/** A cell as data. */
interface Read {
  readonly value: Scalar | null;
  readonly isDate: boolean;
  readonly hasFormula: boolean;
}

/** What the cells of a workbook are read with. */
export interface Reading {
  readonly strings: Strings;
  readonly styles: Styles;
  readonly is1904: boolean;
}

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
 * @throws UnreadableWorkbook
 */
export function readSheet(name: string, text: string, reading: Reading): Sheet {
  const frame = frameOf(text);
  const headers = new Map<number, string>();
  const rows: Row[] = [];
  const signs = new Map<number, ColumnSigns>();
  let count = 0;
  const decimals = new Set<number>();
  const second = new Set<number>();
  for (const place of frame.rows) {
    const cells = new Map<number, Scalar>();
    const formulas: number[] = [];
    for (const cell of cellsIn(frame, place)) {
      if (place.number === 2) {
        second.add(cell.column);
        if (reading.styles.mayHaveDecimals(formatOf(frame, cell))) decimals.add(cell.column);
      }
      const { value, isDate, hasFormula } = readCell(frame, cell, reading);
      if (hasFormula) formulas.push(cell.column);
      if (value === null || value === '') continue;
      count += 1;
      if (place.number === 1) {
        const header = String(value).trim();
        if (header !== '') headers.set(cell.column, header);
        continue;
      }
      cells.set(cell.column, value);
      note(signs, cell.column, value, isDate);
    }
    expectCells(count);
    if (place.number > 1 && (cells.size > 0 || formulas.length > 0))
      rows.push({ number: place.number, cells, formulas });
  }
  const filled = rows.filter(({ cells }) => cells.size > 0);
  const indexes = [...new Set([...headers.keys(), ...signs.keys()])].sort((one, other) => one - other);
  expectGrid(name, indexes.length, filled.length);
  const names = nameColumnsAt(indexes.map((index) => [index, headers.get(index) ?? '']));
  const columns = indexes.map(
    (index, at): Column => ({
      index,
      name: names[at] as string,
      type: typeOf(signs.get(index), !second.has(index) || decimals.has(index)),
    }),
  );
  const merged = mergedIn(frame);
  const last = rows.at(-1)?.number ?? 1;
  return {
    name,
    columns,
    rows: filled.map(
      ({ number, cells, formulas }): SheetRow => ({
        number,
        record: Object.fromEntries(columns.map(({ name: column, index }) => [column, cells.get(index) ?? null])),
        ...(formulas.length > 0 && { formulas }),
      }),
    ),
    ...(last > (filled.at(-1)?.number ?? 1) && { lastRow: last }),
    ...(merged.length > 0 && { merged }),
  };
}

function note(signs: Map<number, ColumnSigns>, column: number, value: Scalar, isDate: boolean): void {
  let one = signs.get(column);
  if (!one) {
    one = { filled: 0, whole: 0, numbers: 0, dates: 0, booleans: 0 };
    signs.set(column, one);
  }
  one.filled += 1;
  if (typeof value === 'number') one.numbers += 1;
  if (Number.isInteger(value)) one.whole += 1;
  if (typeof value === 'boolean') one.booleans += 1;
  if (isDate) one.dates += 1;
}

/** What a column holds, told by its cells; a column without any takes anything, one of figures that are shown with decimals takes decimals. */
function typeOf(signs: ColumnSigns | undefined, mayHaveDecimals: boolean): FieldType {
  if (!signs) return 'any';
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

/** The number of a cell's format. */
export const formatOf = ({ text }: SheetFrame, { tag }: CellPlace): number => Number(attribute(text, tag, 's') ?? 0);

/** A cell as data: a formula by its stored value, a date as ISO 8601, rich text by its letters. */
export function readCell(frame: SheetFrame, cell: CellPlace, reading: Reading): Read {
  const { text } = frame;
  if (cell.tag.kind === 'empty') return { value: null, isDate: false, hasFormula: false };
  const type = attribute(text, cell.tag, 't') ?? 'n';
  let raw: string | undefined;
  let inline: string | undefined;
  let hasFormula = false;
  let opened = 0;
  for (const tag of tagsIn(text, cell.tag.end, cell.inner)) {
    if (tag.name === 'f') hasFormula = true;
    if (tag.kind === 'open' && (tag.name === 'v' || tag.name === 'is')) opened = tag.end;
    if (tag.kind === 'close' && tag.name === 'v') raw = textWithin(text, opened, tag.start);
    if (tag.kind === 'close' && tag.name === 'is') inline = richText(text, opened, tag.start);
  }
  const value =
    type === 'inlineStr' ? (inline ?? null) : raw === undefined ? null : valueOf(raw, type, reading, frame, cell);
  return {
    value: typeof value === 'object' ? (value?.text ?? null) : value,
    isDate: typeof value === 'object' && value?.isDate === true,
    hasFormula,
  };
}

interface Moment {
  readonly text: string;
  readonly isDate: boolean;
}

/** A stored value by its cell's type (ECMA-376 part 1, 18.18.11) and, for a number, its format. */
function valueOf(
  raw: string,
  type: string,
  reading: Reading,
  frame: SheetFrame,
  cell: CellPlace,
): Scalar | Moment | null {
  switch (type) {
    case 's':
      return reading.strings.at(Number(raw)) ?? null;
    case 'str':
      return unescaped(raw);
    case 'b':
      return raw === '1' || raw === 'true';
    case 'e':
      return raw;
    case 'd':
      return isoMoment(raw);
    default: {
      if (raw.trim() === '') return null;
      const number = Number(raw);
      if (!Number.isFinite(number)) return raw;
      const kind = reading.styles.kindOf(formatOf(frame, cell));
      if (kind === 'number') return number;
      return kind === 'duration' ? { text: clockText(number), isDate: false } : momentOf(number, reading.is1904);
    }
  }
}

const day = 86_400_000;
/** The day from which on serial numbers count: the 30th of December 1899, or the 1st of January 1904 (18.17.4.1). */
const firstDay = (is1904: boolean): number => (is1904 ? Date.UTC(1904, 0, 1) : Date.UTC(1899, 11, 30));
/** Until the 29th of February 1900, which never was, serial numbers are one behind (common practice). */
const neverWas = 60;

/** A serial number as a date, a date with a time, or a time of day. */
function momentOf(serial: number, is1904: boolean): Scalar | Moment {
  if (serial >= 0 && serial < 1 && !is1904) return { text: clockText(serial), isDate: false };
  const days = !is1904 && serial < neverWas ? serial + 1 : serial;
  const date = new Date(Math.round((firstDay(is1904) + days * day) / 1000) * 1000);
  if (Number.isNaN(date.getTime()) || date.getUTCFullYear() > 9999 || date.getUTCFullYear() < 0) return serial;
  return isoMoment(date.toISOString());
}

function isoMoment(text: string): Moment {
  const bare = text.replace(/(\.0+)?Z$/, '').replace(/T00:00(:00(\.0+)?)?$/, '');
  return { text: bare, isDate: /^\d{4}-\d{2}-\d{2}$/.test(bare) };
}

/** A share of a day as hours, minutes and seconds; a duration may have more than 24 hours. */
function clockText(serial: number): string {
  const seconds = Math.round(Math.abs(serial) * 86_400);
  const two = (number: number): string => String(number).padStart(2, '0');
  return `${serial < 0 ? '-' : ''}${two(Math.floor(seconds / 3600))}:${two(Math.floor(seconds / 60) % 60)}:${two(seconds % 60)}`;
}

/** The serial number of a day. */
export function serialOf(isoDate: string, is1904: boolean): number {
  const days = (Date.parse(`${isoDate}T00:00:00Z`) - firstDay(is1904)) / day;
  return !is1904 && days <= neverWas ? days - 1 : days;
}

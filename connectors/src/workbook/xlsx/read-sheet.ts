import type { Area, Sheet } from '../sheet.ts';
import { SheetBuilder } from '../sheet-builder.ts';
import { lastFilled } from './last-filled.ts';
import { type Reading, readCell } from './read-cell.ts';
import { areaOf } from './refs.ts';
import { cellsIn, frameOf, type RowPlace, type SheetFrame } from './sheet-part.ts';
import { attribute, tagsIn } from './xml.ts';

/**
 * Reads a sheet's part, a record a row; the first row names the columns.
 *
 * @param keeps - an outline tells the columns and where the last row is, and takes little memory and time; what its
 *   columns hold is told by the first rows and the last ones
 * @throws UnreadableWorkbook
 */
export function readSheet(name: string, text: string, reading: Reading, keeps: 'rows' | 'outline' = 'rows'): Sheet {
  const frame = frameOf(text);
  const builder = new SheetBuilder(keeps);
  for (const row of keeps === 'rows' ? frame.rows : outlined(frame)) takeRow(builder, frame, row, reading);
  return builder.sheet(name, mergedIn(frame));
}

/** Rows at the beginning and at the end of a sheet that tell, for an outline, what its columns hold. */
const fewRows = 100;

/** The rows that an outline is made of: the first ones, and the last ones up to the last with anything in it. */
function outlined(frame: SheetFrame): RowPlace[] {
  const last = lastFilled(frame);
  const end = frame.rows.findIndex(({ number }) => number > last);
  const rows = end < 0 ? frame.rows : frame.rows.slice(0, end);
  return rows.length <= 2 * fewRows ? [...rows] : [...rows.slice(0, fewRows), ...rows.slice(-fewRows)];
}

function takeRow(builder: SheetBuilder, frame: SheetFrame, place: RowPlace, reading: Reading): void {
  builder.beginRow(place.number);
  for (const cell of cellsIn(frame, place)) {
    if (place.number === 2) builder.secondRow(cell.column, reading.styles.mayHaveDecimals(cell.format));
    const { value, isDate, hasFormula, array } = readCell(frame, cell, reading);
    if (array) builder.array(array);
    builder.cell(cell.column, value, isDate, hasFormula);
  }
  builder.endRow();
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

import type { Area, Sheet } from '../sheet.ts';
import { SheetBuilder } from '../sheet-builder.ts';
import { type Reading, readCell } from './read-cell.ts';
import { areaOf } from './refs.ts';
import { cellsIn, frameOf, type RowPlace, type SheetFrame } from './sheet-part.ts';
import { attribute, tagsIn } from './xml.ts';

/**
 * Reads a sheet's part, a record a row; the first row names the columns.
 *
 * @param keeps - without its rows an outline takes little memory: columns, and where the last row is
 * @throws UnreadableWorkbook
 */
export function readSheet(name: string, text: string, reading: Reading, keeps: 'rows' | 'outline' = 'rows'): Sheet {
  const frame = frameOf(text);
  const builder = new SheetBuilder(keeps);
  for (const row of frame.rows) takeRow(builder, frame, row, reading);
  return builder.sheet(name, mergedIn(frame));
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

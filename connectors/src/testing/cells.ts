import { notCalculated } from '@golden/core';
import { columnLetter, type Sheet } from '../workbook/sheet.ts';

export type Cell = string | number | boolean;

/** All cells of a tab by their names. */
export function cellsOf({ columns, rows }: Sheet): Record<string, Cell> {
  const cells: Record<string, Cell> = {};
  for (const { index, name } of columns) {
    if (!/^column [A-Z]+$/.test(name)) cells[`${columnLetter(index)}1`] = name;
    // What no program has worked out is empty to the judge, and told by us.
    for (const { number, record } of rows)
      if (record[name] !== null && record[name] !== notCalculated)
        cells[`${columnLetter(index)}${number}`] = record[name] as Cell;
  }
  return cells;
}

/** The same with the names of columns as we take them: without blanks around. */
export const trimmedNames = (cells: Record<string, Cell>): Record<string, Cell> =>
  Object.fromEntries(
    Object.entries(cells).map(([ref, value]) => [ref, /^[A-Z]+1$/.test(ref) ? String(value).trim() : value]),
  );

import { type CellPlace, cellsIn, type SheetFrame } from './sheet-part.ts';
import { tagsIn } from './xml.ts';

/** Whether a cell has neither a value nor a formula. */
export const isEmptyCell = ({ text }: SheetFrame, { tag, inner }: CellPlace): boolean =>
  tag.kind === 'empty' || ![...tagsIn(text, tag.end, inner)].some(({ name }) => ['v', 'is', 'f'].includes(name));

/** The last row that has a value or a formula; 1 where there is none. */
export function lastFilled(frame: SheetFrame): number {
  for (const row of frame.rows.toReversed())
    if (cellsIn(frame, row).some((cell) => !isEmptyCell(frame, cell))) return row.number;
  return 1;
}

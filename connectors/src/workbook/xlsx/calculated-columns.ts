import type { Area } from '../sheet.ts';
import { relationsOf, type Workbook } from './book.ts';
import { areaOf } from './refs.ts';
import { attribute, tagsIn, xmlText } from './xml.ts';

/** A table of a sheet, with what its columns calculate in every row. */
export interface CalculatedTable {
  readonly area: Area;
  readonly hasTotals: boolean;
  /** By column: the formula as a cell holds it, a character a byte. */
  readonly formulas: ReadonlyMap<number, string>;
}

/**
 * The tables of a sheet that calculate columns (`calculatedColumnFormula`; ECMA-376 part 1, 18.5.1.1). Formulas that
 * point to cells by their place are left out: they would be others in every row.
 * @throws UnreadableWorkbook
 */
export async function calculatedTables({ pack }: Workbook, sheetPart: string): Promise<CalculatedTable[]> {
  const tables: CalculatedTable[] = [];
  for (const { kind, part } of await relationsOf(pack, sheetPart)) {
    if (kind !== 'table' || !pack.has(part)) continue;
    const table = tableIn(xmlText(await pack.read(part)));
    if (table && table.formulas.size > 0) tables.push(table);
  }
  return tables;
}

function tableIn(text: string): CalculatedTable | undefined {
  let area: Area | undefined;
  let hasTotals = false;
  let column = -1;
  let from: number | undefined;
  const formulas = new Map<number, string>();
  for (const tag of tagsIn(text)) {
    if (tag.name === 'table' && tag.kind === 'open') {
      area = areaOf(attribute(text, tag, 'ref') ?? '');
      hasTotals = Number(attribute(text, tag, 'totalsRowCount') ?? 0) > 0;
    }
    if (tag.name === 'tableColumn' && tag.kind !== 'close') column += 1;
    if (tag.name !== 'calculatedColumnFormula') continue;
    // One over an array of cells is another matter.
    if (tag.kind === 'open') from = attribute(text, tag, 'array') === '1' ? undefined : tag.end;
    else if (tag.kind === 'close' && from !== undefined && area) {
      const formula = text.slice(from, tag.start);
      if (!pointsToCells(formula)) formulas.set(area.left + column, formula);
    }
  }
  return area && { area, hasTotals, formulas };
}

/** Whether a formula names cells by their place ("B2", "$B2"); names of columns and texts in it are no such thing. */
function pointsToCells(formula: string): boolean {
  let said = formula.replace(/"[^"]*"|&quot;.*?&quot;/g, '');
  for (let before = ''; before !== said; ) {
    before = said;
    said = said.replace(/\[[^[\]]*\]/g, '');
  }
  // "$B$2" is the same cell in every row; a bracket behind makes it a function, as in LOG10(.
  return /(?<![\w.$])(?!\$[A-Z]{1,3}\$\d)\$?[A-Z]{1,3}\$?\d{1,7}(?![\w(.])|(?<![\w.$])\$?[A-Z]{1,3}:\$?[A-Z]{1,3}(?![\w(.])/i.test(
    said,
  );
}

/** The formulas of a row that is new: those of the table that it stands in, or that grows by it. */
export function formulasOfNewRow(
  tables: readonly CalculatedTable[],
  row: number,
  lastBefore: number,
  columns: Iterable<number>,
): readonly (readonly [number, string])[] {
  const written = [...columns];
  return tables.flatMap(({ area, hasTotals, formulas }) => {
    const isWithin = row > area.top && row <= area.bottom - (hasTotals ? 1 : 0);
    const isBelow = row > lastBefore && area.bottom === lastBefore && !hasTotals;
    const isOfIt = written.some((column) => column >= area.left && column <= area.right);
    return (isWithin || isBelow) && isOfIt ? [...formulas] : [];
  });
}

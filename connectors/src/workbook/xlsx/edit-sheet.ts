import { type Area, type BookEdit, type CellChange, columnLetter } from '../sheet.ts';
import { type CalculatedTable, formulasOfNewRow } from './calculated-columns.ts';
import { type CellContent, cellXml, type Writing } from './cell-xml.ts';
import { isEmptyCell, lastFilled } from './last-filled.ts';
import { isConstant } from './read-cell.ts';
import { areaOf } from './refs.ts';
import { type CellPlace, cellsIn, frameOf, type RowPlace, type SheetFrame } from './sheet-part.ts';
import type { Splice } from './splice.ts';
import { attributeAt, type Tag, tagsIn } from './xml.ts';

/** What the edits of a sheet came to. */
export interface EditedSheet {
  readonly splices: readonly Splice[];
  /** The last row with anything in it, before and after. */
  readonly lastBefore: number;
  readonly lastAfter: number;
  /** The columns that were written below the last row. */
  readonly columns: ReadonlySet<number>;
  /** Whether something in it is calculated. */
  readonly hasFormulas: boolean;
}

/** The changes of each row, by column; a later one counts. */
type Changes = Map<number, Map<number, CellContent>>;

/**
 * The changes in a sheet's text that make these edits: whole cells and rows, the area that the sheet
 * says it fills, and what reached to its last row and goes on to the new one.
 */
export function editSheet(
  text: string,
  edits: readonly BookEdit[],
  writing: Writing,
  tables: readonly CalculatedTable[] = [],
): EditedSheet {
  const frame = frameOf(text);
  const byNumber = new Map(frame.rows.map((row) => [row.number, row]));
  const changes = gathered(frame, byNumber, edits);
  const lastBefore = lastFilled(frame);
  const isCalculated = tables.length > 0 && calculate(frame, byNumber, changes, tables, lastBefore);
  const numbers = [...changes.keys()].sort((a, b) => a - b);
  const splices: Splice[] = [];
  let fresh = '';
  let freshAt = -1;
  const flush = (): void => {
    if (fresh !== '') splices.push({ from: freshAt, to: freshAt, text: fresh });
    fresh = '';
  };
  const formats = new TemplateFormats(frame, lastBefore);
  let place = 0;
  for (const number of numbers) {
    const cells = [...(changes.get(number) as Map<number, CellContent>).values()].sort((a, b) => a.column - b.column);
    const row = byNumber.get(number);
    if (row) {
      flush();
      splices.push(...editRow(frame, row, cells, formats, writing));
      continue;
    }
    while (place < frame.rows.length && (frame.rows[place] as RowPlace).number < number) place++;
    const at = frame.rows[place]?.tag.start ?? frame.dataEnd;
    if (at !== freshAt) flush();
    freshAt = at;
    fresh += newRow(frame.prefix, number, cells, formats, writing);
  }
  flush();
  const lastAfter = Math.max(lastBefore, numbers.findLast((number) => isFilled(changes.get(number))) ?? 1);
  const below = numbers
    .filter((number) => number > lastBefore)
    .flatMap((number) => [...(changes.get(number) as Map<number, CellContent>).keys()]);
  const columns = new Set(below);
  splices.push(...dimensionEdits(frame, changes), ...reachEdits(frame, lastBefore, lastAfter));
  const hasFormulas =
    isCalculated || new RegExp(`<${frame.prefix}f[\\s/>]`).test(text.slice(frame.data.end, frame.dataEnd));
  return { splices: opened(frame, splices), lastBefore, lastAfter, columns, hasFormulas };
}

const isFilled = (cells: ReadonlyMap<number, CellContent> | undefined): boolean =>
  [...(cells?.values() ?? [])].some(({ value }) => value !== null && value !== '');

function gathered(frame: SheetFrame, rows: ReadonlyMap<number, RowPlace>, edits: readonly BookEdit[]): Changes {
  const changes: Changes = new Map();
  const set = (row: number, change: CellChange): void => {
    const cells = changes.get(row) ?? new Map<number, CellContent>();
    changes.set(row, cells);
    cells.set(change.column, change);
  };
  let last = -1;
  for (const edit of edits) {
    if (edit.kind === 'cells') for (const cell of edit.cells) set(edit.row, cell);
    if (edit.kind === 'columns') {
      if (last < 0) last = lastNamed(frame);
      for (const value of edit.names) set(1, { column: ++last, value, type: 'text' });
    }
    const row = edit.kind === 'delete_row' && rows.get(edit.row);
    // What is calculated there is the sheet's own.
    if (row)
      for (const cell of cellsIn(frame, row))
        if (!hasFormula(frame, cell)) set(row.number, { column: cell.column, value: null, type: 'any' });
  }
  return changes;
}

/** What tables calculate in every row, put into the new ones; gives whether anything was. */
function calculate(
  frame: SheetFrame,
  rows: ReadonlyMap<number, RowPlace>,
  changes: Changes,
  tables: readonly CalculatedTable[],
  lastBefore: number,
): boolean {
  let isAny = false;
  for (const [number, cells] of changes) {
    const row = rows.get(number);
    const isNew = !row || cellsIn(frame, row).every((cell) => isEmptyCell(frame, cell));
    if (!isNew || !isFilled(cells)) continue;
    for (const [column, formula] of formulasOfNewRow(tables, number, lastBefore, cells.keys())) {
      const given = cells.get(column)?.value ?? '';
      if (given === '') cells.set(column, { column, value: null, type: 'any', formula });
      isAny ||= given === '';
    }
  }
  return isAny;
}

const isNothing = ({ value, formula }: CellContent): boolean =>
  formula === undefined && (value === null || value === '');

const hasFormula = ({ text }: SheetFrame, { tag, inner }: CellPlace): boolean =>
  [...tagsIn(text, tag.end, inner)].some((one) => one.name === 'f' && one.kind !== 'close' && !isConstant(text, one));

/** The last column that has a value or a formula in any row. */
function lastNamed(frame: SheetFrame): number {
  let last = 0;
  for (const row of frame.rows)
    for (const cell of cellsIn(frame, row)) if (cell.column > last && !isEmptyCell(frame, cell)) last = cell.column;
  return last;
}

/** How new cells look: as those of the last row above them that has any, the names' row left out; new names as the last name. */
class TemplateFormats {
  private readonly ofRow: ReadonlyMap<number, number>;
  private readonly ofNames: number;

  constructor(frame: SheetFrame, lastBefore: number) {
    const formats = (row: RowPlace | undefined): [number, number][] =>
      row ? cellsIn(frame, row).map((cell) => [cell.column, cell.format]) : [];
    // Of a tab without rows a first one that is only formatted is the model.
    const model = Math.max(2, lastBefore);
    this.ofRow = new Map(formats(frame.rows.find(({ number }) => number === model)));
    this.ofNames = formats(frame.rows.find(({ number }) => number === 1)).at(-1)?.[1] ?? 0;
  }

  at(row: number, column: number): number {
    return row === 1 ? this.ofNames : (this.ofRow.get(column) ?? 0);
  }
}

function newRow(
  prefix: string,
  number: number,
  cells: readonly CellContent[],
  formats: TemplateFormats,
  writing: Writing,
): string {
  const filled = cells.filter((cell) => !isNothing(cell));
  const inner = filled.map((cell) => cellXml(prefix, number, cell, formats.at(number, cell.column), writing)).join('');
  return `<${prefix}row r="${number}">${inner}</${prefix}row>`;
}

function editRow(
  frame: SheetFrame,
  row: RowPlace,
  cells: readonly CellContent[],
  formats: TemplateFormats,
  writing: Writing,
): Splice[] {
  const { text, prefix } = frame;
  const there = cellsIn(frame, row);
  const byColumn = new Map(there.map((cell) => [cell.column, cell]));
  const splices: Splice[] = [];
  const added: string[] = [];
  for (const change of cells) {
    const known = byColumn.get(change.column);
    if (known) {
      splices.push({
        from: known.tag.start,
        to: known.end,
        text: cellXml(prefix, row.number, change, known.format, writing),
      });
      continue;
    }
    if (isNothing(change)) continue;
    const xml = cellXml(prefix, row.number, change, formats.at(row.number, change.column), writing);
    const next = there.find(({ column }) => column > change.column);
    if (row.tag.kind === 'empty') added.push(xml);
    else splices.push({ from: next?.tag.start ?? row.inner, to: next?.tag.start ?? row.inner, text: xml });
  }
  const head = spanEdits(text, row, cells);
  if (added.length === 0) return [...head, ...splices];
  const bracket = row.tag.end - 2;
  return [...head, { from: bracket, to: row.tag.end, text: `>${added.join('')}</${prefix}row>` }];
}

/** The columns that a row says it reaches over (an aid to programs), widened by what is written beyond. */
function spanEdits(text: string, row: RowPlace, cells: readonly CellChange[]): Splice[] {
  const at = attributeAt(text, row.tag, 'spans');
  const spans = at && /^(\d+):(\d+)$/.exec(text.slice(at.from, at.to));
  if (!at || !spans) return [];
  const columns = cells.map(({ column }) => column);
  const [left, right] = [Math.min(Number(spans[1]), ...columns), Math.max(Number(spans[2]), ...columns)];
  return left === Number(spans[1]) && right === Number(spans[2]) ? [] : [{ ...at, text: `${left}:${right}` }];
}

function dimensionEdits({ text, data }: SheetFrame, changes: Changes): Splice[] {
  let tag: Tag | undefined;
  for (const one of tagsIn(text, 0, data.start)) if (one.name === 'dimension') tag = one;
  const at = tag && attributeAt(text, tag, 'ref');
  const area = at && areaOf(text.slice(at.from, at.to));
  if (!at || !area) return [];
  let { left, top, right, bottom } = area;
  for (const [row, cells] of changes) {
    if (!isFilled(cells)) continue;
    [top, bottom] = [Math.min(top, row), Math.max(bottom, row)];
    for (const { column, value } of cells.values()) {
      if (value === null || value === '') continue;
      [left, right] = [Math.min(left, column), Math.max(right, column)];
    }
  }
  return isSame(area, { left, top, right, bottom }) ? [] : [{ ...at, text: areaText({ left, top, right, bottom }) }];
}

const isSame = (one: Area, other: Area): boolean => areaText(one) === areaText(other);

/** An area by its name; one cell by that of the cell. */
export const areaText = ({ left, top, right, bottom }: Area): string => {
  const first = `${columnLetter(left)}${top}`;
  return left === right && top === bottom ? first : `${first}:${columnLetter(right)}${bottom}`;
};

/** Elements whose areas go on where rows are added below them. */
const reaching = ['autoFilter', 'conditionalFormatting', 'dataValidation'];

/** What reached to the last row reaches to the new one: filters, conditional formats and checks of values. */
function reachEdits({ text, dataEnd }: SheetFrame, lastBefore: number, lastAfter: number): Splice[] {
  if (lastAfter <= lastBefore || lastBefore < 2) return [];
  const splices: Splice[] = [];
  const extend = (from: number, to: number): void => {
    const areas = text.slice(from, to);
    const longer = reachingTo(areas, lastBefore, lastAfter);
    if (longer !== areas) splices.push({ from, to, text: longer });
  };
  let opened: Tag | undefined;
  for (const tag of tagsIn(text, dataEnd)) {
    if (tag.kind !== 'close' && reaching.includes(tag.name)) {
      const at = attributeAt(text, tag, tag.name === 'autoFilter' ? 'ref' : 'sqref');
      if (at) extend(at.from, at.to);
    }
    // Newer programs keep theirs in a list of extensions, with the areas as text ([MS-XLSX] 2.3.3).
    if (tag.name !== 'sqref') continue;
    if (tag.kind === 'open') opened = tag;
    else if (opened) extend(opened.end, tag.start);
  }
  return splices;
}

/** Areas with those that end in a row, below the names, ending in another one. */
export const reachingTo = (areas: string, before: number, after: number): string =>
  areas
    .split(' ')
    .map((one) => {
      const area = areaOf(one);
      return area?.bottom === before && before > 1 ? areaText({ ...area, bottom: after }) : one;
    })
    .join(' ');

/** Where the list of rows was an empty element, it is opened for those that come. */
function opened({ text, prefix, data }: SheetFrame, splices: readonly Splice[]): readonly Splice[] {
  if (data.kind !== 'empty') return splices;
  const rows = splices.filter(({ from }) => from === data.end);
  if (rows.length === 0) return splices;
  const inner = rows.map((one) => one.text).join('');
  const bracket = text.lastIndexOf('/', data.end);
  return [
    ...splices.filter(({ from }) => from !== data.end),
    { from: bracket, to: data.end, text: `>${inner}</${prefix}sheetData>` },
  ];
}

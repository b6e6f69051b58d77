import { columnOf } from './refs.ts';
import { attribute, damagedXml, nextTag, prefixOf, type Tag, tagsIn } from './xml.ts';

/** A row of a sheet's part, where it stands in the text. */
export interface RowPlace {
  readonly number: number;
  readonly tag: Tag;
  /** Where its cells end, and where the row does; both the tag's end for an empty one. */
  readonly inner: number;
  readonly end: number;
}

/** A cell, where it stands in the text. */
export interface CellPlace {
  readonly column: number;
  /** The number of its format, and its type as it is written; 'n' where it says none. */
  readonly format: number;
  readonly type: string;
  readonly tag: Tag;
  readonly inner: number;
  readonly end: number;
}

/** The frame of a sheet's part: where its rows are, and what stands around them. */
export interface SheetFrame {
  readonly text: string;
  readonly prefix: string;
  /** The `sheetData` element. */
  readonly data: Tag;
  readonly dataEnd: number;
  readonly rows: readonly RowPlace[];
}

/** Finds the rows of a sheet's part. @throws UnreadableWorkbook */
export function frameOf(text: string): SheetFrame {
  const data = firstTag(text, 'sheetData');
  if (!data) throw damagedXml('a sheet has no rows');
  const prefix = prefixOf(text, data);
  if (data.kind === 'empty') return { text, prefix, data, dataEnd: data.end, rows: [] };
  const dataEnd = text.indexOf(`</${prefix}sheetData`, data.end);
  if (dataEnd < 0) throw damagedXml('the rows of a sheet are broken off');
  const rows: RowPlace[] = [];
  for (let at = data.end; ; ) {
    const tag = nextTag(text, at);
    if (!tag || tag.start >= dataEnd) break;
    at = tag.end;
    if (tag.name !== 'row' || tag.kind === 'close') continue;
    const row = rowAt(text, prefix, tag, (rows.at(-1)?.number ?? 0) + 1);
    if (row.end > dataEnd) throw damagedXml('a row is broken off');
    rows.push(row);
    at = row.end;
  }
  return { text, prefix, data, dataEnd, rows };
}

function firstTag(text: string, name: string): Tag | undefined {
  for (const tag of tagsIn(text)) if (tag.name === name) return tag;
  return undefined;
}

/** A row that begins with a tag; one that doesn't say its number has the `next` one. */
function rowAt(text: string, prefix: string, tag: Tag, next: number): RowPlace {
  const number = Number(attribute(text, tag, 'r') ?? next);
  if (!Number.isInteger(number) || number < 1) throw damagedXml('a row has no number');
  if (tag.kind === 'empty') return { number, tag, inner: tag.end, end: tag.end };
  const inner = text.indexOf(`</${prefix}row`, tag.end);
  const end = text.indexOf('>', inner) + 1;
  if (inner < 0 || end === 0) throw damagedXml('a row is broken off');
  return { number, tag, inner, end };
}

/** The cells of a row. */
export function cellsIn({ text, prefix }: SheetFrame, row: RowPlace): CellPlace[] {
  const cells: CellPlace[] = [];
  let column = 0;
  for (let at = row.tag.end; at < row.inner; ) {
    const tag = nextTag(text, at);
    if (!tag || tag.start >= row.inner) break;
    at = tag.end;
    if (tag.name !== 'c' || tag.kind === 'close') continue;
    const said = cellAttributes(text, tag);
    column = said.ref === '' ? column + 1 : columnOf(said.ref);
    if (column === 0) throw damagedXml('a cell has no place');
    const inner = tag.kind === 'empty' ? tag.end : text.indexOf(`</${prefix}c>`, tag.end);
    if (inner < 0 || inner > row.inner) throw damagedXml('a cell is broken off');
    const end = tag.kind === 'empty' ? tag.end : inner + prefix.length + 4;
    cells.push({ column, format: said.format, type: said.type, tag, inner, end });
    at = end;
  }
  return cells;
}

/** The attributes of a cell that are read, found in one pass: there are as many cells as in nothing else. */
function cellAttributes(
  text: string,
  tag: Tag,
): { readonly ref: string; readonly format: number; readonly type: string } {
  let [ref, format, type] = ['', 0, 'n'];
  for (let at = text.indexOf('=', tag.start); at >= 0 && at < tag.end; ) {
    let from = at + 1;
    while (text.charCodeAt(from) <= 0x20) from++;
    const to = text.indexOf(text[from] as string, from + 1);
    if (to < 0 || to >= tag.end) break;
    let name = at - 1;
    while (text.charCodeAt(name) <= 0x20) name--;
    if (text.charCodeAt(name - 1) <= 0x20) {
      const value = text.slice(from + 1, to);
      if (text[name] === 'r') ref = value;
      else if (text[name] === 's') format = Number(value) || 0;
      else if (text[name] === 't') type = value;
    }
    at = text.indexOf('=', to + 1);
  }
  return { ref, format, type };
}

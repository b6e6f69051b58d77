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
  let data: Tag | undefined;
  for (const tag of tagsIn(text)) {
    if (tag.name !== 'sheetData') continue;
    data = tag;
    break;
  }
  if (!data) throw damagedXml('a sheet has no rows');
  const prefix = prefixOf(text, data);
  if (data.kind === 'empty') return { text, prefix, data, dataEnd: data.end, rows: [] };
  const dataEnd = text.indexOf(`</${prefix}sheetData`, data.end);
  if (dataEnd < 0) throw damagedXml('the rows of a sheet are broken off');
  const rows: RowPlace[] = [];
  let number = 0;
  for (let at = data.end; ; ) {
    const tag = nextTag(text, at);
    if (!tag || tag.start >= dataEnd) break;
    if (tag.name !== 'row' || tag.kind === 'close') {
      at = tag.end;
      continue;
    }
    const said = attribute(text, tag, 'r');
    number = said === undefined ? number + 1 : Number(said);
    if (!Number.isInteger(number) || number < 1) throw damagedXml('a row has no number');
    const inner = tag.kind === 'empty' ? tag.end : text.indexOf(`</${prefix}row`, tag.end);
    if (inner < 0 || inner > dataEnd) throw damagedXml('a row is broken off');
    const end = tag.kind === 'empty' ? tag.end : text.indexOf('>', inner) + 1;
    rows.push({ number, tag, inner, end });
    at = end;
  }
  return { text, prefix, data, dataEnd, rows };
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
    const ref = attribute(text, tag, 'r');
    column = ref === undefined ? column + 1 : columnOf(ref);
    if (column === 0) throw damagedXml('a cell has no place');
    const inner = tag.kind === 'empty' ? tag.end : text.indexOf(`</${prefix}c>`, tag.end);
    if (inner < 0 || inner > row.inner) throw damagedXml('a cell is broken off');
    const end = tag.kind === 'empty' ? tag.end : inner + prefix.length + 4;
    cells.push({ column, tag, inner, end });
    at = end;
  }
  return cells;
}

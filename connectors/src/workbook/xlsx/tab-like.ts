import { columnLetter } from '../sheet.ts';
import { cellsIn, frameOf, type SheetFrame } from './sheet-part.ts';
import { type Splice, spliced } from './splice.ts';
import { attributeAt, type Tag, tagsIn } from './xml.ts';

/**
 * What stands behind the rows of a tab and is taken over into one that is made like it: it holds for columns, or for
 * the page. Whatever else stands there belongs to the rows, or to other parts of the file.
 */
const takenOver = new Set([
  ...['sheetFormatPr', 'conditionalFormatting', 'dataValidations', 'printOptions', 'pageMargins', 'headerFooter'],
]);

/**
 * The part of a tab like another one: its columns, its head, and one empty row with the formats of its last one; rows,
 * tables, pictures and remarks stay behind.
 *
 * @param lastRow - the last row with anything in it
 */
export function tabLike(part: Buffer, text: string, lastRow: number): Buffer {
  const frame = frameOf(text);
  const { data, dataEnd } = frame;
  const splices = emptied(frame, lastRow);
  const from = text.indexOf('>', dataEnd) + 1;
  for (const [start, end] of elementsIn(text, data.kind === 'empty' ? data.end : from, (name) => !takenOver.has(name)))
    splices.push({ from: start, to: end, text: '' });
  for (const tag of tagsIn(text, 0, data.start)) {
    // It isn't the tab that is open.
    const chosen = tag.name === 'sheetView' ? attributeAt(text, tag, 'tabSelected') : undefined;
    if (chosen) splices.push({ ...chosen, text: '0' });
  }
  return spliced(part, splices);
}

/** What stands behind the rows of a tab and belongs to them alone. */
const ofRows = new Set(['mergeCells', 'hyperlinks', 'ignoredErrors', 'sortState', 'rowBreaks', 'legacyDrawing']);

/**
 * The part of a tab without its rows: its head, one empty row with the formats of the last one, and all that doesn't
 * belong to single rows, such as tables, pictures and checks of values.
 *
 * @param lastRow - the last row with anything in it
 */
export function emptiedTab(part: Buffer, text: string, lastRow: number): Buffer {
  const frame = frameOf(text);
  const { data, dataEnd } = frame;
  if (data.kind === 'empty') return part;
  const from = text.indexOf('>', dataEnd) + 1;
  const gone = elementsIn(text, from, (name) => ofRows.has(name));
  return spliced(part, [
    ...emptied(frame, lastRow),
    ...gone.map(([start, end]): Splice => ({ from: start, to: end, text: '' })),
  ]);
}

/** The changes that leave of the rows the head, and one empty row with the formats of the last one. */
function emptied(frame: SheetFrame, lastRow: number): Splice[] {
  const { text, prefix, data, dataEnd } = frame;
  const head = frame.rows.find(({ number }) => number === 1);
  const last = frame.rows.find(({ number }) => number === lastRow && number > 1);
  const formats = last
    ? cellsIn(frame, last)
        .filter(({ format }) => format > 0)
        .map(({ column, format }) => `<${prefix}c r="${columnLetter(column)}2" s="${format}"/>`)
    : [];
  const rows = [
    head ? text.slice(head.tag.start, head.end) : '',
    formats.length > 0 ? `<${prefix}row r="2">${formats.join('')}</${prefix}row>` : '',
  ].join('');
  const opened = data.kind === 'empty' ? data.start : data.end;
  const body = data.kind === 'empty' ? `<${prefix}sheetData>${rows}</${prefix}sheetData>` : rows;
  const splices: Splice[] = [{ from: opened, to: data.kind === 'empty' ? data.end : dataEnd, text: body }];
  // What it fills is another area.
  for (const tag of tagsIn(text, 0, data.start))
    if (tag.name === 'dimension') splices.push({ from: tag.start, to: tag.end, text: '' });
  return splices;
}

/** Elements behind the rows that are meant, from their beginning to their end. */
function elementsIn(text: string, from: number, isMeant: (name: string) => boolean): [number, number][] {
  const left: [number, number][] = [];
  let depth = 0;
  let begun: Tag | undefined;
  for (const tag of tagsIn(text, from)) {
    if (tag.kind === 'close') depth -= 1;
    if (depth < 0) break;
    if (depth === 0 && tag.kind !== 'close') begun = tag;
    if (tag.kind === 'open') depth += 1;
    if (depth === 0 && begun && isMeant(begun.name)) left.push([begun.start, tag.end]);
  }
  return left;
}

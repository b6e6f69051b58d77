import { columnLetter } from '../sheet.ts';
import { cellsIn, frameOf } from './sheet-part.ts';
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
  const { prefix, data, dataEnd } = frame;
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
  const from = text.indexOf('>', dataEnd) + 1;
  for (const [start, end] of elementsIn(text, data.kind === 'empty' ? data.end : from))
    splices.push({ from: start, to: end, text: '' });
  for (const tag of tagsIn(text, 0, data.start)) {
    // It isn't the tab that is open, and what it fills is another area.
    if (tag.name === 'dimension') splices.push({ from: tag.start, to: tag.end, text: '' });
    const chosen = tag.name === 'sheetView' ? attributeAt(text, tag, 'tabSelected') : undefined;
    if (chosen) splices.push({ ...chosen, text: '0' });
  }
  return spliced(part, splices);
}

/** Elements behind the rows that aren't taken over, from their beginning to their end. */
function elementsIn(text: string, from: number): [number, number][] {
  const left: [number, number][] = [];
  let depth = 0;
  let begun: Tag | undefined;
  for (const tag of tagsIn(text, from)) {
    if (tag.kind === 'close') depth -= 1;
    if (depth < 0) break;
    if (depth === 0 && tag.kind !== 'close') begun = tag;
    if (tag.kind === 'open') depth += 1;
    if (depth === 0 && begun && !takenOver.has(begun.name)) left.push([begun.start, tag.end]);
  }
  return left;
}

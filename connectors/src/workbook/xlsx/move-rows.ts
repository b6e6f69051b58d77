import { columnLetter } from '../sheet.ts';
import { relationsOf, type Tab, type Workbook } from './book.ts';
import { areaOf } from './refs.ts';
import { cellsIn, frameOf } from './sheet-part.ts';
import type { Splice } from './splice.ts';
import { attribute, attributeAt, tagsIn, xmlText } from './xml.ts';

/** What may stand around the rows without pointing to any of them (ECMA-376 part 1, 18.3.1.99). */
const pointsNowhere = new Set([
  ...['worksheet', 'sheetPr', 'tabColor', 'outlinePr', 'pageSetUpPr', 'dimension', 'sheetViews', 'sheetView', 'pane'],
  ...['selection', 'sheetFormatPr', 'cols', 'col', 'sheetData', 'sheetCalcPr', 'phoneticPr', 'printOptions'],
  ...['pageMargins', 'pageSetup', 'headerFooter', 'oddHeader', 'oddFooter', 'evenHeader', 'evenFooter'],
  ...['firstHeader', 'firstFooter'],
]);

/**
 * Why the rows of a tab stay where they are when one is taken out; undefined where nothing in the file points to
 * rows by their number, so that those below may move up.
 * @throws UnreadableWorkbook
 */
export async function whyRowsStay(book: Workbook, tab: Tab): Promise<string | undefined> {
  if (book.tagOf('definedName')) return 'names of the workbook point to rows by their number';
  if (book.hasCalculations) return 'formulas point to rows by their number';
  for (const { part } of book.tabs) {
    const text = xmlText(await book.pack.read(part));
    const frame = frameOf(text);
    if (new RegExp(`<${frame.prefix}f[\\s/>]`).test(text)) return 'formulas point to rows by their number';
  }
  if ((await relationsOf(book.pack, tab.part)).some(({ kind }) => kind !== 'printerSettings'))
    return 'tables, charts, pictures or remarks stand at rows of the tab';
  if (
    book.pack.parts.some(({ name }) => /(?:pivot|charts?\/|externalLink|vbaProject|queryTable|connections)/i.test(name))
  )
    return 'charts, pivot tables, macros or other files may point to rows by their number';
  const text = xmlText(await book.pack.read(tab.part));
  const { data, dataEnd } = frameOf(text);
  const around = [...tagsIn(text, 0, data.end), ...tagsIn(text, dataEnd)];
  const pointing = around.find(({ name }) => !pointsNowhere.has(name));
  return pointing && 'filters, merged cells, formats or checks of the tab reach to rows by their number';
}

/** The changes in a sheet's text that take a row out and move those below up. */
export function movedUp(text: string, row: number): Splice[] {
  const frame = frameOf(text);
  const splices: Splice[] = [];
  for (const place of frame.rows) {
    if (place.number === row) splices.push({ from: place.tag.start, to: place.end, text: '' });
    if (place.number <= row) continue;
    const to = place.number - 1;
    const said = attributeAt(text, place.tag, 'r');
    if (said) splices.push({ ...said, text: String(to) });
    for (const { tag, column } of cellsIn(frame, place)) {
      const ref = attributeAt(text, tag, 'r');
      if (ref) splices.push({ ...ref, text: `${columnLetter(column)}${to}` });
    }
  }
  for (const tag of tagsIn(text, 0, frame.data.start)) {
    const ref = tag.name === 'dimension' ? attributeAt(text, tag, 'ref') : undefined;
    const area = areaOf(attribute(text, tag, 'ref') ?? '');
    if (!ref || !area || area.bottom < row || area.bottom === area.top) continue;
    const [left, right] = [columnLetter(area.left), columnLetter(area.right)];
    splices.push({ ...ref, text: `${left}${area.top}:${right}${area.bottom - 1}` });
  }
  return splices.sort((one, other) => one.from - other.from);
}

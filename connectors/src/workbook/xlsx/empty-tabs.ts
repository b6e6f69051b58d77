import { relationsOf, relationsPart, type Workbook } from './book.ts';
import { lastFilled } from './last-filled.ts';
import { areaOf } from './refs.ts';
import { frameOf } from './sheet-part.ts';
import { type Splice, spliced } from './splice.ts';
import { emptiedTab } from './tab-like.ts';
import { attribute, attributeAt, type Tag, tagsIn, xmlText } from './xml.ts';

/**
 * The workbook with no rows under the names of these tabs, as for a new year: their tables begin anew, and the order
 * in which programs calculated, which names cells that are gone, is left out (they make it themselves; ECMA-376
 * part 1, 18.6). Everything else stays as it is.
 * @throws UnreadableWorkbook
 */
export async function withoutRows(book: Workbook, tabs: readonly string[]): Promise<Uint8Array> {
  const contents = new Map<string, Buffer>();
  for (const { name, part } of book.tabs) {
    if (!tabs.includes(name)) continue;
    const { bytes, text } = await book.sheet(part);
    contents.set(part, emptiedTab(bytes, text, lastFilled(frameOf(text))));
    for (const { kind, part: table } of await relationsOf(book.pack, part))
      if (kind === 'table' && book.pack.has(table)) contents.set(table, emptiedTable(await book.pack.read(table)));
  }
  const order = book.relations.find(({ kind }) => kind === 'calcChain');
  if (!order) return new Uint8Array(await book.pack.with(contents));
  const lists: readonly [string, (text: string, tag: Tag) => boolean][] = [
    ['[Content_Types].xml', (text, tag) => isPart(attribute(text, tag, 'PartName'), order.part)],
    [relationsPart(book.part), (text, tag) => attribute(text, tag, 'Id') === order.id],
  ];
  for (const [part, isOrder] of lists) contents.set(part, withoutElement(await book.pack.read(part), isOrder));
  return new Uint8Array(await book.pack.with(contents, [order.part]));
}

/** Names of parts are the same whatever their case (ECMA-376 part 2, 6.2.2.3). */
const isPart = (named: string | undefined, part: string): boolean =>
  named?.replace(/^\//, '').toLowerCase() === part.toLowerCase();

/** A part without the empty elements that are meant. */
function withoutElement(bytes: Buffer, isMeant: (text: string, tag: Tag) => boolean): Buffer {
  const text = xmlText(bytes);
  const tags = [...tagsIn(text)].filter((tag) => tag.kind === 'empty' && isMeant(text, tag));
  return spliced(
    bytes,
    tags.map((tag) => ({ from: tag.start, to: tag.end, text: '' })),
  );
}

/** A table with one row to be filled under its names, and no row of totals. */
function emptiedTable(bytes: Buffer): Buffer {
  const text = xmlText(bytes);
  const splices: Splice[] = [];
  for (const tag of tagsIn(text)) {
    if (tag.kind === 'close') continue;
    const at = ['table', 'autoFilter'].includes(tag.name) ? attributeAt(text, tag, 'ref') : undefined;
    const area = at && areaOf(text.slice(at.from, at.to));
    if (at && area) {
      const [first = '', last = ''] = text.slice(at.from, at.to).split(':');
      splices.push({ ...at, text: `${first}:${last.replace(/\d+$/, String(area.top + 1))}` });
    }
    const totals = tag.name === 'table' ? attributeAt(text, tag, 'totalsRowCount') : undefined;
    if (totals) splices.push({ ...totals, text: '0' });
  }
  return spliced(bytes, splices);
}

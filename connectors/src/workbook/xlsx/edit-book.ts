import type { BookEdit } from '../sheet.ts';
import { relationsOf, relationsPart, type Tab, Workbook } from './book.ts';
import { calculatedTables } from './calculated-columns.ts';
import { cellXml, type Writing } from './cell-xml.ts';
import { type EditedSheet, editSheet, reachingTo } from './edit-sheet.ts';
import { withoutRows } from './empty-tabs.ts';
import { lastFilled } from './last-filled.ts';
import { movedUp, whyRowsStay } from './move-rows.ts';
import { areaOf } from './refs.ts';
import { frameOf } from './sheet-part.ts';
import { type Splice, spliced } from './splice.ts';
import { tabLike } from './tab-like.ts';
import { attribute, attributeAt, damagedXml, encoded, prefixOf, type Tag, tagsIn, xmlText } from './xml.ts';

/**
 * The workbook with these changes. Only the parts that they touch are unpacked: the sheets, tables that
 * grow with them, formats that are new, and what tells programs to calculate anew; every other part is
 * copied as it lies there.
 *
 * @param opened - the same workbook, where it is opened already
 * @throws UnreadableWorkbook
 */
export async function editXlsx(bytes: Uint8Array, edits: readonly BookEdit[], opened?: Workbook): Promise<Uint8Array> {
  const emptied = edits.filter(({ kind }) => kind === 'emptied').map(({ tab }) => tab);
  if (emptied.length > 0) {
    const others = edits.filter(({ kind }) => kind !== 'emptied');
    return editXlsx(await withoutRows(opened ?? (await Workbook.open(bytes)), emptied), others);
  }
  const at = edits.findIndex(({ kind }) => kind === 'delete_row');
  // What comes after a row that is taken out may be numbered otherwise: one after the other, as they were said.
  if (at >= 0) {
    const [before, after] = [edits.slice(0, at), edits.slice(at + 1)];
    const without = await withoutRow(await editXlsx(bytes, before), edits[at] as DeleteRow);
    return editXlsx(without, after);
  }
  return edits.length === 0 ? bytes : editedInPlace(opened ?? (await Workbook.open(bytes)), edits);
}

type DeleteRow = Extract<BookEdit, { kind: 'delete_row' }>;

/** A row taken out: those below move up where nothing points to them, else it is emptied. */
async function withoutRow(bytes: Uint8Array, edit: DeleteRow): Promise<Uint8Array> {
  const book = await Workbook.open(bytes);
  const tab = book.tabs.find(({ name }) => name === edit.tab);
  if (!tab || edit.row < 2) return bytes;
  if (await whyRowsStay(book, tab)) return editedInPlace(book, [edit]);
  const part = await book.pack.read(tab.part);
  const moved = spliced(part, movedUp(xmlText(part), edit.row));
  return new Uint8Array(await book.pack.with(new Map([[tab.part, moved]])));
}

/**
 * Why a row that is taken out of a tab is emptied and not closed up, as the end of a sentence; undefined where
 * those below move up.
 * @throws UnreadableWorkbook
 */
export async function whyEmptied(bytes: Uint8Array, tabName: string): Promise<string | undefined> {
  const book = await Workbook.open(bytes);
  const tab = book.tabs.find(({ name }) => name === tabName);
  return tab && (await whyRowsStay(book, tab));
}

async function editedInPlace(book: Workbook, edits: readonly BookEdit[]): Promise<Uint8Array> {
  const isStrict = book.text.includes(main.strict);
  const writing: Writing = { styles: await book.styles(), is1904: book.is1904, isStrict };
  const contents = new Map<string, Buffer>();
  const bookEdits: Splice[] = [];
  let hasFormulas = book.hasCalculations;
  for (const tab of book.tabs) {
    const own = edits.filter((edit) => edit.kind !== 'tab' && edit.kind !== 'tab_like' && edit.tab === tab.name);
    if (own.length === 0) continue;
    const { bytes: part, text } = await book.sheet(tab.part);
    const edited = editSheet(text, own, writing, await calculatedTables(book, tab.part));
    hasFormulas ||= edited.hasFormulas;
    contents.set(tab.part, spliced(part, edited.splices));
    for (const [name, content] of await grownTables(book, tab, edited)) contents.set(name, content);
    bookEdits.push(...filterNames(book, tab, edited));
  }
  const styles = book.stylesPart;
  const added: NewTab[] = [];
  for (const edit of edits) {
    if (edit.kind === 'tab') added.push({ tab: edit.tab, names: edit.names });
    if (edit.kind === 'tab_like') added.push({ tab: edit.tab, content: await contentLike(book, edit.like) });
  }
  if (added.length > 0) bookEdits.push(...(await addTabs(book, added, writing, contents)));
  const changedStyles = writing.styles.changed();
  if (styles !== undefined && changedStyles) contents.set(styles, changedStyles);
  if (hasFormulas) bookEdits.push(...calculateAnew(book));
  if (bookEdits.length > 0) contents.set(book.part, spliced(Buffer.from(book.text, 'latin1'), bookEdits));
  return new Uint8Array(await book.pack.with(contents));
}

/** A tab to be added: with these names in its first row, or this content. */
interface NewTab {
  readonly tab: string;
  readonly names?: readonly string[];
  readonly content?: Buffer;
}

/** The content of a tab like another one. @throws UnreadableWorkbook where that isn't there */
async function contentLike(book: Workbook, like: string): Promise<Buffer> {
  const model = book.tabs.find(({ name }) => name === like);
  if (!model) throw damagedXml(`there is no tab "${like}"`);
  const part = await book.pack.read(model.part);
  const text = xmlText(part);
  return tabLike(part, text, lastFilled(frameOf(text)));
}

/** Tables whose last row was the sheet's go on to the new last one, their filters with them; one with a row of totals doesn't. */
async function grownTables(
  book: Workbook,
  tab: Tab,
  { lastBefore, lastAfter, columns }: EditedSheet,
): Promise<Map<string, Buffer>> {
  const grown = new Map<string, Buffer>();
  if (lastAfter <= lastBefore) return grown;
  for (const { kind, part } of await relationsOf(book.pack, tab.part)) {
    if (kind !== 'table' || !book.pack.has(part)) continue;
    const bytes = await book.pack.read(part);
    const text = xmlText(bytes);
    const tags = [...tagsIn(text)];
    const table = tags.find(({ name }) => name === 'table');
    const area = table && areaOf(attribute(text, table, 'ref') ?? '');
    if (!table || !area || Number(attribute(text, table, 'totalsRowCount') ?? 0) > 0) continue;
    if (![...columns].some((column) => column >= area.left && column <= area.right)) continue;
    const splices = tags.flatMap((tag): Splice[] => {
      const at =
        tag.kind !== 'close' && ['table', 'autoFilter'].includes(tag.name) ? attributeAt(text, tag, 'ref') : undefined;
      if (!at) return [];
      const longer = reachingTo(text.slice(at.from, at.to), lastBefore, lastAfter);
      return longer === text.slice(at.from, at.to) ? [] : [{ ...at, text: longer }];
    });
    if (splices.length > 0) grown.set(part, spliced(bytes, splices));
  }
  return grown;
}

/** The name by which programs keep a sheet's filter goes on with it. */
function filterNames({ text }: Workbook, tab: Tab, { lastBefore, lastAfter }: EditedSheet): Splice[] {
  if (lastAfter <= lastBefore || lastBefore < 2) return [];
  const tags = [...tagsIn(text)];
  const at = tags
    .filter(({ name, kind }) => name === 'sheet' && kind !== 'close')
    .findIndex((tag) => attribute(text, tag, 'id') === tab.relation);
  return tags.flatMap((tag, index): Splice[] => {
    if (tag.name !== 'definedName' || tag.kind !== 'open') return [];
    if (attribute(text, tag, 'name') !== '_xlnm._FilterDatabase' || attribute(text, tag, 'localSheetId') !== String(at))
      return [];
    const end = tags[index + 1]?.start ?? tag.end;
    const area = text.slice(tag.end, end);
    const longer = area.replace(/\$(\d+)$/, (whole, row: string) =>
      Number(row) === lastBefore ? `$${lastAfter}` : whole,
    );
    return longer === area ? [] : [{ from: tag.end, to: end, text: longer }];
  });
}

/** What stands behind the settings of calculation in a workbook's part, in this order (ECMA-376 part 1, 18.2.27). */
const behindCalculation = [
  'oleSize',
  'customWorkbookViews',
  'pivotCaches',
  'smartTagPr',
  'smartTagTypes',
  'webPublishing',
  'fileRecoveryPr',
  'webPublishObjects',
  'extLst',
];

/** Programs calculate everything anew when they open it: stored values may rest on cells that changed. */
function calculateAnew(book: Workbook): Splice[] {
  const { text } = book;
  const settings = book.tagOf('calcPr');
  if (settings) {
    const at = attributeAt(text, settings, 'fullCalcOnLoad');
    if (at) return text.slice(at.from, at.to) === '1' ? [] : [{ ...at, text: '1' }];
    const end = settings.end - (settings.kind === 'empty' ? 2 : 1);
    return [{ from: end, to: end, text: ' fullCalcOnLoad="1"' }];
  }
  const tags = [...tagsIn(text)];
  const sheets = closing(tags, 'sheets');
  const behind = tags.find(
    ({ name, kind, start }) => start > sheets.start && kind !== 'close' && behindCalculation.includes(name),
  );
  const end = behind?.start ?? closing(tags, 'workbook').start;
  return [{ from: end, to: end, text: `<${prefixOf(text, sheets)}calcPr fullCalcOnLoad="1"/>` }];
}

const main = {
  transitional: 'http://schemas.openxmlformats.org/spreadsheetml/2006/main',
  strict: 'http://purl.oclc.org/ooxml/spreadsheetml/main',
};
const relationships = {
  transitional: 'http://schemas.openxmlformats.org/officeDocument/2006/relationships',
  strict: 'http://purl.oclc.org/ooxml/officeDocument/relationships',
};
const worksheetType = 'application/vnd.openxmlformats-officedocument.spreadsheetml.worksheet+xml';
const declaration = '<?xml version="1.0" encoding="UTF-8" standalone="yes"?>\n';

/** New tabs with names in their first rows: a part each, and where the workbook, its relations and the list of types name them. */
async function addTabs(
  book: Workbook,
  added: readonly NewTab[],
  writing: Writing,
  contents: Map<string, Buffer>,
): Promise<Splice[]> {
  const kind = writing.isStrict ? 'strict' : 'transitional';
  const tags = [...tagsIn(book.text)];
  const sheets = closing(tags, 'sheets');
  const ids = tags
    .filter(({ name }) => name === 'sheet')
    .map((tag) => Number(attribute(book.text, tag, 'sheetId') ?? 0));
  let [id, file] = [Math.max(0, ...ids), 1];
  const folder = book.part.slice(0, book.part.lastIndexOf('/') + 1);
  const [types, links] = [[] as string[], [] as string[]];
  const known = new Set(book.relations.map((one) => one.id));
  const prefix = prefixOf(book.text, sheets);
  // By the prefix that the workbook has for it: some programs know no other.
  const bound = new RegExp(`xmlns:([\\w.-]+)\\s*=\\s*["']${relationships[kind].replaceAll('.', '\\.')}["']`);
  const root = tags.find(({ name }) => name === 'workbook');
  const [, own] = bound.exec(root ? book.text.slice(root.start, root.end) : '') ?? [];
  const [isBound, relationPrefix] = [own !== undefined, own ?? 'r'];
  const inBook = added.map(({ tab, names = [], content }) => {
    id += 1;
    while (
      book.pack.has(`${folder}worksheets/sheet${file}.xml`) ||
      contents.has(`${folder}worksheets/sheet${file}.xml`)
    )
      file++;
    const part = `${folder}worksheets/sheet${file}.xml`;
    let relation = `rId${id}`;
    while (known.has(relation)) relation = `${relation}n`;
    known.add(relation);
    const cells = names
      .map((value, at) => cellXml('', 1, { column: at + 1, value, type: 'text' }, 0, writing))
      .join('');
    const xml = `${declaration}<worksheet xmlns="${main[kind]}"><sheetData><row r="1">${cells}</row></sheetData></worksheet>`;
    contents.set(part, content ?? Buffer.from(xml, 'latin1'));
    types.push(`<Override PartName="/${part}" ContentType="${worksheetType}"/>`);
    links.push(`<Relationship Id="${relation}" Type="${relationships[kind]}/worksheet" Target="/${part}"/>`);
    return `<${prefix}sheet${isBound ? '' : ` xmlns:r="${relationships[kind]}"`} name="${encoded(tab)}" sheetId="${id}" ${relationPrefix}:id="${relation}"/>`;
  });
  await addBefore(book, '[Content_Types].xml', 'Types', types, contents);
  await addBefore(book, relationsPart(book.part), 'Relationships', links, contents);
  return [{ from: sheets.start, to: sheets.start, text: inBook.join('') }];
}

/** Elements put at the end of a part's list. */
async function addBefore(
  book: Workbook,
  part: string,
  list: string,
  elements: readonly string[],
  contents: Map<string, Buffer>,
): Promise<void> {
  const bytes = await book.pack.read(part);
  const text = xmlText(bytes);
  const end = closing([...tagsIn(text)], list);
  const prefix = prefixOf(text, end);
  const own = elements.map((one) => one.replace('<', `<${prefix}`)).join('');
  contents.set(part, spliced(bytes, [{ from: end.start, to: end.start, text: own }]));
}

/** The tag that closes an element. @throws UnreadableWorkbook where there is none */
function closing(tags: readonly Tag[], element: string): Tag {
  const tag = tags.find(({ name, kind }) => name === element && kind === 'close');
  if (!tag) throw damagedXml(`"${element}" isn’t closed`);
  return tag;
}

import { cellError, notCalculated } from '@golden/core';
import { SaxesParser } from 'saxes';
import { expectCells } from './limits.ts';
import { type Area, type BookContent, type Sheet, UnreadableWorkbook } from './sheet.ts';
import { type Scalar, SheetBuilder } from './sheet-builder.ts';
import { Package } from './xlsx/package.ts';

// OpenDocument spreadsheets (OASIS OpenDocument 1.3, part 3), which are read and not written.

const mediaType = 'application/vnd.oasis.opendocument.spreadsheet';
const ns = {
  office: 'urn:oasis:names:tc:opendocument:xmlns:office:1.0',
  table: 'urn:oasis:names:tc:opendocument:xmlns:table:1.0',
  text: 'urn:oasis:names:tc:opendocument:xmlns:text:1.0',
  /** In which programs mark an error, beside the standard's types. */
  extended: 'urn:org:documentfoundation:names:experimental:calc:xmlns:calcext:1.0',
} as const;

export const odsIsOnlyRead = 'OpenDocument files (.ods) are only read. Save it as .xlsx to write to it.';

const damaged = (cause?: unknown): UnreadableWorkbook =>
  new UnreadableWorkbook('This is not an .ods spreadsheet, or it is damaged.', { cause });

/**
 * Reads an OpenDocument spreadsheet whole, or only its columns and where its last rows are.
 * @throws UnreadableWorkbook when the bytes are none, or it holds more than is read
 */
export async function readOds(bytes: Uint8Array, keeps: 'rows' | 'outline' = 'rows'): Promise<BookContent> {
  const pack = opened(bytes);
  if (!pack.has('mimetype') || !(await pack.read('mimetype')).toString('latin1').trim().startsWith(mediaType))
    throw damaged('its media type is another');
  const manifest = pack.has('META-INF/manifest.xml') ? await pack.read('META-INF/manifest.xml') : '';
  if (manifest.includes('encryption-data'))
    throw new UnreadableWorkbook('It is protected by a password. Save it without one to use it here.');
  const reader = new OdsReader(keeps);
  const parser = new SaxesParser({ xmlns: true });
  parser.on('error', (error) => {
    throw damaged(error);
  });
  parser.on('doctype', () => {
    throw new UnreadableWorkbook('It has a document type of its own, which no spreadsheet has.');
  });
  parser.on('opentag', ({ uri, local, attributes }) => {
    reader.open(uri, local, (of, name) => {
      for (const one of Object.values(attributes)) if (one.uri === of && one.local === name) return one.value;
      return undefined;
    });
  });
  parser.on('text', (text) => reader.text(text));
  parser.on('cdata', (text) => reader.text(text));
  parser.on('closetag', ({ uri, local }) => reader.close(uri, local));
  const content = await pack.read('content.xml');
  const decoder = new TextDecoder();
  for (let at = 0; at < content.length; at += pieceBytes)
    parser.write(decoder.decode(content.subarray(at, at + pieceBytes), { stream: true }));
  parser.write(decoder.decode());
  parser.close();
  return { sheets: reader.sheets, readOnlyBecause: odsIsOnlyRead };
}

/** @throws UnreadableWorkbook */
function opened(bytes: Uint8Array): Package {
  try {
    return Package.open(bytes);
  } catch (error) {
    throw error instanceof UnreadableWorkbook && error.message.includes('.xlsx') ? damaged(error) : error;
  }
}

/** Bytes that the parser is given at once. */
const pieceBytes = 256 * 1024;

type Attribute = (uri: string, name: string) => string | undefined;

interface Cell {
  readonly value: Scalar | null;
  readonly isDate: boolean;
  readonly hasFormula: boolean;
  /** A text that has no value of its own is the one that is shown. */
  readonly isShown: boolean;
  readonly isError: boolean;
  readonly repeated: number;
}

/** Takes in the tags of a content part as they come. */
class OdsReader {
  readonly sheets: Sheet[] = [];
  private builder: SheetBuilder | undefined;
  private name = '';
  private merged: Area[] = [];
  /** The row that is read, its cells, and how often it stands there. */
  private row = 0;
  private repeated = 1;
  private cells: { readonly column: number; readonly cell: Cell }[] = [];
  private column = 0;
  private cell: Cell | undefined;
  /** The paragraphs of the cell; undefined outside of one. */
  private paragraphs: string[] = [];
  private inParagraph = 0;
  /** Elements whose text isn't the cell's: remarks beside it. */
  private aside = 0;
  /** Tables within a cell are none of the document's tabs. */
  private depth = 0;

  constructor(private readonly keeps: 'rows' | 'outline') {}

  open(uri: string, local: string, attribute: Attribute): void {
    if (this.aside > 0 || (uri === ns.office && local === 'annotation')) {
      this.aside += 1;
      return;
    }
    if (uri === ns.text && this.cell && this.depth === 1) this.openText(local, attribute);
    if (uri !== ns.table) return;
    if (local === 'table') this.openTable(attribute(ns.table, 'name') ?? '');
    if (this.depth !== 1) return;
    if (local === 'table-row') this.openRow(countOf(attribute(ns.table, 'number-rows-repeated')));
    if (local === 'table-cell' || local === 'covered-table-cell') this.openCell(attribute);
  }

  text(text: string): void {
    if (this.inParagraph > 0 && this.aside === 0 && this.depth === 1) this.say(text);
  }

  close(uri: string, local: string): void {
    if (this.aside > 0) {
      this.aside -= 1;
      return;
    }
    if (uri === ns.text && local === 'p' && this.depth === 1 && this.inParagraph > 0) this.inParagraph -= 1;
    if (uri !== ns.table) return;
    if (this.depth === 1 && local === 'table-row') this.closeRow();
    if (this.depth === 1 && (local === 'table-cell' || local === 'covered-table-cell')) this.closeCell();
    if (local === 'table') this.closeTable();
  }

  private openTable(name: string): void {
    this.depth += 1;
    if (this.depth > 1) return;
    this.name = name;
    this.builder = new SheetBuilder(this.keeps);
    this.merged = [];
    this.row = 0;
  }

  private closeTable(): void {
    this.depth -= 1;
    if (this.depth > 0 || !this.builder) return;
    this.sheets.push(this.builder.sheet(this.name, this.merged));
    this.builder = undefined;
  }

  private openRow(repeated: number): void {
    this.repeated = repeated;
    this.cells = [];
    this.column = 0;
  }

  private closeRow(): void {
    const { builder, cells } = this;
    // Rows without anything fill the tab up to its end: they are passed over, not made.
    const times = cells.length > 0 ? this.repeated : 0;
    expectCells(cells.length * times);
    for (let at = 1; at <= times; at++) {
      builder?.beginRow(this.row + at);
      for (const { column, cell } of cells) builder?.cell(column, cell.value, cell.isDate, cell.hasFormula);
      builder?.endRow();
    }
    this.row += this.repeated;
  }

  private openCell(attribute: Attribute): void {
    const across = countOf(attribute(ns.table, 'number-columns-spanned'));
    const down = countOf(attribute(ns.table, 'number-rows-spanned'));
    const [left, top] = [this.column + 1, this.row + 1];
    if (across > 1 || down > 1) this.merged.push({ left, top, right: left + across - 1, bottom: top + down - 1 });
    const formula = attribute(ns.table, 'formula');
    // Calc writes yes and no as formulas that rest on nothing.
    const [, constant] = /^(?:of:)?=(TRUE|FALSE)\(\)$/.exec(formula ?? '') ?? [];
    this.cell = {
      ...(constant ? { value: constant === 'TRUE', isDate: false, isShown: false } : typedValue(attribute)),
      hasFormula: formula !== undefined && !constant,
      isError: attribute(ns.extended, 'value-type') === 'error',
      repeated: countOf(attribute(ns.table, 'number-columns-repeated')),
    };
    this.paragraphs = [];
    this.inParagraph = 0;
  }

  private closeCell(): void {
    const { cell } = this;
    if (!cell) return;
    this.cell = undefined;
    const shown = this.paragraphs.join('\n');
    const value = cell.isError ? errorOf(shown) : cell.isShown ? shown || null : cell.value;
    const isEmpty = value === null || value === '';
    const filled = isEmpty && cell.hasFormula && !cell.isShown ? notCalculated : value;
    if (!isEmpty || cell.hasFormula) {
      expectCells(cell.repeated);
      for (let at = 1; at <= cell.repeated; at++)
        this.cells.push({ column: this.column + at, cell: { ...cell, value: filled } });
    }
    this.column += cell.repeated;
  }

  /** White space as it is kept (OpenDocument 1.3 part 3, 6.1.2): signs of their own stand for what would be lost. */
  private openText(local: string, attribute: Attribute): void {
    if (local === 'p') {
      this.inParagraph += 1;
      this.paragraphs.push('');
    }
    if (local === 's') this.say(' '.repeat(Math.min(32_767, countOf(attribute(ns.text, 'c')))));
    if (local === 'tab') this.say('\t');
    if (local === 'line-break') this.say('\n');
  }

  private say(text: string): void {
    const last = this.paragraphs.length - 1;
    if (last >= 0) this.paragraphs[last] += text;
  }
}

/** How often something stands there, or how far it reaches; once where nothing is said. */
function countOf(said: string | undefined): number {
  const count = Number(said ?? 1);
  return Number.isInteger(count) && count >= 1 ? count : 1;
}

/** An error as the others have it; those with a number of their own (`Err:502`) are a value that couldn't be worked out. */
const errorOf = (shown: string): string => (cellError(shown) ? shown : '#VALUE!');

/** The value of a cell by its type (OpenDocument 1.3 part 3, 19.385 and those beside it). */
function typedValue(attribute: Attribute): Pick<Cell, 'value' | 'isDate' | 'isShown'> {
  const plain = (value: Scalar | null) => ({ value, isDate: false, isShown: false });
  switch (attribute(ns.office, 'value-type')) {
    case 'float':
    case 'percentage':
    case 'currency': {
      const said = attribute(ns.office, 'value') ?? '';
      return plain(said.trim() !== '' && Number.isFinite(Number(said)) ? Number(said) : said || null);
    }
    case 'boolean':
      return plain(attribute(ns.office, 'boolean-value') === 'true');
    case 'date': {
      const date = (attribute(ns.office, 'date-value') ?? '').replace(/(\.\d+)?Z?$/, '').replace(/T00:00(:00)?$/, '');
      return { value: date || null, isDate: /^\d{4}-\d{2}-\d{2}$/.test(date), isShown: false };
    }
    case 'time':
      return plain(clockOf(attribute(ns.office, 'time-value') ?? ''));
    case 'string': {
      const said = attribute(ns.office, 'string-value');
      return said === undefined || said === '' ? { value: null, isDate: false, isShown: true } : plain(said);
    }
    default:
      return plain(null);
  }
}

/** A duration (XML Schema part 2, 3.2.6) as hours, minutes and seconds. */
function clockOf(said: string): string | null {
  const parts = /^(-?)P(?:(\d+)D)?(?:T(?:(\d+)H)?(?:(\d+)M)?(?:(\d+)(?:[.,]\d+)?S)?)?$/.exec(said);
  if (!parts) return said || null;
  const [days, hours, minutes, seconds] = parts.slice(2).map((part) => Number(part ?? 0)) as [
    number,
    number,
    number,
    number,
  ];
  const two = (number: number): string => String(number).padStart(2, '0');
  return `${parts[1]}${two(days * 24 + hours)}:${two(minutes)}:${two(seconds)}`;
}

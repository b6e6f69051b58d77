import { getFormatInfo } from 'numfmt';
import { type Splice, spliced } from './splice.ts';
import { attribute, attributeAt, damagedXml, nextTag, prefixOf, type Tag, tagsIn, xmlText } from './xml.ts';

/** What a cell's format says its number is. */
export type NumberKind = 'number' | 'date' | 'time' | 'duration';

/** Formats that are built in, by their number, as far as they are dates or times; the higher ones are East Asian dates (ECMA-376 part 1, 18.8.30). */
const builtIn: ReadonlyMap<number, NumberKind> = new Map([
  ...[14, 15, 16, 17, 22, 27, 28, 29, 30, 31, 36, 50, 51, 52, 53, 54, 57, 58].map((id) => [id, 'date'] as const),
  ...[18, 19, 20, 21, 45, 47].map((id) => [id, 'time'] as const),
  [46, 'duration'],
]);
/** Codes of the built-in formats that are asked for by text: whole numbers, decimals, text. */
const builtInCodes: Readonly<Record<number, string>> = {
  0: 'General',
  1: '0',
  2: '0.00',
  3: '#,##0',
  4: '#,##0.00',
  9: '0%',
  10: '0.00%',
  49: '@',
};

/** What a format code makes of a number (ECMA-376 part 1, 18.8.31); one that can't be read leaves it one. */
export function kindOfCode(code: string): NumberKind {
  let type: string;
  try {
    type = getFormatInfo(code).type;
  } catch {
    return 'number';
  }
  if (type === 'date' || type === 'datetime') return 'date';
  if (type !== 'time') return 'number';
  // Hours, minutes or seconds in brackets run on beyond a day.
  return /\[(h+|m+|s+)\]/i.test(code) ? 'duration' : 'time';
}

/** The formats of a workbook's cells, and new ones made from them. */
export class Styles {
  /** Texts of the `xf` records, by the number that a cell names. */
  private readonly formats: string[] = [];
  private readonly ids: number[] = [];
  private readonly codes = new Map<number, string>();
  private readonly kinds = new Map<number, NumberKind>();
  private readonly made = new Map<string, number>();
  private readonly added: string[] = [];
  private readonly addedCodes: string[] = [];
  private cellFormats: Tag | undefined;
  private cellFormatsEnd = 0;
  /** The format that is being read. */
  private opened: Tag | undefined;

  constructor(private readonly text = '') {
    let list = '';
    for (const tag of tagsIn(text)) {
      if (tag.name === 'numFmt') this.readCode(tag);
      else if (tag.name === 'cellXfs' || tag.name === 'cellStyleXfs') list = this.enter(tag);
      else if (tag.name === 'xf' && list === 'cellXfs') this.readFormat(tag);
    }
  }

  /** Notes where the list of cells' formats stands, and says which list is open from here on. */
  private enter(tag: Tag): string {
    if (tag.name === 'cellXfs' && tag.kind === 'open') this.cellFormats = tag;
    if (tag.name === 'cellXfs' && tag.kind === 'close') this.cellFormatsEnd = tag.start;
    return tag.kind === 'open' ? tag.name : '';
  }

  private readFormat(tag: Tag): void {
    if (tag.kind === 'open') {
      this.opened = tag;
      return;
    }
    const start = tag.kind === 'close' && this.opened ? this.opened : tag;
    this.formats.push(this.text.slice(start.start, tag.end));
    this.ids.push(Number(attribute(this.text, start, 'numFmtId') ?? 0));
  }

  /** @throws UnreadableWorkbook */
  static read(bytes: Buffer | undefined): Styles {
    return new Styles(bytes && xmlText(bytes));
  }

  private readCode(tag: Tag): void {
    const id = Number(attribute(this.text, tag, 'numFmtId'));
    this.codes.set(id, attribute(this.text, tag, 'formatCode') ?? 'General');
  }

  private codeOf(format: number): string {
    const id = this.ids[format] ?? 0;
    return this.codes.get(id) ?? builtInCodes[id] ?? '';
  }

  /** Whether there is a list of formats to which others can be added. */
  get hasFormats(): boolean {
    return this.cellFormats !== undefined;
  }

  /** What the number in a cell of this format is. */
  kindOf(format: number): NumberKind {
    let kind = this.kinds.get(format);
    if (kind === undefined) {
      const id = this.ids[format] ?? 0;
      const code = this.codes.get(id);
      kind = code !== undefined ? kindOfCode(code) : (builtIn.get(id) ?? 'number');
      this.kinds.set(format, kind);
    }
    return kind;
  }

  /** Whether numbers of this format are shown with decimals, or as they come. */
  mayHaveDecimals(format: number): boolean {
    return /0\.0|General/.test(this.codeOf(format) || 'General');
  }

  /** Whether this format marks its cell as text. */
  isText(format: number): boolean {
    return this.codeOf(format) === '@';
  }

  /** The format of a cell, changed only in how its value is shown: the same one again when it was made before. */
  like(format: number, shown: 'text' | 'date' | 'number'): number {
    const key = `${format} ${shown}`;
    const known = this.made.get(key);
    if (known !== undefined) return known;
    const id = shown === 'text' ? 49 : shown === 'number' ? 0 : this.dateFormat();
    const number = this.formats.length + this.added.length;
    this.made.set(key, number);
    if (this.cellFormats) this.added.push(withFormat(this.formats[format] ?? this.formats[0] ?? '<xf/>', id));
    return this.cellFormats ? number : 0;
  }

  /** The number of the format that shows a date as ISO 8601 does; added where the workbook has none. */
  private dateFormat(): number {
    const known = [...this.codes].find(([, code]) => code.toLowerCase() === 'yyyy-mm-dd');
    if (known) return known[0];
    // Numbers from 164 on are a workbook's own (18.8.30).
    const id = Math.max(163, ...this.codes.keys()) + 1;
    this.codes.set(id, 'yyyy-mm-dd');
    this.addedCodes.push(`numFmtId="${id}" formatCode="yyyy-mm-dd"`);
    return id;
  }

  /** The part with what was added; undefined where nothing was. */
  changed(): Buffer | undefined {
    if (this.added.length === 0 || !this.cellFormats) return undefined;
    const edits = [
      ...this.countOf(this.cellFormats, this.added.length),
      { from: this.cellFormatsEnd, to: this.cellFormatsEnd, text: this.added.join('') },
      ...this.codeEdits(),
    ];
    return spliced(Buffer.from(this.text, 'latin1'), edits);
  }

  private countOf(list: Tag, more: number): Splice[] {
    const at = attributeAt(this.text, list, 'count');
    const count = at && Number(this.text.slice(at.from, at.to));
    return at && Number.isFinite(count) ? [{ ...at, text: String((count as number) + more) }] : [];
  }

  private codeEdits(): Splice[] {
    if (this.addedCodes.length === 0) return [];
    const prefix = prefixOf(this.text, this.cellFormats as Tag);
    const codes = this.addedCodes.map((one) => `<${prefix}numFmt ${one}/>`).join('');
    const list = `<${prefix}numFmts count="${this.addedCodes.length}">${codes}</${prefix}numFmts>`;
    const tags = [...tagsIn(this.text)];
    const known = tags.find(({ name }) => name === 'numFmts');
    if (known?.kind === 'empty') return [{ from: known.start, to: known.end, text: list }];
    if (known) return [...this.countOf(known, this.addedCodes.length), { from: known.end, to: known.end, text: codes }];
    // The first of the style sheet's parts (18.8.39).
    const sheet = tags.find(({ name }) => name === 'styleSheet');
    if (!sheet) throw damagedXml('its formats are broken off');
    return [{ from: sheet.end, to: sheet.end, text: list }];
  }
}

/** An `xf` record with another number format. */
function withFormat(record: string, id: number): string {
  const tag = nextTag(record, 0) as Tag;
  const head = record
    .slice(0, tag.end)
    .replace(/\s(numFmtId|applyNumberFormat)\s*=\s*("[^"]*"|'[^']*')/g, '')
    .replace(/\s*(\/?)>$/, ` numFmtId="${id}" applyNumberFormat="1"$1>`);
  return head + record.slice(tag.end);
}

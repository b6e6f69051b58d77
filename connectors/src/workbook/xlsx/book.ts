import { UnreadableWorkbook } from '../sheet.ts';
import { Package } from './package.ts';
import { Strings } from './strings.ts';
import { Styles } from './styles.ts';
import { attribute, damagedXml, type Tag, tagsIn, xmlText } from './xml.ts';

/** A tab, and the part that holds it. */
export interface Tab {
  readonly name: string;
  readonly part: string;
  /** The id by which the workbook's part points to it. */
  readonly relation: string;
}

/** Where one part points to another (ISO/IEC 29500-2, 9.3). */
export interface Relation {
  readonly id: string;
  /** The last piece of its type, which transitional and strict documents have in common. */
  readonly kind: string;
  readonly part: string;
}

/** The name of the part that holds the relations of one. */
export function relationsPart(part: string): string {
  const cut = part.lastIndexOf('/') + 1;
  return `${part.slice(0, cut)}_rels/${part.slice(cut)}.rels`;
}

/** A target as the name of a part: absolute ones begin with a slash, others lie beside the part that points. @throws UnreadableWorkbook */
export function resolvedPart(from: string, target: string): string {
  const path = target.startsWith('/') ? target : `${from.slice(0, from.lastIndexOf('/') + 1)}${target}`;
  const pieces: string[] = [];
  for (const piece of path.split('/')) {
    if (piece === '..') pieces.pop();
    else if (piece !== '' && piece !== '.') pieces.push(piece);
  }
  try {
    return decodeURI(pieces.join('/'));
  } catch {
    throw damagedXml(`"${target}" names no part`);
  }
}

/** The relations of a part, those to outside left out. @throws UnreadableWorkbook */
export async function relationsOf(book: Package, part: string): Promise<Relation[]> {
  const name = relationsPart(part);
  if (!book.has(name)) return [];
  const text = xmlText(await book.read(name));
  return [...tagsIn(text)].flatMap((tag): Relation[] => {
    if (tag.name !== 'Relationship' || tag.kind === 'close') return [];
    if (attribute(text, tag, 'TargetMode') === 'External') return [];
    const target = attribute(text, tag, 'Target') ?? '';
    const kind = (attribute(text, tag, 'Type') ?? '').split('/').at(-1) ?? '';
    return [{ id: attribute(text, tag, 'Id') ?? '', kind, part: resolvedPart(part, target) }];
  });
}

/** A sheet's part, and the same as a text of a character a byte. */
export interface SheetContent {
  readonly bytes: Buffer;
  readonly text: string;
}

/** What a workbook's own part says, and where the others are. */
export class Workbook {
  private readonly sheets = new Map<string, SheetContent>();

  private constructor(
    readonly pack: Package,
    readonly part: string,
    readonly text: string,
    readonly relations: readonly Relation[],
    readonly tabs: readonly Tab[],
    /** Whether days are counted from 1904 on (ECMA-376 part 1, 18.17.4.1). */
    readonly is1904: boolean,
    private readonly keepsSheets: boolean,
  ) {}

  /**
   * @param keepsSheets - whether the sheets that are read stay in the memory, to be changed at once
   * @throws UnreadableWorkbook
   */
  static async open(bytes: Uint8Array, keepsSheets = false): Promise<Workbook> {
    const book = Package.open(bytes);
    const part = (await relationsOf(book, '')).find(({ kind }) => kind === 'officeDocument')?.part;
    if (part === undefined || !book.has(part)) throw damagedXml('no part is its workbook');
    if (/\.bin$/i.test(part))
      throw new UnreadableWorkbook('It is in the .xlsb format. Save it as .xlsx to use it here.');
    const text = xmlText(await book.read(part));
    const relations = await relationsOf(book, part);
    const sheets = new Map(relations.filter(({ kind }) => kind === 'worksheet').map((one) => [one.id, one.part]));
    const tags = [...tagsIn(text)];
    const tabs = tags.flatMap((tag): Tab[] => {
      if (tag.name !== 'sheet' || tag.kind === 'close') return [];
      const relation = attribute(text, tag, 'id') ?? '';
      const of = sheets.get(relation);
      // Tabs of a chart or a macro have no rows.
      return of === undefined ? [] : [{ name: attribute(text, tag, 'name') ?? '', part: of, relation }];
    });
    const settings = tags.find((tag) => tag.name === 'workbookPr');
    const is1904 = ['1', 'true'].includes((settings && attribute(text, settings, 'date1904')) ?? '');
    return new Workbook(book, part, text, relations, tabs, is1904, keepsSheets);
  }

  /** The content of a sheet's part. @throws UnreadableWorkbook */
  async sheet(part: string): Promise<SheetContent> {
    const kept = this.sheets.get(part);
    if (kept) return kept;
    const bytes = await this.pack.read(part);
    const content = { bytes, text: xmlText(bytes) };
    if (this.keepsSheets) this.sheets.set(part, content);
    return content;
  }

  private partOf(kind: string): string | undefined {
    const part = this.relations.find((one) => one.kind === kind)?.part;
    return part !== undefined && this.pack.has(part) ? part : undefined;
  }

  get stylesPart(): string | undefined {
    return this.partOf('styles');
  }

  /** Whether something in it is calculated: programs that did so keep the order of it. */
  get hasCalculations(): boolean {
    return this.partOf('calcChain') !== undefined;
  }

  async styles(): Promise<Styles> {
    const part = this.stylesPart;
    return Styles.read(part === undefined ? undefined : await this.pack.read(part));
  }

  async strings(): Promise<Strings> {
    const part = this.partOf('sharedStrings');
    return new Strings(part === undefined ? '' : xmlText(await this.pack.read(part)));
  }

  tagOf(name: string): Tag | undefined {
    return [...tagsIn(this.text)].find((tag) => tag.name === name);
  }
}

import { damagedXml, nextTag, prefixOf, type Tag, tagsIn, textWithin } from './xml.ts';

/**
 * A text in runs (`si`, `is`; ECMA-376 part 1, 18.4.8): its pieces one after the other, without the
 * phonetic ones that tell how it is read.
 */
export function richText(text: string, from: number, to: number): string {
  let said = '';
  let opened: Tag | undefined;
  let phonetic = 0;
  for (const tag of tagsIn(text, from, to)) {
    if (tag.name === 'rPh') phonetic += tag.kind === 'open' ? 1 : tag.kind === 'close' ? -1 : 0;
    if (tag.name !== 't') continue;
    if (tag.kind === 'open') opened = tag;
    if (tag.kind === 'close' && opened && phonetic === 0) said += textWithin(text, opened.end, tag.start);
  }
  return unescaped(said);
}

/** Characters that XML can't hold, as `_x000D_` (ECMA-376 part 1, 22.9.2.19). */
export const unescaped = (text: string): string =>
  text.includes('_x')
    ? text.replace(/_x([\da-f]{4})_/gi, (_, code: string) => String.fromCharCode(Number.parseInt(code, 16)))
    : text;

/** What XML 1.0 can't hold (2.2), halves of characters too. */
const notInXml =
  // biome-ignore lint/suspicious/noControlCharactersInRegex: those are meant.
  /[\u0000-\u0008\u000b\u000c\u000e-\u001f\ufffe\uffff]|[\ud800-\udbff](?![\udc00-\udfff])|(?<![\ud800-\udbff])[\udc00-\udfff]/g;

/** A text as a cell holds it: what XML can't hold is escaped, and so is what would be read as such an escape. */
export const escapedText = (text: string): string =>
  text
    .replace(/_(?=x[\da-f]{4}_)/gi, '_x005F_')
    .replace(notInXml, (sign) => `_x${sign.charCodeAt(0).toString(16).toUpperCase().padStart(4, '0')}_`);

/** Texts that several cells share, each decoded when it is first asked for. */
export class Strings {
  private readonly places: { readonly from: number; readonly to: number }[] = [];
  private readonly known: (string | undefined)[] = [];

  constructor(private readonly text: string) {
    for (let at = 0; ; ) {
      const tag = nextTag(text, at);
      if (!tag) break;
      at = tag.end;
      if (tag.name !== 'si' || tag.kind === 'close') continue;
      // What a text holds is looked at when it is asked for.
      const to = tag.kind === 'empty' ? tag.end : text.indexOf(`</${prefixOf(text, tag)}si`, tag.end);
      if (to < 0) throw damagedXml('a shared text is broken off');
      this.places.push({ from: tag.end, to });
      at = to;
    }
  }

  at(index: number): string | undefined {
    const place = this.places[index];
    if (!place) return undefined;
    this.known[index] ??= richText(this.text, place.from, place.to);
    return this.known[index];
  }
}

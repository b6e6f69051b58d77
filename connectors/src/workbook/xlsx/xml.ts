import { UnreadableWorkbook } from '../sheet.ts';

// A scanner for the XML of workbooks (XML 1.0, fifth edition; no document types). It goes over the
// bytes as they are, a character each, so that every place in it is a place in the file and whatever
// isn't changed can be copied byte for byte. Texts are decoded only where they are read.

/** A tag as it stands in the text. */
export interface Tag {
  /** Without its prefix. */
  readonly name: string;
  readonly start: number;
  /** Behind the closing bracket. */
  readonly end: number;
  readonly kind: 'open' | 'close' | 'empty';
}

/** The bytes of a part as text, a character a byte. @throws UnreadableWorkbook for what isn't UTF-8, or has a document type */
export function xmlText(bytes: Buffer): string {
  const [first, second] = bytes;
  if ((first === 0xff && second === 0xfe) || (first === 0xfe && second === 0xff) || first === 0 || second === 0)
    throw new UnreadableWorkbook('It is written in UTF-16, which isn’t read. Save it again in a spreadsheet program.');
  const text = bytes.toString('latin1');
  // Nothing in a workbook needs one; what it would fetch or multiply is never read (ECMA-376 part 2, 8.2.5).
  if (text.includes('<!DOCTYPE')) throw damagedXml('it has a document type');
  return text;
}

export const damagedXml = (cause: string): UnreadableWorkbook =>
  new UnreadableWorkbook('This is not an .xlsx workbook, or it is damaged.', { cause });

/** The next tag from a place on; comments, sections and instructions are passed over. */
export function nextTag(text: string, from: number): Tag | undefined {
  let start = text.indexOf('<', from);
  while (start >= 0) {
    const sign = text.charCodeAt(start + 1);
    if (sign === 0x21 || sign === 0x3f) {
      const end = text.startsWith('<!--', start)
        ? behind(text, '-->', start + 4)
        : text.startsWith('<![CDATA[', start)
          ? behind(text, ']]>', start)
          : behind(text, sign === 0x3f ? '?>' : '>', start);
      start = text.indexOf('<', end);
      continue;
    }
    return tagAt(text, start);
  }
  return undefined;
}

function behind(text: string, sign: string, from: number): number {
  const at = text.indexOf(sign, from);
  if (at < 0) throw damagedXml(`"${sign}" is missing`);
  return at + sign.length;
}

function tagAt(text: string, start: number): Tag {
  let end = text.indexOf('>', start);
  if (end < 0) throw damagedXml('a tag isn’t closed');
  const isClose = text.charCodeAt(start + 1) === 0x2f;
  // A bracket may stand within an attribute: then its quotation mark is still open.
  while (!isClose && isQuoted(text, start, end)) {
    end = text.indexOf('>', end + 1);
    if (end < 0) throw damagedXml('a tag isn’t closed');
  }
  let at = start + (isClose ? 2 : 1);
  let nameFrom = at;
  for (; at < end; at++) {
    const code = text.charCodeAt(at);
    if (code === 0x3a) nameFrom = at + 1;
    else if (code === 0x2f || code <= 0x20) break;
  }
  const kind = isClose ? 'close' : text.charCodeAt(end - 1) === 0x2f ? 'empty' : 'open';
  return { name: text.slice(nameFrom, at), start, end: end + 1, kind };
}

function isQuoted(text: string, start: number, end: number): boolean {
  let open = 0;
  for (let at = start; at < end; at++) {
    const code = text.charCodeAt(at);
    if (open === 0 ? code === 0x22 || code === 0x27 : code === open) open = open === 0 ? code : 0;
  }
  return open !== 0;
}

/** All tags between two places. */
export function* tagsIn(text: string, from = 0, to = text.length): Generator<Tag> {
  for (let at = from; ; ) {
    const tag = nextTag(text, at);
    if (!tag || tag.start >= to) return;
    yield tag;
    at = tag.end;
  }
}

/** Where the value of an attribute stands within a tag, without its quotation marks. */
export function attributeAt(
  text: string,
  tag: Tag,
  name: string,
): { readonly from: number; readonly to: number } | undefined {
  for (let at = text.indexOf(name, tag.start); at >= 0 && at < tag.end; at = text.indexOf(name, at + 1)) {
    if (text.charCodeAt(at - 1) > 0x20 && text[at - 1] !== ':') continue;
    let sign = at + name.length;
    while (text.charCodeAt(sign) <= 0x20) sign++;
    if (text[sign] !== '=') continue;
    do sign++;
    while (text.charCodeAt(sign) <= 0x20);
    const quote = text[sign];
    if (quote !== '"' && quote !== "'") continue;
    const to = text.indexOf(quote, sign + 1);
    if (to >= 0 && to < tag.end && !isQuoted(text, tag.start, at)) return { from: sign + 1, to };
  }
  return undefined;
}

/** The value of an attribute, undefined where the tag hasn't it; a prefix before the name is passed over. */
export function attribute(text: string, tag: Tag, name: string): string | undefined {
  const at = attributeAt(text, tag, name);
  return at && decoded(text.slice(at.from, at.to));
}

const named: Readonly<Record<string, string>> = { amp: '&', lt: '<', gt: '>', quot: '"', apos: "'" };

/** Bytes as the text that they mean: UTF-8, references resolved (XML 1.0, 4.6), line ends as one (2.11). */
export function decoded(bytes: string): string {
  let text = bytes;
  // biome-ignore lint/suspicious/noControlCharactersInRegex: all that is beyond ASCII.
  if (/[^\x00-\x7f]/.test(text)) text = Buffer.from(text, 'latin1').toString('utf8');
  if (text.includes('\r')) text = text.replace(/\r\n?/g, '\n');
  if (!text.includes('&')) return text;
  return text.replace(/&(#x?[\da-f]+|\w+);/gi, (whole, name: string) => {
    if (!name.startsWith('#')) return named[name] ?? whole;
    const code = name[1] === 'x' || name[1] === 'X' ? Number.parseInt(name.slice(2), 16) : Number(name.slice(1));
    return code <= 0x10ffff ? String.fromCodePoint(code) : whole;
  });
}

/** The text within an element, sections included. */
export function textWithin(text: string, from: number, to: number): string {
  const inner = text.slice(from, to);
  if (!inner.includes('<')) return decoded(inner);
  return inner
    .split(/(<!\[CDATA\[[\s\S]*?\]\]>|<!--[\s\S]*?-->)/)
    .map((piece) => {
      if (piece.startsWith('<![CDATA[')) return Buffer.from(piece.slice(9, -3), 'latin1').toString('utf8');
      return piece.startsWith('<!--') ? '' : decoded(piece);
    })
    .join('');
}

/** A text as it stands in XML; bytes of UTF-8, a character each, to be put among those of a part. */
export function encoded(text: string): string {
  const safe = text.replace(/[&<>"\r]/g, (sign) => `&#${sign.charCodeAt(0)};`);
  return Buffer.from(safe, 'utf8').toString('latin1');
}

/** The prefix with which a tag is written, with its colon; '' without one. */
export function prefixOf(text: string, tag: Tag): string {
  const from = tag.start + (tag.kind === 'close' ? 2 : 1);
  const whole = text.slice(from, tag.end).split(/[\s/>]/, 1)[0] ?? '';
  return whole.slice(0, whole.length - tag.name.length);
}

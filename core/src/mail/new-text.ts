import {
  closingMark,
  deviceMark,
  forwardMark,
  forwardSubject,
  noticeMark,
  originalMark,
  readHeadLine,
  wroteMark,
} from './head-words.ts';

/** A mail's text taken apart: what its writer wrote anew, and what came along. */
export interface TextParts {
  /** What was written anew: without quoted history, signature and link addresses. */
  readonly newText: string;
  /** The signature, as far as one was told apart; empty where none was. */
  readonly signature: string;
  /** What was sent on: its head and its text; undefined where nothing was. */
  readonly forwarded?: Forwarded;
}

/** A mail that stands in another one that sends it on. */
export interface Forwarded {
  readonly from: string;
  readonly date: string;
  readonly subject: string;
  readonly text: string;
}

/** Lines of a signature at most; longer ends of mails are text. */
const mostSignature = 10;

/**
 * Takes a plain text apart as mail programs put it together: quoted lines (RFC 3676 section 4.5), the lines that introduce
 * them, copied heads, signatures (RFC 3676 section 4.3) and what is under every mail of a firm or telephone. What
 * isn't surely one of these stays: rather a signature too many than a question lost.
 *
 * @param subject - tells a mail that is sent on from one that is answered, where a program copies both in the same way
 */
export function textParts(text: string, subject = ''): TextParts {
  const lines = withoutLinks(text.replace(/\r\n?/g, '\n').replace(/\u00a0/g, ' ')).split('\n');
  const forward = forwardAt(lines, forwardSubject.test(subject));
  const own = partsOfOwn(forward ? lines.slice(0, forward.mark) : lines);
  if (!forward) return own;
  const { head, body } = forward;
  // What was sent on may be quoted line by line, as it was to be read.
  const inner = partsOfOwn(unquoted(body));
  const forwarded = { ...head, text: unquoted(body).join('\n').trim() };
  return { ...own, newText: [own.newText, inner.newText].filter((one) => one !== '').join('\n\n'), forwarded };
}

/** Whether a text asks something: a question mark of any script, outside link addresses. */
export const hasQuestion = (text: string): boolean => /[?？؟]/u.test(withoutLinks(text));

/** A text without the addresses of its links: a "?" in one is no question. All that repeats is bounded: texts come from anybody. */
export function withoutLinks(text: string): string {
  return text
    .replace(/[<[(]\s{0,4}(?:https?:\/\/|mailto:|tel:)[^\s>\])]{0,2000}\s{0,4}[>\])]/giu, gap)
    .replace(/[ \t]{0,4}\ue000/g, '')
    .replace(/\b(?:https?:\/\/|www\.)[^\s<>"”»)]+/giu, '')
    .replace(/\bmailto:[^\s<>"”»)]+/giu, '');
}

/** Stands where a link stood, until the spaces before it are gone too. */
const gap = '\ue000';

function partsOfOwn(lines: readonly string[]): TextParts {
  const fresh = withoutQuotes(lines);
  const { body, signature } = withoutSignature(fresh);
  return { newText: tidy(body), signature: tidy(signature) };
}

const tidy = (lines: readonly string[]): string =>
  lines
    .map((line) => line.trimEnd())
    .join('\n')
    .replace(/\n{3,}/g, '\n\n')
    .trim();

const isBlank = (line: string | undefined): boolean => (line ?? '').trim() === '';
const isQuoted = (line: string): boolean => /^\s{0,3}>/.test(line);

/** Without quoted lines and what introduces them; from a copied head on nothing is new. */
function withoutQuotes(lines: readonly string[]): string[] {
  const kept: string[] = [];
  for (let at = 0; at < lines.length; at++) {
    const line = lines[at] ?? '';
    if (isQuoted(line)) continue;
    const introduced = introducesQuote(lines, at);
    if (introduced > 0) {
      at += introduced - 1;
      continue;
    }
    if (isCopiedHead(lines, at)) break;
    kept.push(line);
  }
  return kept;
}

/**
 * How many lines from here on introduce a quotation: "On 3 May 2026, Ada wrote:", broken over up to three lines, before
 * lines that are quoted; 0 where these don't. Without quoted lines below nobody knows where the quotation ends.
 */
function introducesQuote(lines: readonly string[], at: number): number {
  if (isBlank(lines[at])) return 0;
  let joined = '';
  for (let count = 1; count <= 3; count++) {
    const line = lines[at + count - 1];
    if (line === undefined || isBlank(line) || isQuoted(line)) return 0;
    joined = `${joined} ${line.trim()}`;
    if (!/[:：]\s*$/.test(line)) continue;
    const below = lines.slice(at + count).find((one) => !isBlank(one));
    const isAttribution = wroteMark.test(joined) || (/[<(][^\s@<>]+@[^\s@<>]+[>)]/.test(joined) && /\d/.test(joined));
    return isAttribution && below !== undefined && isQuoted(below) ? count : 0;
  }
  return 0;
}

/** Whether a mail is copied whole from here on: a mark or a rule above its head, or the head alone. */
function isCopiedHead(lines: readonly string[], at: number): boolean {
  const line = lines[at] ?? '';
  if (originalMark.test(line)) return true;
  const from = /^\s*_{10,}\s*$|^\s*-{10,}\s*$/.test(line) ? nextFilled(lines, at + 1) : at;
  if (wroteMark.test(line) && isAttributionAlone(lines, at)) return true;
  return headAt(lines, from) !== undefined;
}

/** "On 3 May, Ada <ada@clay.example> wrote:" over a mail that is quoted without marks: all below is hers. */
function isAttributionAlone(lines: readonly string[], at: number): boolean {
  const around = `${lines[at - 1] ?? ''} ${lines[at] ?? ''}`;
  return /@[^\s@<>]+\.[a-z]+/i.test(around) && /\d/.test(around) && lines.slice(at + 1).some((one) => !isBlank(one));
}

const nextFilled = (lines: readonly string[], from: number): number => {
  let at = from;
  while (at < lines.length && isBlank(lines[at])) at += 1;
  return at;
};

interface Head {
  readonly from: string;
  readonly date: string;
  readonly subject: string;
}

/** A copied head that begins at a line: the sender first, and at least two more of its lines within the next eight. */
function headAt(lines: readonly string[], at: number): { readonly head: Head; readonly end: number } | undefined {
  const first = readHeadLine(lines[at] ?? '');
  if (first === undefined || (first.kind !== 'from' && first.kind !== 'subject' && first.kind !== 'date'))
    return undefined;
  const found: Partial<Record<string, string>> = { [first.kind]: first.value };
  let end = at + 1;
  for (let next = at + 1; next < Math.min(lines.length, at + 10); next++) {
    const line = lines[next] ?? '';
    const read = readHeadLine(line);
    if (read && found[read.kind] === undefined) {
      found[read.kind] = read.value;
      end = next + 1;
    } else if (isBlank(line)) {
      if (Object.keys(found).length >= 3) break;
    } else if (read === undefined && Object.keys(found).length >= 3) break;
    else if (read === undefined && !/^\s/.test(line) && Object.keys(found).length < 2) return undefined;
  }
  if (found['from'] === undefined || Object.keys(found).length < 3) return undefined;
  return { head: { from: found['from'], date: found['date'] ?? '', subject: found['subject'] ?? '' }, end };
}

function forwardAt(
  lines: readonly string[],
  isSentOn: boolean,
): { readonly mark: number; readonly head: Head; readonly body: readonly string[] } | undefined {
  const bare = lines.map(stripMark);
  for (const [at, line] of lines.entries()) {
    const isMarked = forwardMark.test(line);
    if (!isMarked && !isSentOn) continue;
    const found = headAt(bare, isMarked ? nextFilled(bare, at + 1) : at);
    if (found) return { mark: at, head: found.head, body: lines.slice(found.end) };
  }
  return undefined;
}

const stripMark = (line: string): string => line.replace(/^\s{0,3}>\s?/, '');

/** Lines without one mark of quotation, where all that are filled bear one. */
function unquoted(lines: readonly string[]): readonly string[] {
  const filled = lines.filter((line) => !isBlank(line));
  return filled.length > 0 && filled.every(isQuoted) ? lines.map(stripMark) : lines;
}

/** Takes the signature off the end: behind its dashes, or from the closing words on. */
function withoutSignature(lines: readonly string[]): { body: readonly string[]; signature: readonly string[] } {
  // The last line of dashes: a list above may have one too.
  const dashes = lines.findLastIndex((line) => /^-- ?$|^—\s*$|^__ ?$/.test(line));
  const behind = dashes < 0 ? [] : lines.slice(dashes + 1);
  const isByRule = lines[dashes] === '-- ' && behind.length <= mostSignature;
  if (dashes >= 0 && (isByRule || !behind.some((line) => /[?？]/.test(line))))
    return { body: cutEnds(lines.slice(0, dashes)).body, signature: behind };
  return cutEnds(lines);
}

function cutEnds(lines: readonly string[]): { body: readonly string[]; signature: readonly string[] } {
  const notice = lines.findIndex((line) => noticeMark.test(line.trim()));
  const upTo = notice > 0 ? lines.slice(0, notice) : lines;
  const device = upTo.findIndex((line, at) => deviceMark.test(line.trim()) && upTo.slice(at + 1).every(isShort));
  const rest = device >= 0 ? upTo.slice(0, device) : upTo;
  const closing = rest.findLastIndex((line) => closingMark.test(line.trim()));
  const end = closing < 0 ? [] : rest.slice(closing + 1).filter((line) => !isBlank(line));
  const isSignature =
    closing > 0 &&
    end.length <= mostSignature &&
    end.every(isShort) &&
    rest.slice(0, closing).some((line) => !isBlank(line));
  const body = isSignature ? rest.slice(0, closing) : rest;
  return { body, signature: lines.slice(body.length) };
}

/** A line as signatures have them: short, and no question. */
const isShort = (line: string): boolean => line.trim().length <= 90 && !/[?？]/.test(line);

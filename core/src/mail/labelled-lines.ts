import { readHeadLine } from './head-words.ts';

/** A line of a text that says what it holds: "Phone: 01632 960 653". */
export interface LabelledLine {
  readonly label: string;
  readonly value: string;
}

/** Pairs that are taken of one text. */
const mostLines = 60;

/**
 * The lines of a text that are a label, a colon and a value, as forms send them by mail; a value may stand in
 * the line below its label where that one is empty. Of a label that occurs twice the first counts. Heads of copied mails aren't
 * among them, nor are addresses of links and times of the day.
 */
export function labelledLines(text: string): LabelledLine[] {
  const lines = text.replace(/\r\n?/g, '\n').split('\n');
  const found = new Map<string, LabelledLine>();
  for (const [at, line] of lines.entries()) {
    if (found.size >= mostLines) break;
    const pair = pairOf(line, lines[at + 1]);
    if (!pair || isInHead(lines, at)) continue;
    const key = pair.label.toLowerCase();
    if (!found.has(key)) found.set(key, pair);
  }
  return [...found.values()];
}

function pairOf(line: string, next: string | undefined): LabelledLine | undefined {
  const read = /^[\s*_•–-]*([\p{L}][^:：=|\t]{0,38}?)\s*[*_]*\s*(?:[:：]|\t|\s\|\s)[*_]*\s*(.*)$/u.exec(line);
  const label = (read?.[1] ?? '').replace(/[*_]+$/, '').trim();
  if (!read || label === '' || label.split(/\s+/).length > 5 || /[.!?,;]$|@|https?$|\d$/i.test(label)) return undefined;
  const here = (read[2] ?? '').replace(/^[*_]+|[*_]+$/g, '').trim();
  if (here.startsWith('//')) return undefined;
  if (here !== '') return { label, value: here };
  const below = (next ?? '').trim();
  return below === '' || pairOf(below, undefined) ? undefined : { label, value: below };
}

/** Whether a line stands in the head of a copied mail: two such lines together. */
function isInHead(lines: readonly string[], at: number): boolean {
  const here = readHeadLine(lines[at] ?? '');
  if (!here) return false;
  const around = [lines[at - 1], lines[at + 1], lines[at - 2], lines[at + 2]];
  const kinds = new Set(around.map((line) => readHeadLine(line ?? '')?.kind).filter((kind) => kind !== undefined));
  return kinds.has('subject') || (here.kind === 'subject' && kinds.size > 0);
}

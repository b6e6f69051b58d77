import { expectCells, expectRanges } from './limits.ts';
import { openZip, type ZipPart } from './unzip.ts';

/** Work that is done at once, without a thread: it takes some tens of milliseconds. */
const lightInflated = 1024 * 1024;
const lightCells = 8000;
const lightRanges = 20_000;
const lightCsv = 256 * 1024;
const lightGrid = 60_000;

/** What a sheet's XML says of how much reading it will take. */
interface Weight {
  readonly cells: number;
  readonly ranges: number;
  /** True where something is written in a way that hides it from counting. */
  readonly isOpaque: boolean;
}

/**
 * How much work a workbook is, told by unpacking it once and without building anything: how many
 * cells, and how many more its ranges would write out.
 * @returns true for one that is read at once
 * @throws UnreadableWorkbook beyond the limits
 */
export async function isLightXlsx(bytes: Uint8Array): Promise<boolean> {
  const parts = await openZip(bytes);
  let [cells, ranges] = [0, 0];
  let isOpaque = false;
  for (const part of parts) {
    const weight = await weigh(part);
    cells += weight.cells;
    ranges += weight.ranges;
    isOpaque ||= weight.isOpaque;
    expectCells(cells);
    expectRanges(ranges);
  }
  const inflated = parts.reduce((sum, part) => sum + part.inflated, 0);
  return inflated <= lightInflated && cells <= lightCells && ranges <= lightRanges && !isOpaque;
}

/** The same of a CSV file: its bytes, and its lines times the columns of its first one. */
export function isLightCsv(bytes: Uint8Array): boolean {
  if (bytes.length > lightCsv) return false;
  const text = Buffer.from(bytes.buffer, bytes.byteOffset, bytes.byteLength).toString('latin1');
  const first = text.split(/[\r\n]/, 1)[0] ?? '';
  return (first.split(/[,;\t|]/).length + 1) * (text.split(/[\r\n]/).length + 1) <= lightGrid;
}

/** Reads a part to its end, so that one which lies about its size is met here. */
async function weigh(part: ZipPart): Promise<Weight> {
  const isXml = /\.(xml|rels|vml)$/i.test(part.name);
  let [cells, ranges] = [0, 0];
  let isOpaque = false;
  let rest = '';
  const look = (text: string): void => {
    cells += countOf(text, '<c ') + countOf(text, '<c>') + countOf(text, ':c ');
    ranges += rangesIn(text);
    isOpaque ||= text.includes('&#') || text.includes('<!');
  };
  await part.read((piece) => {
    if (!isXml) return;
    const text = rest + piece.toString('latin1');
    // A tag that the piece cuts through belongs to the next one.
    const end = text.lastIndexOf('<');
    const whole = end > 0 && text.length - end < 4096 ? text.slice(0, end) : text;
    rest = text.slice(whole.length);
    look(whole);
  });
  look(rest);
  return { cells, ranges, isOpaque };
}

function countOf(text: string, sign: string): number {
  let count = 0;
  for (let at = text.indexOf(sign); at >= 0; at = text.indexOf(sign, at + sign.length)) count += 1;
  return count;
}

/** What is written like a range and is none to be written out: where a sheet's cells are, and what is seen of it. */
const writtenOut = /<(?:\w+:)?(?:mergeCell|dataValidation|definedName|hyperlink)\b[^>]*>[^<]*/g;
const rangeSigns = /\$?([A-Z]{1,3})\$?(\d{1,7}):\$?([A-Z]{1,3})\$?(\d{1,7})/g;

/** Cells that the ranges in a text reach over. */
function rangesIn(text: string): number {
  let cells = 0;
  for (const [tag] of text.matchAll(writtenOut)) {
    for (const [, left = '', top = '', right = '', bottom = ''] of tag.matchAll(rangeSigns))
      cells += (columnNumber(right) - columnNumber(left) + 1) * (Number(bottom) - Number(top) + 1);
  }
  return cells;
}

const columnNumber = (letters: string): number =>
  [...letters].reduce((number, letter) => number * 26 + letter.charCodeAt(0) - 64, 0);

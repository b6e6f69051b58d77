import { UnreadableWorkbook } from './sheet.ts';

// How much of a workbook is read. A business's own files stay far below; a file made to harm doesn't.

const megabyte = 1024 * 1024;

/** Bytes of a file, as it lies there. */
export const mostFileBytes = 64 * megabyte;
/** Bytes of all parts of a workbook, unpacked. */
const mostInflated = 320 * megabyte;
/** How often a part may be larger than it is packed; XML of a real sheet packs ten to eighty times. */
const mostRatio = 400;
/** Parts below this may be packed as tightly as they like. */
const ratioCounts = 4 * megabyte;
/** Files within a workbook. */
const mostParts = 5000;
/** Cells with something in them, over all tabs. */
const mostCells = 3_000_000;
/** Rows times columns of one tab: each row is a record of all its columns. */
const mostGrid = 6_000_000;
/** The same where rows are read one by one, and never are in the memory all at once. */
const mostStreamed = 60_000_000;
/** Columns with a name or a value in one tab. */
const mostColumns = 2000;
const refuse = (sentence: string): never => {
  throw new UnreadableWorkbook(sentence);
};
const said = (count: number): string => count.toLocaleString('en');

/** @throws UnreadableWorkbook for a file that is larger than any that is kept by hand */
export function expectFileSize(bytes: number): void {
  if (bytes > mostFileBytes) refuse(`It is larger than ${mostFileBytes / megabyte} MB. Split it into smaller files.`);
}

/** @throws UnreadableWorkbook where the parts, unpacked, are more than any workbook holds */
export function expectPackedSizes(parts: readonly { readonly inflated: number; readonly packed: number }[]): void {
  if (parts.length > mostParts) refuse(`It consists of more than ${said(mostParts)} parts, which no workbook does.`);
  const inflated = parts.reduce((sum, part) => sum + part.inflated, 0);
  if (inflated > mostInflated)
    refuse(`It unpacks to more than ${mostInflated / megabyte} MB. Split it into smaller files.`);
  if (parts.some((part) => part.inflated > ratioCounts && part.inflated > part.packed * mostRatio))
    refuse('It is packed more tightly than any workbook, as a file made to fill the memory would be.');
}

/** @throws UnreadableWorkbook for more cells than are read */
export function expectCells(count: number): void {
  if (count > mostCells) refuse(`It has more than ${said(mostCells)} filled cells. Split it into smaller files.`);
}

/** @throws UnreadableWorkbook for a tab with more columns, or more of both, than are read */
export function expectGrid(tab: string, columns: number, rows: number, readsOneByOne = false): void {
  const most = readsOneByOne ? mostStreamed : mostGrid;
  if (columns > mostColumns) refuse(`“${tab}” has ${said(columns)} columns; up to ${said(mostColumns)} are read.`);
  if (columns * rows > most)
    refuse(
      `“${tab}” has ${said(rows)} rows of ${said(columns)} columns, more than ${said(most)} cells. Split it into smaller files.`,
    );
}

import { Package } from './xlsx/package.ts';

/** Work that is done at once, without a thread: it takes some tens of milliseconds. */
const lightInflated = 1024 * 1024;
const lightCsv = 256 * 1024;
const lightGrid = 60_000;

/**
 * Whether a workbook is read at once, told by what its parts say they unpack to; reading gives no more
 * than that.
 * @throws UnreadableWorkbook beyond the limits
 */
export function isLightPackage(bytes: Uint8Array): boolean {
  return Package.open(bytes).parts.reduce((sum, { inflated }) => sum + inflated, 0) <= lightInflated;
}

/** The same of a CSV file: its bytes, and its lines times the columns of its first one. */
export function isLightCsv(bytes: Uint8Array): boolean {
  if (bytes.length > lightCsv) return false;
  const text = Buffer.from(bytes.buffer, bytes.byteOffset, bytes.byteLength).toString('latin1');
  const first = text.split(/[\r\n]/, 1)[0] ?? '';
  return (first.split(/[,;\t|]/).length + 1) * (text.split(/[\r\n]/).length + 1) <= lightGrid;
}

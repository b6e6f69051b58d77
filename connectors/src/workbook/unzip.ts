import { type Entry, fromBuffer, type ZipFile } from 'yauzl';
import { expectFileSize, expectPackedSizes } from './limits.ts';
import { UnreadableWorkbook } from './sheet.ts';

/** One file within a package (Office Open XML, ISO/IEC 29500-2). */
export interface ZipPart {
  readonly name: string;
  /** Bytes unpacked, as the package says; reading gives no more than these. */
  readonly inflated: number;
  readonly packed: number;
  /** Calls back with the content, piece by piece. @throws UnreadableWorkbook when it is damaged */
  read(heard: (piece: Buffer) => void): Promise<void>;
}

const damaged = (cause?: unknown): UnreadableWorkbook =>
  new UnreadableWorkbook('This is not an .xlsx workbook, or it is damaged.', { cause });

/**
 * The parts of a package, within the limits; every way into a workbook leads through here. A part
 * that holds more than the package says ends with an error when it is read.
 * @throws UnreadableWorkbook
 */
export async function openZip(bytes: Uint8Array): Promise<ZipPart[]> {
  expectFileSize(bytes.length);
  const zip = await opened(Buffer.from(bytes.buffer, bytes.byteOffset, bytes.byteLength));
  const parts = (await entriesOf(zip)).map(
    (entry): ZipPart => ({
      name: entry.fileName,
      inflated: entry.uncompressedSize,
      packed: entry.compressedSize,
      read: (heard) => readEntry(zip, entry, heard),
    }),
  );
  expectPackedSizes(parts);
  return parts;
}

function opened(buffer: Buffer): Promise<ZipFile> {
  return new Promise((resolve, reject) =>
    fromBuffer(buffer, { lazyEntries: true, validateEntrySizes: true }, (error, zip) =>
      error ? reject(damaged(error)) : resolve(zip),
    ),
  );
}

function entriesOf(zip: ZipFile): Promise<Entry[]> {
  return new Promise((resolve, reject) => {
    const entries: Entry[] = [];
    zip.on('entry', (entry: Entry) => {
      if (!entry.fileName.endsWith('/')) entries.push(entry);
      zip.readEntry();
    });
    zip.on('end', () => resolve(entries));
    zip.on('error', (error) => reject(damaged(error)));
    zip.readEntry();
  });
}

function readEntry(zip: ZipFile, entry: Entry, heard: (piece: Buffer) => void): Promise<void> {
  return new Promise((resolve, reject) =>
    zip.openReadStream(entry, (error, stream) => {
      if (error) return reject(damaged(error));
      stream.on('data', heard);
      stream.on('end', () => resolve());
      stream.on('error', (cause) => reject(damaged(cause)));
    }),
  );
}

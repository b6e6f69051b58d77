import { promisify } from 'node:util';
import { crc32, deflateRaw, deflateRawSync, inflateRaw, inflateRawSync } from 'node:zlib';
import { expectFileSize, expectPackedSizes } from '../limits.ts';
import { UnreadableWorkbook } from '../sheet.ts';

/** One part of a package, as its directory says. */
export interface Part {
  readonly name: string;
  /** 0 stored, 8 deflated (APPNOTE 4.4.5). */
  readonly method: number;
  readonly crc: number;
  readonly packed: number;
  /** Bytes unpacked, as the package says; reading gives no more than these. */
  readonly inflated: number;
  /** Its record in the directory, and where its packed bytes lie. */
  readonly record: Buffer;
  readonly from: number;
}

const damaged = (cause?: unknown): UnreadableWorkbook =>
  new UnreadableWorkbook('This is not an .xlsx workbook, or it is damaged.', { cause });

// Signatures and places in the records (APPNOTE.TXT 6.3.10, sections 4.3.7, 4.3.12, 4.3.16).
const [localSign, directorySign, endSign] = [0x04034b50, 0x02014b50, 0x06054b50];
const [localSize, directorySize, endSize] = [30, 46, 22];
/** The longest remark that may follow the end of the directory. */
const mostRemark = 0xffff;
/** What stands elsewhere (Zip64, 4.3.14 and 4.5.3): some programs write so whatever the size. */
const [elsewhere, elsewhereCount, zip64Field] = [0xffffffff, 0xffff, 1];
const [zip64LocatorSign, zip64EndSign, zip64LocatorSize] = [0x07064b50, 0x06064b50, 20];
const isEncrypted = (flags: number): boolean => (flags & 1) !== 0;
/** Bits that say how a part was written and no longer hold when its header is written anew: sizes behind the data. */
const sizesBehind = 8;

/** The name by which a part is found: without a leading slash, letters of either case (ISO/IEC 29500-2, 9.1.1). */
export const partKey = (name: string): string => name.replaceAll('\\', '/').replace(/^\/+/, '').toLowerCase();

/**
 * A package of parts (Office Open XML, ISO/IEC 29500-2: a ZIP file), of which parts are read one by one
 * and replaced; what isn't replaced is copied as it lies there, without being unpacked.
 */
export class Package {
  private readonly byKey: ReadonlyMap<string, Part>;

  private constructor(
    private readonly bytes: Buffer,
    readonly parts: readonly Part[],
  ) {
    const byKey = new Map<string, Part>();
    for (const part of parts) {
      if (byKey.has(partKey(part.name))) throw damaged(`two parts are called ${part.name}`);
      byKey.set(partKey(part.name), part);
    }
    this.byKey = byKey;
  }

  /** @throws UnreadableWorkbook when the bytes are no package, or it holds more than is read */
  static open(given: Uint8Array): Package {
    expectFileSize(given.length);
    const bytes = Buffer.from(given.buffer, given.byteOffset, given.byteLength);
    expectXlsx(bytes);
    try {
      const parts = directoryOf(bytes);
      expectPackedSizes(parts);
      return new Package(bytes, parts);
    } catch (error) {
      throw error instanceof UnreadableWorkbook ? error : damaged(error);
    }
  }

  has(name: string): boolean {
    return this.byKey.has(partKey(name));
  }

  /** The content of a part. @throws UnreadableWorkbook when it is missing, damaged, or more than it says */
  async read(name: string): Promise<Buffer> {
    const part = this.byKey.get(partKey(name));
    if (!part) throw damaged(`${name} is missing`);
    const packed = this.bytes.subarray(part.from, part.from + part.packed);
    const content = part.method === 0 ? packed : await inflated(packed, part.inflated);
    if (content.length !== part.inflated || crc32(content) !== part.crc) throw damaged(`${name} isn’t as it says`);
    return content;
  }

  /**
   * The package with these parts replaced or, where there is none of the name, added behind the others.
   *
   * @param without - parts that are left out
   */
  async with(contents: ReadonlyMap<string, Buffer>, without: readonly string[] = []): Promise<Buffer> {
    const pieces: Buffer[] = [];
    const directory: Buffer[] = [];
    let at = 0;
    const put = (record: Buffer, name: Buffer, data: Buffer): void => {
      record.writeUInt32LE(at, 42);
      const header = localHeader(record, name);
      pieces.push(header, data);
      directory.push(record);
      at += header.length + data.length;
    };
    const left = new Map([...contents].map(([name, content]) => [partKey(name), { name, content }]));
    const out = new Set(without.map(partKey));
    for (const part of this.parts) {
      if (out.has(partKey(part.name))) continue;
      const record = Buffer.from(part.record);
      record.writeUInt16LE(record.readUInt16LE(8) & ~sizesBehind, 8);
      const name = record.subarray(directorySize, directorySize + record.readUInt16LE(28));
      const changed = left.get(partKey(part.name));
      left.delete(partKey(part.name));
      if (!changed) put(record, name, this.bytes.subarray(part.from, part.from + part.packed));
      else put(record, name, await packedInto(record, changed.content));
    }
    for (const { name, content } of left.values()) {
      const bytes = Buffer.from(name);
      const record = newRecord(bytes);
      put(record, bytes, await packedInto(record, content));
    }
    const size = directory.reduce((sum, { length }) => sum + length, 0);
    return Buffer.concat([...pieces, ...directory, endOf(directory.length, size, at)]);
  }
}

/** What is another program's file, told by how it begins. */
function expectXlsx(bytes: Buffer): void {
  // Compound files ([MS-CFB] 2.2): old .xls workbooks, and any that is encrypted with a password.
  if (bytes.length >= 8 && bytes.readUInt32BE(0) === 0xd0cf11e0)
    throw new UnreadableWorkbook(
      bytes.includes(Buffer.from('EncryptedPackage', 'utf16le'))
        ? 'It is protected by a password. Save it without one to use it here.'
        : 'It is in the old .xls format. Save it as .xlsx to use it here.',
    );
}

function directoryOf(bytes: Buffer): Part[] {
  const { count, from } = directoryAt(bytes);
  let at = from;
  const parts: Part[] = [];
  for (let one = 0; one < count; one++) {
    if (bytes.readUInt32LE(at) !== directorySign) throw damaged('its directory is broken off');
    const size =
      directorySize + bytes.readUInt16LE(at + 28) + bytes.readUInt16LE(at + 30) + bytes.readUInt16LE(at + 32);
    const part = partAt(bytes, inPlace(bytes.subarray(at, at + size)));
    if (!part.name.endsWith('/')) parts.push(part);
    at += size;
  }
  return parts;
}

/** How many parts the directory lists, and where it begins. */
function directoryAt(bytes: Buffer): { readonly count: number; readonly from: number } {
  const end = endAt(bytes);
  const [count, from] = [bytes.readUInt16LE(end + 10), bytes.readUInt32LE(end + 16)];
  if (count !== elsewhereCount && from !== elsewhere) return { count, from };
  const locator = end - zip64LocatorSize;
  if (bytes.readUInt32LE(locator) !== zip64LocatorSign) return { count, from };
  const end64 = Number(bytes.readBigUInt64LE(locator + 8));
  if (bytes.readUInt32LE(end64) !== zip64EndSign) throw damaged('the end of its directory isn’t where it should be');
  return { count: Number(bytes.readBigUInt64LE(end64 + 32)), from: Number(bytes.readBigUInt64LE(end64 + 48)) };
}

/** A record of the directory with its sizes and place in it, where they stood in a field behind it. */
function inPlace(record: Buffer): Buffer {
  const nameSize = record.readUInt16LE(28);
  const extraSize = record.readUInt16LE(30);
  const places = [24, 20, 42].filter((at) => record.readUInt32LE(at) === elsewhere);
  if (places.length === 0) return record;
  const extraFrom = directorySize + nameSize;
  for (let at = extraFrom; at + 4 <= extraFrom + extraSize; ) {
    const size = 4 + record.readUInt16LE(at + 2);
    if (record.readUInt16LE(at) !== zip64Field) {
      at += size;
      continue;
    }
    const made = Buffer.concat([record.subarray(0, at), record.subarray(at + size)]);
    made.writeUInt16LE(extraSize - size, 30);
    for (const [index, place] of places.entries())
      made.writeUInt32LE(Number(record.readBigUInt64LE(at + 4 + 8 * index)), place);
    return made;
  }
  return record;
}

/** Where the directory's end stands: at the file's, but for a remark. */
function endAt(bytes: Buffer): number {
  for (let at = bytes.length - endSize; at >= Math.max(0, bytes.length - endSize - mostRemark); at--)
    if (bytes.readUInt32LE(at) === endSign) return at;
  throw damaged('it has no directory');
}

function partAt(bytes: Buffer, record: Buffer): Part {
  const name = record.toString('utf8', directorySize, directorySize + record.readUInt16LE(28));
  const [packed, size, local] = [record.readUInt32LE(20), record.readUInt32LE(24), record.readUInt32LE(42)];
  const method = record.readUInt16LE(10);
  if (isEncrypted(record.readUInt16LE(8)))
    throw new UnreadableWorkbook('It is protected by a password. Save it without one to use it here.');
  if ((method !== 0 && method !== 8) || [packed, size, local].includes(elsewhere))
    throw damaged(`${name} can’t be unpacked`);
  if (bytes.readUInt32LE(local) !== localSign) throw damaged(`${name} isn’t where it should be`);
  const from = local + localSize + bytes.readUInt16LE(local + 26) + bytes.readUInt16LE(local + 28);
  if (from + packed > bytes.length) throw damaged(`${name} is broken off`);
  return { name, method, crc: record.readUInt32LE(16), packed, inflated: size, record, from };
}

/**
 * Parts up to this many bytes are packed and unpacked where they stand: that takes less than a millisecond,
 * a fifth of what handing them to another thread costs, and far less where the processors are busy.
 */
const smallPart = 64 * 1024;

async function inflated(packed: Buffer, size: number): Promise<Buffer> {
  const limits = { maxOutputLength: Math.max(1, size) };
  try {
    return size <= smallPart ? inflateRawSync(packed, limits) : await promisify(inflateRaw)(packed, limits);
  } catch (error) {
    throw damaged(error);
  }
}

/** A content packed, and its record brought up to it. */
async function packedInto(record: Buffer, content: Buffer): Promise<Buffer> {
  const packed = content.length <= smallPart ? deflateRawSync(content) : await promisify(deflateRaw)(content);
  record.writeUInt16LE(8, 10);
  record.writeUInt32LE(crc32(content), 16);
  record.writeUInt32LE(packed.length, 20);
  record.writeUInt32LE(content.length, 24);
  return packed;
}

/** The header before a part's bytes, as its record in the directory says. */
function localHeader(record: Buffer, name: Buffer): Buffer {
  const header = Buffer.alloc(localSize);
  header.writeUInt32LE(localSign, 0);
  // Version, flags, method, time, date, check sum and both sizes stand in the same order in both.
  record.copy(header, 4, 6, 28);
  header.writeUInt16LE(name.length, 26);
  return Buffer.concat([header, name]);
}

/** The record of a new part: its name in UTF-8 (flag bit 11), the first of January 1980. */
function newRecord(name: Buffer): Buffer {
  const record = Buffer.alloc(directorySize + name.length);
  record.writeUInt32LE(directorySign, 0);
  record.writeUInt16LE(20, 4);
  record.writeUInt16LE(20, 6);
  record.writeUInt16LE(0x0800, 8);
  record.writeUInt16LE(0x0021, 14);
  record.writeUInt16LE(name.length, 28);
  name.copy(record, directorySize);
  return record;
}

function endOf(count: number, size: number, from: number): Buffer {
  const end = Buffer.alloc(endSize);
  end.writeUInt32LE(endSign, 0);
  end.writeUInt16LE(count, 8);
  end.writeUInt16LE(count, 10);
  end.writeUInt32LE(size, 12);
  end.writeUInt32LE(from, 16);
  return end;
}

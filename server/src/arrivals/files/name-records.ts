import { canonicalText, type JsonRecord, readPointer, toText } from '@golden/core';
import { hashOf } from '../byte-store.ts';
import type { FileRecord } from './file-record.ts';
import type { Recognise } from './setting.ts';

/** A record of a file with what recognises it. */
export interface NamedRecord extends FileRecord {
  /** What a later file's record must have to be this one; null where nothing recognises it. */
  readonly recognised: string | null;
  /** What a person reads where it is named. */
  readonly title: string;
  /** The digest of what it holds, whatever the order of its fields. */
  readonly hash: string;
  /** True where the same record, with the same content, stands in the file before. */
  readonly isTwice: boolean;
  /** True where another record before it has the same key, and differs. */
  readonly isSharing?: boolean;
}

/**
 * Names the records of a file, one after the other, so that each is found again in a later file: never by its
 * row's number, which moves when a row above is taken out. Two records that share a key and differ are both
 * kept; one without a key is known by what it holds.
 *
 * @param series - what the states of this file share
 */
export function* nameRecords(
  records: Iterable<FileRecord>,
  recognise: Recognise,
  series: string,
): Generator<NamedRecord> {
  const namer = new RecordNamer(recognise);
  for (const { at, record } of records) yield { at, record, ...namer.name(record, series) };
}

/** Gives records their names in the order in which they stand. */
export class RecordNamer {
  /** By a key the contents that have had it, and by content how often it has come. */
  private readonly byKey = new Map<string, string[]>();
  private readonly times = new Map<string, number>();

  constructor(private readonly recognise: Recognise) {}

  name(record: JsonRecord, series: string): Omit<NamedRecord, 'at' | 'record'> {
    const hash = contentHash(record);
    if (this.recognise.kind === 'nothing') return { recognised: null, title: '', hash, isTwice: false };
    const key = this.recognise.kind === 'field' ? toText(readPointer(record, this.recognise.path)).trim() : '';
    if (key === '') {
      const content = `content ${series} ${hash}`;
      const times = (this.times.get(content) ?? 0) + 1;
      this.times.set(content, times);
      const title = `${series} ${hash.slice(0, 12)}${times === 1 ? '' : ` (${times})`}`;
      return { recognised: `${content} ${times}`, title, hash, isTwice: false };
    }
    const folded = key.normalize('NFC').toLowerCase();
    const before = this.byKey.get(folded) ?? [];
    if (before.includes(hash)) return { recognised: `key ${folded}`, title: key, hash, isTwice: true };
    this.byKey.set(folded, [...before, hash]);
    const number = before.length + 1;
    const title = number === 1 ? key : `${key} (${number})`;
    const recognised = number === 1 ? `key ${folded}` : `key ${folded} (${number})`;
    return { recognised, title, hash, isTwice: false, isSharing: number > 1 };
  }
}

/** The digest of what a record holds; a field that is empty counts as one that isn't there. */
export const contentHash = (record: JsonRecord): string => hashOf(canonicalText(withoutEmpties(record)));

const withoutEmpties = (record: JsonRecord): JsonRecord =>
  Object.fromEntries(Object.entries(record).filter(([, value]) => value !== null && value !== ''));

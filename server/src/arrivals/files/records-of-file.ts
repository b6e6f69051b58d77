import { openBook, UnreadableWorkbook } from '@golden/connectors';
import { type Field, fieldsOfExample, formatPointer } from '@golden/core';
import { NotPossible } from '../../engine/errors.ts';
import { joinFields } from '../arrivals.ts';
import { readBody } from '../read-body.ts';
import { readCalendar } from './calendar.ts';
import { readCards } from './cards.ts';
import type { FileRecord } from './file-record.ts';
import { readJsonList } from './json-list.ts';

/** What a file holds as records. */
export interface FileRecords {
  /** What one of them is called, and several: "row" and "rows". */
  readonly singular: string;
  readonly plural: string;
  readonly fields: readonly Field[];
  /** The names of a table's columns; absent where its records need not all have the same fields. */
  readonly columns?: readonly string[];
  readonly count: number;
  readonly records: Iterable<FileRecord>;
}

/** Megabytes that are read at once, on the thread that serves everybody; tables have one of their own. */
const [mostJson, mostOther] = [32, 8];

/** So many records show which fields a file without columns has. */
const lookedAt = 1000;

/**
 * Reads a file as records by the ending of its name: rows of a table (CSV, XLSX, ODS), a list in JSON or
 * JSON Lines, an XML document such as an UBL invoice, contacts (vCard, RFC 6350), events of a calendar
 * (iCalendar, RFC 5545).
 *
 * @param zone - the IANA zone of times that name none
 * @throws NotPossible with a sentence when it is none of these, broken, or empty
 */
export async function recordsOfFile(name: string, bytes: Uint8Array, zone: string): Promise<FileRecords> {
  if (bytes.length === 0) throw new NotPossible(`“${name}” is empty.`);
  const ending = /\.([a-z]+)$/i.exec(name)?.[1]?.toLowerCase() ?? '';
  if (['csv', 'xlsx', 'xlsm', 'ods'].includes(ending)) return rowsOfTable(name, bytes);
  const most = ['json', 'jsonl', 'ndjson'].includes(ending) ? mostJson : mostOther;
  if (bytes.length > most * 1024 * 1024)
    throw new NotPossible(`“${name}” is larger than ${most} MB. Split it into smaller files.`);
  const said = (read: () => readonly FileRecord[], singular: string, plural: string): FileRecords => {
    const records = read();
    if (records.length === 0) throw new NotPossible(`“${name}” holds no ${plural}.`);
    return { singular, plural, fields: fieldsShown(records), count: records.length, records };
  };
  if (['json', 'jsonl', 'ndjson'].includes(ending)) {
    const text = textOf(name, bytes);
    return said(() => readJsonList(name, text, ending !== 'json'), 'record', 'records');
  }
  if (ending === 'vcf') return said(() => readCards(name, textOf(name, bytes)), 'contact', 'contacts');
  if (ending === 'ics')
    return said(() => readCalendar(name, textOf(name, bytes), zone), 'calendar entry', 'calendar entries');
  if (ending === 'xml') {
    const reading = await readBody('application/xml', bytes);
    if (!reading.ok) throw new NotPossible(`“${name}” can’t be read. ${reading.message}`);
    return said(() => [{ at: 'the document', record: reading.record }], 'document', 'documents');
  }
  throw new NotPossible(
    `“${name}” is of no kind that can be read. Use a table (CSV, XLSX, ODS), JSON, XML, a vCard or an iCalendar file.`,
  );
}

async function rowsOfTable(name: string, bytes: Uint8Array): Promise<FileRecords> {
  const book = await openBook(name, bytes).catch((error: unknown) => {
    throw error instanceof UnreadableWorkbook ? new NotPossible(`“${name}” can’t be read. ${error.message}`) : error;
  });
  const sheet = book.sheets.find((one) => one.rows.length > 0);
  if (!sheet) throw new NotPossible(`“${name}” has no rows below its first one, which names the columns.`);
  const { rows, columns } = sheet;
  return {
    singular: 'row',
    plural: 'rows',
    fields: columns.map((column) => ({ path: formatPointer([column.name]), label: column.name, type: column.type })),
    columns: columns.map((column) => column.name),
    count: rows.length,
    records: {
      *[Symbol.iterator]() {
        for (const { number, record } of rows) yield { at: `row ${number}`, record };
      },
    },
  };
}

/** The fields that records show who need not all have the same. */
const fieldsShown = (records: readonly FileRecord[]): Field[] =>
  records.slice(0, lookedAt).reduce<Field[]>((known, { record }) => joinFields(known, fieldsOfExample(record)), []);

/** The text of a file (UTF-8, or UTF-16 with its mark). */
function textOf(name: string, bytes: Uint8Array): string {
  const isUtf16 = bytes[0] === 0xff && bytes[1] === 0xfe;
  try {
    return new TextDecoder(isUtf16 ? 'utf-16le' : 'utf-8', { fatal: true }).decode(bytes);
  } catch {
    throw new NotPossible(`“${name}” isn’t written in UTF-8. Save it as UTF-8 and drop it again.`);
  }
}

import { conceptOf, type Field, isRecord, type JsonRecord, nameWords, type Value, writePointer } from '@golden/core';
import Papa from 'papaparse';

/** Records read from what a person gave, or the sentence why they can't be. */
export type OwnRecords =
  | { readonly ok: true; readonly records: readonly JsonRecord[]; readonly note?: string }
  | { readonly ok: false; readonly message: string };

const unread = (message: string): OwnRecords => ({ ok: false, message });

/** Reads a pasted record or list of records. */
export function readPasted(text: string): OwnRecords {
  let value: Value;
  try {
    value = JSON.parse(text) as Value;
  } catch (error) {
    return unread(`This is not valid JSON: ${(error as Error).message}.`);
  }
  const records = Array.isArray(value) ? value : [value];
  if (records.length === 0) return unread('The list is empty.');
  const at = records.findIndex((one) => !isRecord(one));
  if (at >= 0) return unread(`Entry ${at + 1} is not a record with named fields, such as {"name": "Tamsin"}.`);
  return { ok: true, records: records as JsonRecord[] };
}

/**
 * Reads past records from a CSV file. Columns are put where the source has a field of that name;
 * those it hasn't stand under their own.
 */
export function readList(bytes: Uint8Array, fields: readonly Field[]): OwnRecords {
  const text = decode(bytes);
  if (text === undefined) return unread('It is not a text file. Is it really a CSV file?');
  const parsed = Papa.parse<Record<string, string>>(text, { header: true, skipEmptyLines: 'greedy' });
  const columns = (parsed.meta.fields ?? []).filter((name) => name.trim() !== '');
  if (columns.length === 0) return unread('Its first row has no column names.');
  if (parsed.data.length === 0) return unread('There are no rows below the first one.');
  const paths = new Map(columns.map((column) => [column, pathFor(column, fields)]));
  const strange = columns.filter((column) => !fields.some((field) => field.path === paths.get(column)));
  const records = parsed.data.map((row) =>
    columns.reduce<JsonRecord>((record, column) => {
      const value = row[column];
      return value === undefined || value === '' ? record : writePointer(record, paths.get(column) ?? '', value);
    }, {}),
  );
  const note = strange.length > 0 ? `Not in the source, kept as they are: ${strange.join(', ')}.` : undefined;
  return { ok: true, records, ...(note && { note }) };
}

function pathFor(column: string, fields: readonly Field[]): string {
  const wanted = nameWords(column).join(' ');
  const same = fields.find((field) => nameWords(field.label).join(' ') === wanted || field.path === `/${column}`);
  const concept = conceptOf(column);
  const alike = concept ? fields.find((field) => conceptOf(field.label) === concept) : undefined;
  return (same ?? alike)?.path ?? `/${column.replaceAll('~', '~0').replaceAll('/', '~1')}`;
}

function decode(bytes: Uint8Array): string | undefined {
  const [first, second] = bytes;
  if (first === 0xff && second === 0xfe) return new TextDecoder('utf-16le').decode(bytes);
  if (first === 0xfe && second === 0xff) return new TextDecoder('utf-16be').decode(bytes);
  try {
    return new TextDecoder('utf-8', { fatal: true }).decode(bytes);
  } catch {
    return bytes.includes(0) ? undefined : new TextDecoder('windows-1252').decode(bytes);
  }
}

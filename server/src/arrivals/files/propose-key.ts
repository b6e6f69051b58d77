import { type JsonRecord, nameWords, profileFields, readPointer, toText } from '@golden/core';
import type { FileRecords } from './records-of-file.ts';

/** Words that a column has which numbers its records. An e-mail address may be that of two orders. */
const numbering: ReadonlySet<string> = new Set(['id', 'uid', 'no', 'nr', 'number', 'ref', 'reference', 'code', 'sku']);

/** Numbers of somebody or something else, which two records may share though one file doesn't show it. */
const othersNumber =
  /\b(phone|telephone|tel|mobile|fax|house|vat|tax|bank|account|card|post|postal|zip|country|currency|customer|client|supplier|company|voucher|discount)\b/i;

/** Files of more records are left to a person. */
const mostLookedAt = 200_000;

/**
 * The field that numbers the records of a file: called so, filled and different in each of them. A wrong one
 * would make two records one, so nothing else is proposed.
 */
export function proposeKey({ records, fields, count }: FileRecords): string | undefined {
  const named = fields.filter(
    ({ label }) => nameWords(label).some((word) => numbering.has(word)) && !othersNumber.test(label),
  );
  if (named.length === 0 || count < 2 || count > mostLookedAt) return undefined;
  const all = [...records].map(({ record }) => record);
  const [best] = profileFields(all, named)
    .filter(({ filled, distinct }) => filled === 1 && distinct === 1)
    .map(({ field }) => field.path)
    .filter((path) => !countsRows(all, path))
    // The first column numbers the records more often than the last (common practice).
    .sort((one, other) => place(one, fields) - place(other, fields));
  return best;
}

/** Whether a column only numbers the rows of its file: 1, 2, 3 … Another file begins anew. */
const countsRows = (records: readonly JsonRecord[], path: string): boolean =>
  records.every((record, at) => Number(toText(readPointer(record, path))) === at + 1);

const place = (path: string, fields: FileRecords['fields']): number => fields.findIndex((field) => field.path === path);

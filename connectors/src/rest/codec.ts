import {
  currencyFor,
  type Field,
  fromMinor,
  isRecord,
  type JsonRecord,
  nest,
  type Pointer,
  readPointer,
  toMinor,
  toText,
  type Value,
  writePointer,
} from '@golden/core';
import { Refused } from '../errors.ts';

/** The money fields of a record type that travel in minor units: their paths, those of list items after the list's. */
export interface MinorUnits {
  readonly paths: ReadonlySet<Pointer>;
}

/** A record as we know it: amounts in minor units become decimal text. */
export function decodeRecord(record: JsonRecord, fields: readonly Field[], minor: MinorUnits): JsonRecord {
  if (minor.paths.size === 0) return record;
  return eachField(record, fields, '', (value, field, path) => {
    // What is no whole number was never counted in minor units; it stays what the app sent.
    const isMinor = minor.paths.has(path) && /^-?\d{1,20}$/.test(toText(value));
    return isMinor ? fromMinor(toText(value), currencyFor(field, record)) : value;
  });
}

/** A record with each described value changed, those of list items too; `path` is after the list's for these. */
function eachField(
  part: JsonRecord,
  fields: readonly Field[],
  above: Pointer,
  change: (value: Value, field: Field, path: Pointer) => Value,
): JsonRecord {
  let made = part;
  for (const field of fields) {
    const value = readPointer(part, field.path);
    if (value === undefined || value === null) continue;
    const path = `${above}${field.path}`;
    const inner = field.fields;
    const changed =
      inner && Array.isArray(value)
        ? value.map((item) => (isRecord(item) ? eachField(item, inner, path, change) : item))
        : change(value, field, path);
    if (changed !== value) made = writePointer(made, field.path, changed);
  }
  return made;
}

/**
 * Values as the app takes them: numbers as JSON numbers, amounts as it counts them, lists item by item.
 * @throws Refused when an amount has more decimals than its currency
 */
export function encodeValues(
  values: Readonly<Record<Pointer, Value>>,
  fields: readonly Field[],
  minor: MinorUnits,
  before: JsonRecord | undefined,
): JsonRecord {
  const given = nest(values);
  // A change may name an amount and not its currency: that is the one the record has already.
  const whole = { ...(before ?? {}), ...given } as JsonRecord;
  return eachField(given, fields, '', (value, field, path) => encodeOne(value, field, whole, minor.paths.has(path)));
}

/** A whole record as the app takes it: what `decodeRecord` made of it, back again. */
export function encodeRecord(record: JsonRecord, fields: readonly Field[], minor: MinorUnits): JsonRecord {
  return eachField(record, fields, '', (value, field, path) => encodeOne(value, field, record, minor.paths.has(path)));
}

function encodeOne(value: Value, field: Field, whole: JsonRecord, isMinor: boolean): Value {
  if (field.type === 'integer' || field.type === 'decimal') return asNumber(value, field);
  // An id of another record travels as the number it is.
  if (field.type === 'id') return typeof value === 'string' && /^\d{1,15}$/.test(value) ? Number(value) : value;
  if (field.type !== 'money') return value;
  const currency = currencyFor(field, whole);
  const amount = toText(value);
  if (!isMinor) return asWritten(amount);
  try {
    return toMinor(amount, currency || 'EUR');
  } catch (error) {
    throw new Refused(`${field.label}: ${(error as Error).message}`, [
      { path: field.path, label: field.label, message: (error as Error).message },
    ]);
  }
}

/** A number as JSON has it; what isn't one would travel as nothing. @throws Refused */
function asNumber(value: Value, field: Field): Value {
  const number = typeof value === 'string' ? Number(value) : value;
  if (typeof number !== 'number' || Number.isFinite(number)) return number;
  const message = 'The app can’t take this number.';
  throw new Refused(`${field.label}: ${message}`, [{ path: field.path, label: field.label, message }]);
}

/** Amounts as decimal text have two decimals at least. */
function asWritten(amount: string): string {
  const [, whole, part = ''] = /^(-?\d+)(?:\.(\d*))?$/.exec(amount) ?? [];
  return whole === undefined ? amount : `${whole}.${part.padEnd(2, '0')}`;
}

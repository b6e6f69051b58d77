import Decimal from 'decimal.js';
import { type DayMonthOrder, readDate, readInstant, usualOrder } from './dates.ts';
import type { Field, FieldType } from './field.ts';
import { readPhone } from './phone.ts';
import { foldCase, textLength } from './text.ts';
import { isEmpty, isRecord, toText, type Value } from './value.ts';

/** How this workspace reads what isn't said: zone (IANA) and country (ISO 3166-1 alpha-2). */
export interface Locale {
  readonly zone: string;
  readonly country: string;
}

/** A value that fits its field, or the sentence why it doesn't. `note` says what was done to it. */
export type Coerced =
  | { readonly ok: true; readonly value: Value; readonly note?: string }
  | { readonly ok: false; readonly message: string };

const emailShape = /^[^\s@<>,;"]+@[^\s@<>,;"]+\.[^\s@<>,;".]+$/;
const yes = new Set(['true', 'yes', 'y', '1', 'on']);
const no = new Set(['false', 'no', 'n', '0', 'off']);

const fits = (value: Value, note?: string): Coerced => (note ? { ok: true, value, note } : { ok: true, value });
const unfit = (message: string): Coerced => ({ ok: false, message });

/**
 * Makes a value fit a field, or says why it can't. Empty fits every field that isn't required and
 * stays null. Nothing is cut, rounded or guessed silently.
 */
export function coerce(value: Value | undefined, field: Field, locale: Locale): Coerced {
  if (isEmpty(value)) return field.required ? unfit('Required, and empty here.') : fits(null);
  const given = value as Value;
  const result = coerceTo(given, field, locale);
  if (result.ok && field.maxLength && typeof result.value === 'string') {
    const length = textLength(result.value);
    if (length > field.maxLength) return unfit(`${length} characters, and at most ${field.maxLength} fit.`);
  }
  return result;
}

function coerceTo(value: Value, field: Field, locale: Locale): Coerced {
  switch (field.type) {
    case 'any':
      return isRecord(value) || Array.isArray(value) ? fits(toText(value), 'several values as one text') : fits(value);
    case 'text':
    case 'id':
      if (isRecord(value)) return unfit('A whole record can’t go into a text. Choose one of its fields.');
      return typeof value === 'string' ? fits(value) : fits(toText(value));
    case 'integer':
    case 'decimal':
      return coerceNumber(value, field.type);
    case 'boolean':
      return coerceBoolean(value);
    case 'date':
      return coerceDate(value, locale, usualOrder(locale.country));
    case 'instant': {
      const instant = readInstant(toText(value), locale.zone);
      return instant ? fits(instant) : unfit(`“${toText(value)}” can’t be read as a date and time.`);
    }
    case 'choice':
      return coerceChoice(value, field);
    case 'email': {
      const text = toText(value).trim();
      return emailShape.test(text) ? fits(text) : unfit(`“${text}” is no e-mail address.`);
    }
    case 'phone': {
      // Apps keep phones as people typed them; only the tidy turns them into E.164.
      const text = toText(value).trim();
      return readPhone(text, locale.country) ? fits(text) : unfit(`“${text}” is no telephone number.`);
    }
    case 'url': {
      const text = toText(value).trim();
      return /^https?:\/\/\S+$/i.test(text) ? fits(text) : unfit(`“${text}” is no web address.`);
    }
    case 'country': {
      const text = toText(value).trim();
      return /^[a-z]{2}$/i.test(text) ? fits(text.toUpperCase()) : unfit(`“${text}” is no two-letter country code.`);
    }
    case 'record':
      return isRecord(value) ? fits(value) : unfit('A record is needed here.');
    case 'list':
      return Array.isArray(value) ? fits(value) : fits([value], 'one value as a list of one');
  }
}

function coerceNumber(value: Value, type: 'integer' | 'decimal'): Coerced {
  const text = toText(value).trim();
  if (!/^[+-]?(\d+\.?\d*|\.\d+)(e[+-]?\d+)?$/i.test(text)) {
    return unfit(`“${text}” can’t be read as a number.`);
  }
  const number = new Decimal(text);
  if (type === 'integer' && !number.isInteger()) return unfit(`“${text}” is not a whole number.`);
  return fits(number.toFixed());
}

function coerceBoolean(value: Value): Coerced {
  if (typeof value === 'boolean') return fits(value);
  const text = toText(value).trim().toLowerCase();
  if (yes.has(text)) return fits(true);
  if (no.has(text)) return fits(false);
  return unfit(`“${text}” is neither yes nor no.`);
}

function coerceDate(value: Value, locale: Locale, order: DayMonthOrder): Coerced {
  const read = readDate(toText(value), locale.zone, order);
  return read.ok ? fits(read.date, read.note) : unfit(read.message);
}

function coerceChoice(value: Value, field: Field): Coerced {
  const text = toText(value).trim();
  const options = field.options ?? [];
  const option =
    options.find((one) => one.value === text) ??
    options.find((one) => foldCase(one.value) === foldCase(text) || foldCase(one.label) === foldCase(text));
  if (option) return fits(option.value);
  const known = options.map((one) => one.value).join(', ');
  return unfit(`“${text}” is none of its options (${known}).`);
}

const numeric: ReadonlySet<FieldType> = new Set(['integer', 'decimal']);

/** True when both values mean the same in a field of this type: `12.50` is `12.5` as a number, not as text. */
export function isSameValue(one: Value | undefined, other: Value | undefined, type: FieldType): boolean {
  if (isEmpty(one) || isEmpty(other)) return isEmpty(one) && isEmpty(other);
  const [first, second] = [toText(one), toText(other)];
  if (first === second) return true;
  if (numeric.has(type) || (type === 'any' && (typeof one === 'number' || typeof other === 'number'))) {
    return isNumberText(first) && isNumberText(second) && new Decimal(first).equals(new Decimal(second));
  }
  if (type === 'instant') {
    const [left, right] = [readInstant(first, 'utc'), readInstant(second, 'utc')];
    return left !== undefined && left === right;
  }
  return false;
}

function isNumberText(text: string): boolean {
  return text.trim() !== '' && Number.isFinite(Number(text));
}

import Decimal from 'decimal.js';
import { RE2JS } from 're2js';
import { cellError } from './cell-error.ts';
import { readCountry } from './countries.ts';
import { type DayMonthOrder, readDate, readInstant, readSerial, usualOrder } from './dates.ts';
import type { Field, FieldType } from './field.ts';
import { amountProblem } from './money.ts';
import { type DecimalMark, minorUnits, readNumber, usualMark } from './numbers.ts';
import { readPhone } from './phone.ts';
import { foldCase, textLength } from './text.ts';
import { isEmpty, isRecord, type JsonRecord, toText, type Value } from './value.ts';
import { readYesNo } from './yes-no.ts';

/** How this workspace reads what isn't said: zone (IANA) and country (ISO 3166-1 alpha-2). */
export interface Locale {
  readonly zone: string;
  readonly country: string;
  /** Which comes first in dates of figures, where it isn't the country's custom. */
  readonly order?: DayMonthOrder | undefined;
  /** What stands before decimals, where it isn't the country's custom. */
  readonly decimal?: DecimalMark | undefined;
  /** Numbers in date fields are days as spreadsheets count them. */
  readonly serial?: boolean | undefined;
}

/** A value that fits its field, or the sentence why it doesn't. `note` says what was done to it. */
export type Coerced =
  | { readonly ok: true; readonly value: Value; readonly note?: string }
  | { readonly ok: false; readonly message: string };

/** Whether a text is one e-mail address, as far as its form tells. */
export const isEmailAddress = (text: string): boolean => emailShape.test(text);

const emailShape = /^[^\s@<>,;"]+@[^\s@<>,;"]+\.[^\s@<>,;".]+$/;

const fits = (value: Value, note?: string): Coerced => (note ? { ok: true, value, note } : { ok: true, value });
const unfit = (message: string): Coerced => ({ ok: false, message });

/**
 * Makes a value fit a field, or says why it can't. Empty fits every field that isn't required and
 * stays null. Nothing is cut, rounded or guessed silently.
 */
export function coerce(value: Value | undefined, field: Field, locale: Locale, currency?: string): Coerced {
  if (isEmpty(value)) return field.required ? unfit('Required, and empty here.') : fits(null);
  const given = value as Value;
  const error = cellError(given);
  if (error) return unfit(error);
  const result = field.type === 'money' ? coerceMoney(given, field, locale, currency) : coerceTo(given, field, locale);
  if (result.ok && field.maxLength && typeof result.value === 'string') {
    const length = textLength(result.value);
    if (length > field.maxLength) return unfit(`${length} characters, and at most ${field.maxLength} fit.`);
  }
  if (result.ok && field.pattern && typeof result.value === 'string' && !matches(result.value, field.pattern))
    return unfit(`“${result.value}” doesn’t have the form that the destination requires (${field.pattern}).`);
  return result;
}

const patterns = new Map<string, RE2JS | null>();

/** Whether a text has what a pattern of JSON Schema asks for; one that the engine can't read asks for nothing. */
function matches(text: string, pattern: string): boolean {
  let known = patterns.get(pattern);
  if (known === undefined) {
    try {
      known = RE2JS.compile(pattern);
    } catch {
      known = null;
    }
    patterns.set(pattern, known);
  }
  return known === null || known.matcher(text).find();
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
    case 'money':
      return coerceNumber(value, field.type, locale);
    case 'boolean':
      return coerceBoolean(value);
    case 'date':
      return coerceDate(value, locale, locale.order ?? usualOrder(locale.country));
    case 'instant': {
      const instant = readInstant(toText(value), locale.zone);
      return instant ? fits(instant) : unfit(`“${toText(value)}” can’t be read as a date and time.`);
    }
    case 'choice':
      return coerceChoice(value, field);
    case 'email':
    case 'phone':
    case 'url':
    case 'country':
      return coerceAddress(toText(value).trim(), field.type, locale);
    case 'record':
      return isRecord(value) ? fits(value) : unfit('A record is needed here.');
    case 'list':
      // The lines of another app have other fields: they are mapped line by line, never handed over whole.
      if (field.fields) return unfit('This is filled line by line. Choose “lines”.');
      return Array.isArray(value) ? fits(value) : fits([value], 'one value as a list of one');
  }
}

/** Texts with a shape of their own. Apps keep phones as people typed them; only the tidy turns them into E.164. */
function coerceAddress(text: string, type: 'email' | 'phone' | 'url' | 'country', locale: Locale): Coerced {
  switch (type) {
    case 'email':
      return emailShape.test(text) ? fits(text) : unfit(`“${text}” is not an e-mail address.`);
    case 'phone':
      return readPhone(text, locale.country) ? fits(text) : unfit(`“${text}” is not a telephone number.`);
    case 'url':
      return /^https?:\/\/\S+$/i.test(text) ? fits(text) : unfit(`“${text}” is not a web address.`);
    case 'country': {
      const code = readCountry(text);
      if (code) return fits(code, code === text.toUpperCase() ? undefined : `${text} read as ${code}`);
      return unfit(`“${text}” is not a known country.`);
    }
  }
}

function coerceNumber(value: Value, type: 'integer' | 'decimal' | 'money', locale: Locale): Coerced {
  if (isRecord(value) || Array.isArray(value)) return unfit('One number is needed here, not several values.');
  const text = toText(value).trim();
  // A number from an app is what it is; only what people write is read by a custom.
  if (typeof value === 'number' && Number.isFinite(value)) return whole(new Decimal(value), type, text);
  const read = readNumber(text, locale.decimal ?? usualMark(locale.country), locale.country);
  if (!read.ok) return unfit(read.message);
  if (read.currency && type !== 'money')
    return whole(new Decimal(read.number), type, text, `read as ${read.number}, without ${read.currency}`);
  return whole(new Decimal(read.number), type, text, read.note);
}

const shortened = (text: string): string => (text.length > 40 ? `${text.slice(0, 40)}…` : text);

function whole(number: Decimal, type: 'integer' | 'decimal' | 'money', text: string, note?: string): Coerced {
  if (type === 'integer' && !number.isInteger()) return unfit(`“${shortened(text)}” is not a whole number.`);
  // Beyond this, apps and spreadsheets would store another number than the one that was sent (IEEE 754 double).
  if (number.abs().greaterThan(Number.MAX_SAFE_INTEGER))
    return unfit(`“${shortened(text)}” is too large: apps keep numbers exactly up to 16 figures only.`);
  return fits(number.toFixed(), note);
}

/** An amount in the field's currency, with no more decimals than the currency has. Never rounded by itself. */
function coerceMoney(value: Value, field: Field, locale: Locale, currency: string | undefined): Coerced {
  const number = coerceNumber(value, 'money', locale);
  if (!number.ok) return number;
  const wanted = field.currency && 'code' in field.currency ? field.currency.code : '';
  const text = toText(value).trim();
  const written = typeof value === 'string' ? readNumber(text, usualMark(locale.country), locale.country) : undefined;
  const own = currency || (written?.ok ? written.currency : undefined) || '';
  if (wanted && own && own !== wanted) return unfit(`The amount is in ${own}, but ${wanted} is needed.`);
  const amount = toText(number.value);
  const problem = amountProblem(amount, wanted);
  if (problem) return unfit(problem);
  // Written with the decimals of its currency: 12.50, not 12.5.
  const digits = Math.max(minorUnits(wanted || own) ?? 2, amount.split('.')[1]?.length ?? 0);
  return { ...number, value: new Decimal(amount).toFixed(digits) };
}

function coerceBoolean(value: Value): Coerced {
  if (typeof value === 'boolean') return fits(value);
  const text = toText(value).trim().toLowerCase();
  const said = readYesNo(text);
  if (said !== undefined) return fits(said);
  return unfit(`“${text}” is neither yes nor no.`);
}

function coerceDate(value: Value, locale: Locale, order: DayMonthOrder): Coerced {
  const text = toText(value).trim();
  const serial = /^\d{1,7}(\.\d+)?$/.test(text) ? readSerial(Number(text)) : undefined;
  // Five figures are a day as spreadsheets count them, from 1954 to 2119; others only when a person says so.
  if (serial && (locale.serial || /^[2-7]\d{4}(\.\d+)?$/.test(text)))
    return fits(serial, 'read as a spreadsheet’s day number');
  const read = readDate(text, locale.zone, order);
  if (!read.ok) return unfit(read.message);
  // A moment is a day only in a zone, and which one is said.
  const isMoment = /^\d{4}-\d{2}-\d{2}[T ]\d/.test(text);
  return fits(read.date, read.note ?? (isMoment ? `the day in ${locale.zone}` : undefined));
}

function coerceChoice(value: Value, field: Field): Coerced {
  const text = toText(value).trim();
  const options = field.options ?? [];
  const option =
    options.find((one) => one.value === text) ??
    options.find((one) => foldCase(one.value) === foldCase(text) || foldCase(one.label) === foldCase(text));
  if (option) return fits(option.value);
  const known = options.map((one) => one.value).join(', ');
  return unfit(`“${text}” is not one of the options (${known}).`);
}

const numeric: ReadonlySet<FieldType> = new Set(['integer', 'decimal', 'money']);

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
  if (type === 'list' || type === 'record') return isSameInside(one, other);
  return false;
}

/**
 * Lists and records are the same when what one side says the other says too: an app adds ids and
 * totals of its own to the lines it is given.
 */
function isSameInside(one: Value | undefined, other: Value | undefined): boolean {
  if (Array.isArray(one) && Array.isArray(other))
    return one.length === other.length && one.every((item, at) => isSameInside(item, other[at]));
  if (isRecord(one) && isRecord(other)) {
    const [left, right] = [filledNames(one), filledNames(other)];
    const [fewer, more] = left.length <= right.length ? [left, right] : [right, left];
    return fewer.every((name) => more.includes(name) && isSameInside(one[name], other[name]));
  }
  if (isEmpty(one) || isEmpty(other)) return isEmpty(one) && isEmpty(other);
  const [first, second] = [toText(one), toText(other)];
  if (first === second) return true;
  const isNumeric =
    typeof one === 'number' || typeof other === 'number' || (/^-?\d+\.\d+$/.test(first) && isNumberText(second));
  return isNumeric && isNumberText(first) && isNumberText(second) && new Decimal(first).equals(new Decimal(second));
}

const filledNames = (record: JsonRecord): string[] => Object.keys(record).filter((name) => !isEmpty(record[name]));

function isNumberText(text: string): boolean {
  return text.trim() !== '' && Number.isFinite(Number(text));
}

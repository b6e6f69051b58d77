import { Decimal as DecimalBase } from 'decimal.js';
import { DateTime } from 'luxon';
import type { EvaluationContext } from '../mapping/evaluation-context.ts';
import type { Field } from '../values/field.ts';
import { isRecord, type JsonRecord, type Value } from '../values/value.ts';

/**
 * Decimals of 40 figures, so that money is never a binary float. Powers beyond 10^±400 are no
 * numbers of business.
 */
export const Decimal = DecimalBase.clone({
  precision: 40,
  rounding: DecimalBase.ROUND_HALF_UP,
  maxE: 400,
  minE: -400,
  toExpNeg: -9e15,
  toExpPos: 9e15,
});
export type Decimal = DecimalBase;

/** Figures that a result is given with; the rest is room for rounding on the way. */
const shownFigures = 28;

/** A day of the calendar, in no zone. */
export class CalendarDate {
  constructor(readonly iso: string) {}
}

/** A moment, in UTC. */
export class Instant {
  constructor(readonly iso: string) {}
}

/** An amount with its currency (ISO 4217), which is empty where the source doesn't say. */
export class Money {
  constructor(
    readonly amount: Decimal,
    readonly currency: string,
  ) {}
}

/** A nested record. */
export class RecordValue {
  constructor(readonly record: JsonRecord) {}
}

export type ErrorCode = '#VALUE!' | '#N/A' | '#DIV/0!' | '#NUM!' | '#NAME?' | '#REF!';

/** An error as a value: it spoils what is computed with it, and nothing else. */
export class FormulaError {
  constructor(
    readonly code: ErrorCode,
    readonly message: string,
  ) {}
}

export type FormulaValue =
  | null
  | string
  | boolean
  | Decimal
  | CalendarDate
  | Instant
  | Money
  | RecordValue
  | FormulaError
  | readonly FormulaValue[];

/** A value of a kind that can’t be used here (`#VALUE!`, OpenFormula 4.6). */
export const valueError = (message: string): FormulaError => new FormulaError('#VALUE!', message);
/** A value that isn’t there (`#N/A`). */
export const notAvailable = (message: string): FormulaError => new FormulaError('#N/A', message);

/** True for a number, which is kept as a decimal. */
export const isNumber = (value: FormulaValue): value is Decimal => DecimalBase.isDecimal(value);
/** True for several values. */
export const isList = (value: FormulaValue): value is readonly FormulaValue[] => Array.isArray(value);
/** True for what went wrong in a formula. */
export const isError = (value: unknown): value is FormulaError => value instanceof FormulaError;

const plainNumber = /^\s*[+-]?(\d{1,400}\.?\d{0,400}|\.\d{1,400})(e[+-]?\d{1,3})?\s*$/i;
const isoDate = /^\d{4}-\d{2}-\d{2}$/;

/** True for a text that is a number without any custom of writing: `1204.50`. */
export const isPlainNumber = (text: string): boolean => plainNumber.test(text);

/** A field's value as formulas see it: with the type that the field has. */
export function fromValue(value: Value | undefined, field: Field | undefined, currency = ''): FormulaValue {
  if (value === undefined || value === null) return null;
  if (typeof value === 'number')
    return field?.type === 'money' ? new Money(new Decimal(value), currency) : new Decimal(value);
  if (typeof value === 'boolean') return value;
  if (Array.isArray(value))
    return value.map((one) => fromValue(one, field?.type === 'list' ? undefined : field, currency));
  if (isRecord(value)) return new RecordValue(value);
  return fromText(value as string, field, currency);
}

function fromText(text: string, field: Field | undefined, currency: string): FormulaValue {
  switch (field?.type) {
    case 'integer':
    case 'decimal':
      return plainNumber.test(text) ? new Decimal(text.trim()) : text;
    case 'money':
      return plainNumber.test(text) ? new Money(new Decimal(text.trim()), currency) : text;
    case 'date':
      return isoDate.test(text) ? new CalendarDate(text) : text;
    case 'instant': {
      const read = /^\d{4}-\d{2}-\d{2}T/.test(text) ? DateTime.fromISO(text, { zone: 'utc' }) : undefined;
      return read?.isValid ? new Instant(read.toUTC().toISO() as string) : text;
    }
    default:
      return text;
  }
}

/** A number with the figures a result is given with, in plain writing. */
export function numberText(number: Decimal): string {
  return number.toSignificantDigits(shownFigures).toFixed();
}

/** A result as plain data: numbers, dates and amounts as text. */
export function toValue(value: FormulaValue): Value {
  if (value === null || typeof value === 'string' || typeof value === 'boolean') return value;
  if (isNumber(value)) return numberText(value);
  if (value instanceof CalendarDate || value instanceof Instant) return value.iso;
  if (value instanceof Money) return numberText(value.amount);
  if (value instanceof RecordValue) return value.record;
  if (value instanceof FormulaError) return value.code;
  return value.map(toValue);
}

/** What kind of value it is, in the words of the field types. */
export function kindOf(value: FormulaValue): string {
  if (value === null) return 'empty';
  if (typeof value === 'string') return 'text';
  if (typeof value === 'boolean') return 'boolean';
  if (isNumber(value)) return 'number';
  if (value instanceof CalendarDate) return 'date';
  if (value instanceof Instant) return 'instant';
  if (value instanceof Money) return 'money';
  if (value instanceof RecordValue) return 'record';
  if (value instanceof FormulaError) return 'error';
  return 'list';
}

const kindWords: Readonly<Record<string, string>> = {
  empty: 'nothing',
  text: 'a text',
  boolean: 'yes or no',
  number: 'a number',
  date: 'a date',
  instant: 'a date with time',
  money: 'an amount of money',
  record: 'a whole record',
  list: 'a list',
};

const shownText = (text: string): string => (text.length > 40 ? `${text.slice(0, 40)}…` : text);

/** A value as a sentence names it. */
export function named(value: FormulaValue): string {
  if (typeof value === 'string') return `“${shownText(value)}”`;
  return kindWords[kindOf(value)] ?? 'a value';
}

/** As a number or an amount; empty is 0 and yes is 1, as in the standard. */
export function asQuantity(value: FormulaValue): Decimal | Money | FormulaError {
  if (isNumber(value) || value instanceof Money || value instanceof FormulaError) return value;
  if (value === null) return new Decimal(0);
  if (typeof value === 'boolean') return new Decimal(value ? 1 : 0);
  if (typeof value === 'string') {
    if (plainNumber.test(value)) return new Decimal(value.trim());
    return valueError(
      value.trim() === ''
        ? 'An empty text is not a number.'
        : `“${shownText(value)}” is not a plain number. VALUE reads numbers as people write them.`,
    );
  }
  return valueError(`A number is needed, not ${named(value)}.`);
}

/** As a plain number. */
export function asNumber(value: FormulaValue): Decimal | FormulaError {
  const quantity = asQuantity(value);
  return quantity instanceof Money ? quantity.amount : quantity;
}

/** A value as a text, or the error why it is none. */
export function asText(value: FormulaValue): string | FormulaError {
  if (typeof value === 'string' || value instanceof FormulaError) return value;
  if (value === null) return '';
  if (typeof value === 'boolean') return value ? 'TRUE' : 'FALSE';
  if (isNumber(value)) return numberText(value);
  if (value instanceof Money) return numberText(value.amount);
  if (value instanceof CalendarDate || value instanceof Instant) return value.iso;
  if (value instanceof RecordValue) return valueError('A whole record is not a text. Choose one of its fields.');
  return valueError('A list is not a text. TEXTJOIN joins its items.');
}

/** A value as true or false, or the error why it is neither. */
export function asBoolean(value: FormulaValue): boolean | FormulaError {
  if (typeof value === 'boolean' || value instanceof FormulaError) return value;
  if (value === null) return false;
  if (isNumber(value)) return !value.isZero();
  if (value instanceof Money) return !value.amount.isZero();
  if (typeof value === 'string' && /^(true|false)$/i.test(value.trim())) return value.trim().toUpperCase() === 'TRUE';
  return valueError(`Yes or no is needed, not ${named(value)}.`);
}

/** As a day; a moment is a day only in the zone of the workflow. */
export function asDate(value: FormulaValue, around: EvaluationContext): DateTime | FormulaError {
  if (value instanceof FormulaError) return value;
  const iso =
    value instanceof CalendarDate
      ? value.iso
      : value instanceof Instant
        ? DateTime.fromISO(value.iso, { zone: around.zone }).toISODate()
        : typeof value === 'string' && isoDate.test(value.trim())
          ? value.trim()
          : undefined;
  const date = iso ? DateTime.fromISO(iso, { zone: 'utc' }) : undefined;
  if (date?.isValid) return date;
  return valueError(
    typeof value === 'string'
      ? `“${shownText(value)}” is not a date in ISO form. DATEVALUE reads dates as people write them.`
      : `A date is needed, not ${named(value)}.`,
  );
}

/** The calendar date of a day; an error beyond the years that apps know. */
export function dateValue(date: DateTime): CalendarDate | FormulaError {
  return date.isValid && date.year >= 1 && date.year <= 9999
    ? new CalendarDate(date.toISODate() as string)
    : new FormulaError('#NUM!', 'There is no such date.');
}

/** Items of a value: of a list its items, of anything else itself. Lists in lists are opened. */
export function flatten(value: FormulaValue): readonly FormulaValue[] {
  return isList(value) ? value.flatMap(flatten) : [value];
}

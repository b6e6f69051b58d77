import { DateTime } from 'luxon';
import { foldCase } from '../values/text.ts';
import type { Evaluation } from './function.ts';
import type { BinaryOperator } from './syntax.ts';
import {
  asDate,
  asNumber,
  asQuantity,
  asText,
  CalendarDate,
  Decimal,
  dateValue,
  FormulaError,
  type FormulaValue,
  Instant,
  isError,
  isNumber,
  isPlainNumber,
  Money,
  named,
  valueError,
} from './values.ts';

/** Characters that a text may have while computing. */
export const longestText = 1_000_000;

/** What comes of a formula that never seems to end. */
export const tooMuch = new FormulaError(
  '#NUM!',
  'This calculates too much at once. Move a part of it to a “Calculate values” step.',
);

/** One operator on two values that are no lists. */
export function apply(operator: BinaryOperator, a: FormulaValue, b: FormulaValue, env: Evaluation): FormulaValue {
  if (isError(a)) return a;
  if (isError(b)) return b;
  switch (operator) {
    case '&': {
      const [x, y] = [asText(a), asText(b)];
      if (isError(x)) return x;
      if (isError(y)) return y;
      return x.length + y.length > longestText ? tooMuch : x + y;
    }
    case '+':
    case '-':
      if (isCalendar(a) || isCalendar(b)) return calendarSum(operator, a, b, env);
      return arithmetic(operator, a, b);
    case '*':
    case '/':
    case '^':
      return arithmetic(operator, a, b);
    default:
      return compare(operator, a, b);
  }
}

const isCalendar = (value: FormulaValue): value is CalendarDate | Instant =>
  value instanceof CalendarDate || value instanceof Instant;

/** The value with the other sign. */
export function negate(value: FormulaValue): FormulaValue {
  const quantity = asQuantity(value);
  if (isError(quantity)) return quantity;
  return quantity instanceof Money ? new Money(quantity.amount.negated(), quantity.currency) : quantity.negated();
}

/** `+ - * / ^` on numbers and amounts of money; amounts of two currencies don't add up. */
export function arithmetic(operator: '+' | '-' | '*' | '/' | '^', a: FormulaValue, b: FormulaValue): FormulaValue {
  const [x, y] = [asQuantity(a), asQuantity(b)];
  if (isError(x)) return x;
  if (isError(y)) return y;
  const [left, right] = [amountOf(x), amountOf(y)];
  const [own, other] = [x instanceof Money ? x.currency : undefined, y instanceof Money ? y.currency : undefined];
  if (own && other && own !== other) return valueError(`${own} and ${other} can’t be calculated with each other.`);
  if (own !== undefined && other !== undefined && operator === '*')
    return valueError('Two amounts of money can’t be multiplied.');
  const result = compute(operator, left, right);
  if (isError(result)) return result;
  return isAmount(operator, own !== undefined, other !== undefined) ? new Money(result, own || other || '') : result;
}

const amountOf = (quantity: Decimal | Money): Decimal => (quantity instanceof Money ? quantity.amount : quantity);

/** Whether money comes out: a share of two amounts is a plain number, and so is a power. */
function isAmount(operator: BinaryOperator, left: boolean, right: boolean): boolean {
  if (operator === '^') return false;
  return operator === '/' ? left && !right : left || right;
}

function compute(operator: '+' | '-' | '*' | '/' | '^', left: Decimal, right: Decimal): Decimal | FormulaError {
  let result: Decimal;
  switch (operator) {
    case '+':
      result = left.plus(right);
      break;
    case '-':
      result = left.minus(right);
      break;
    case '*':
      result = left.times(right);
      break;
    case '/':
      if (right.isZero()) return new FormulaError('#DIV/0!', 'Division by zero.');
      result = left.dividedBy(right);
      break;
    case '^':
      result = power(left, right);
      break;
  }
  return result.isFinite() ? result : new FormulaError('#NUM!', 'The number is too large or has no value.');
}

/** Powers, with a bound on the exponent so that nothing computes for ever. */
export function power(base: Decimal, exponent: Decimal): Decimal {
  if (base.isZero() && exponent.isNegative() && !exponent.isZero()) return new Decimal(Number.NaN);
  if (base.isNegative() && !exponent.isInteger()) return new Decimal(Number.NaN);
  // Beyond this even 1.0001 to the power has left the numbers of business.
  if (exponent.abs().greaterThan(100_000) && !base.abs().equals(1) && !base.isZero())
    return base.abs().greaterThan(1) === exponent.isPositive() ? new Decimal(Number.NaN) : new Decimal(0);
  return base.pow(exponent);
}

/** Days added to a date, hours as a part of a day; the difference of two is a number of days. */
function calendarSum(operator: '+' | '-', a: FormulaValue, b: FormulaValue, env: Evaluation): FormulaValue {
  if (isCalendar(a) && isCalendar(b)) {
    if (operator === '+') return valueError('Two dates can’t be added. Add a number of days to a date.');
    if (a instanceof Instant && b instanceof Instant) {
      const milliseconds = DateTime.fromISO(a.iso).toMillis() - DateTime.fromISO(b.iso).toMillis();
      return new Decimal(milliseconds).dividedBy(86_400_000);
    }
    const [x, y] = [asDate(a, env.around), asDate(b, env.around)];
    if (isError(x)) return x;
    return isError(y) ? y : new Decimal(Math.round(x.diff(y, 'days').days));
  }
  if (isCalendar(b) && operator === '-') return valueError('A date can’t be subtracted from a number.');
  const [calendar, days] = isCalendar(a) ? [a, asNumber(b)] : [b as CalendarDate | Instant, asNumber(a)];
  if (isError(days)) return days;
  const signed = operator === '-' ? days.negated() : days;
  if (signed.abs().greaterThan(3_700_000)) return new FormulaError('#NUM!', 'There is no such date.');
  return addDays(calendar, signed, env.around.zone);
}

function addDays(calendar: CalendarDate | Instant, days: Decimal, zone: string): FormulaValue {
  const whole = days.floor().toNumber();
  const part = days.minus(whole);
  if (calendar instanceof CalendarDate && part.isZero())
    return dateValue(DateTime.fromISO(calendar.iso, { zone: 'utc' }).plus({ days: whole }));
  // Wall-clock time in the workflow's zone: a day over a change of the clocks is still a day.
  const start = DateTime.fromISO(calendar.iso, { zone }).plus({ days: whole });
  const moved = start.plus({ milliseconds: part.times(86_400_000).round().toNumber() });
  return moved.isValid
    ? new Instant(moved.toUTC().toISO() as string)
    : new FormulaError('#NUM!', 'There is no such date.');
}

/** `= <> < <= > >=`: texts ignore case; a text that is a plain number counts as one beside a number. */
export function compare(
  operator: '=' | '<>' | '<' | '<=' | '>' | '>=',
  a: FormulaValue,
  b: FormulaValue,
): boolean | FormulaError {
  const order = orderOf(a, b);
  if (order === undefined) {
    if (operator === '=') return false;
    if (operator === '<>') return true;
    return valueError(`${capital(named(a))} and ${named(b)} have no order.`);
  }
  switch (operator) {
    case '=':
      return order === 0;
    case '<>':
      return order !== 0;
    case '<':
      return order < 0;
    case '<=':
      return order <= 0;
    case '>':
      return order > 0;
    case '>=':
      return order >= 0;
  }
}

const capital = (text: string): string => text.charAt(0).toUpperCase() + text.slice(1);

/** Below, same or above; undefined when the two can't be compared. */
function orderOf(a: FormulaValue, b: FormulaValue): number | undefined {
  const [x, y] = [comparable(a, b), comparable(b, a)];
  if (isNumber(x) && isNumber(y)) return x.toSignificantDigits(28).comparedTo(y.toSignificantDigits(28));
  if (typeof x === 'boolean' && typeof y === 'boolean') return Number(x) - Number(y);
  if (typeof x === 'string' && typeof y === 'string') return sign(foldCase(x), foldCase(y));
  if (isCalendar(x) && isCalendar(y)) {
    const length = x instanceof CalendarDate || y instanceof CalendarDate ? 10 : 24;
    return sign(x.iso.slice(0, length), y.iso.slice(0, length));
  }
  return undefined;
}

const sign = (x: string, y: string): number => (x === y ? 0 : x < y ? -1 : 1);

/** A value as it is compared with another: empty takes the other's kind. */
function comparable(value: FormulaValue, other: FormulaValue): FormulaValue {
  if (value === null) {
    if (isNumber(other) || other instanceof Money) return new Decimal(0);
    return typeof other === 'boolean' ? false : '';
  }
  if (value instanceof Money) return value.amount;
  if (typeof value === 'string') {
    if ((isNumber(other) || other instanceof Money) && isPlainNumber(value)) return new Decimal(value.trim());
    if (isCalendar(other) && /^\d{4}-\d{2}-\d{2}/.test(value)) return new CalendarDate(value);
  }
  return value;
}

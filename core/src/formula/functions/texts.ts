import { DateTime } from 'luxon';
import { format as formatNumber } from 'numfmt';
import { titleCase } from '../../values/text.ts';
import type { Evaluation } from '../function.ts';
import { longestText, tooMuch } from '../operators.ts';
import {
  asText,
  CalendarDate,
  type Decimal,
  Decimal as Decimals,
  type FormulaError,
  type FormulaValue,
  Instant,
  isError,
  Money,
  valueError,
} from '../values.ts';
import { definer } from './define.ts';
import { readNumberHere } from './numbers.ts';
import { wildcards } from './wildcards.ts';

const text = definer('text');

/** Texts are counted in code points: a letter beyond the first plane is one. */
const points = (given: string): string[] => [...given];

const wholePart = (number: Decimal): number => number.trunc().toNumber();

const countOf = (number: Decimal | undefined, otherwise: number): number | FormulaError => {
  if (number === undefined) return otherwise;
  return number.isNegative() && !number.isZero()
    ? valueError('A number of characters can’t be negative.')
    : wholePart(number);
};

/** Every control character (Unicode category Cc). */
const controls = /\p{Cc}/gu;

function find(wanted: string, within: string, start: Decimal | undefined, isLike: boolean): FormulaValue {
  const from = start === undefined ? 1 : wholePart(start);
  const all = points(within);
  if (from < 1 || from > all.length + 1) return valueError('The start lies outside the text.');
  const rest = all.slice(from - 1).join('');
  const at = isLike ? wildcards(wanted, false).find(rest) : rest.indexOf(wanted);
  if (at < 0) return valueError(`“${wanted}” doesn’t occur in the text.`);
  return number(points(rest.slice(0, at)).length + from);
}

const number = (value: number): Decimal => new Decimals(value);

/** Days since 1899-12-30, as spreadsheets count dates, for number formats. */
const serialOf = (date: DateTime): number =>
  date.diff(DateTime.fromISO('1899-12-30', { zone: date.zone }), 'days').days;

function formatted(value: FormulaValue, format: string, env: Evaluation): FormulaValue {
  if (isError(value)) return value;
  const serial =
    value instanceof CalendarDate
      ? serialOf(DateTime.fromISO(value.iso, { zone: 'utc' }))
      : value instanceof Instant
        ? serialOf(
            DateTime.fromISO(
              DateTime.fromISO(value.iso, { zone: env.around.zone }).toISO({ includeOffset: false }) ?? '',
              { zone: 'utc' },
            ),
          )
        : undefined;
  const quantity = serial ?? (value instanceof Money ? value.amount : value);
  const asGiven =
    typeof quantity === 'number' || typeof quantity === 'boolean' ? quantity : asText(quantity as FormulaValue);
  if (isError(asGiven)) return asGiven;
  const isNumeric = typeof asGiven === 'number' || (typeof asGiven === 'string' && /^-?\d+(\.\d+)?$/.test(asGiven));
  // A decimal goes to the format rounded by us: the binary number behind 1.005 is less than 1.005.
  const shown = isNumeric && serial === undefined ? roundedFor(String(asGiven), format) : asGiven;
  if (typeof shown === 'number' && Math.abs(shown) > 1e15)
    return valueError('The number has too many figures for a format.');
  try {
    return formatNumber(format, shown, { throws: true });
  } catch {
    return valueError(`“${format}” is no number format.`);
  }
}

/** The number rounded to the decimals its format shows, as decimals round. */
function roundedFor(given: string, format: string): number {
  const [section = ''] = format.split(';');
  const decimals = /\.([0#?]+)/.exec(section)?.[1]?.length ?? 0;
  const isShare = section.includes('%');
  if (/[eE/ymdhs]/.test(section.replace(/"[^"]*"|\\./g, ''))) return Number(given);
  return new Decimals(given).toDecimalPlaces(decimals + (isShare ? 2 : 0)).toNumber();
}

/** Text functions. */
export const textFunctions = [
  text(
    'TRIM',
    'text:text',
    'text',
    'Without spaces at its ends, and one space where several stood.',
    ([given]: [string]) => given.replace(/ +/g, ' ').replace(/^ | $/g, ''),
  ),
  text('STRIP', 'text:text', 'text', 'Without white space at its ends.', ([given]: [string]) => given.trim(), {
    isExtra: true,
  }),
  text(
    'TITLE',
    'text:text',
    'text',
    'Names with capitals as people write them: O’Neill, Anna-Marie.',
    ([given]: [string]) => titleCase(given),
    { isExtra: true },
  ),
  text('CLEAN', 'text:text', 'text', 'Without control characters, such as line breaks and tabs.', ([given]: [string]) =>
    given.replace(controls, ''),
  ),
  text('LOWER', 'text:text', 'text', 'In small letters.', ([given]: [string]) => given.toLowerCase()),
  text('UPPER', 'text:text', 'text', 'In capital letters.', ([given]: [string]) => given.toUpperCase()),
  text(
    'PROPER',
    'text:text',
    'text',
    'The first letter of each word a capital, the others small.',
    ([given]: [string]) =>
      given
        .toLowerCase()
        .replace(/(^|\P{L})(\p{L})/gu, (_, before: string, letter: string) => before + letter.toUpperCase()),
  ),
  text(
    'LEFT',
    'text:text count:number?',
    'text',
    'The first characters; one when no count is given.',
    ([given, count]: [string, Decimal?]) => {
      const most = countOf(count, 1);
      return isError(most) ? most : points(given).slice(0, most).join('');
    },
  ),
  text(
    'RIGHT',
    'text:text count:number?',
    'text',
    'The last characters; one when no count is given.',
    ([given, count]: [string, Decimal?]) => {
      const most = countOf(count, 1);
      if (isError(most)) return most;
      return most === 0 ? '' : points(given).slice(-most).join('');
    },
  ),
  text(
    'MID',
    'text:text start:number count:number',
    'text',
    'So many characters from a place, counted from 1.',
    ([given, start, count]: [string, Decimal, Decimal]) => {
      const most = countOf(count, 0);
      if (isError(most)) return most;
      if (start.lessThan(1)) return valueError('Places in a text are counted from 1.');
      return points(given)
        .slice(wholePart(start) - 1, wholePart(start) - 1 + most)
        .join('');
    },
  ),
  text('LEN', 'text:text', 'number', 'How many characters it has.', ([given]: [string]) =>
    number(points(given).length),
  ),
  text(
    'FIND',
    'wanted:text text:text start:number?',
    'number',
    'Where a text begins in another, counted from 1, capitals and small letters told apart.',
    ([wanted, within, start]: [string, string, Decimal?]) => find(wanted, within, start, false),
  ),
  text(
    'SEARCH',
    'wanted:text text:text start:number?',
    'number',
    'Where a text begins in another, ignoring case; ? stands for one character, * for any.',
    ([wanted, within, start]: [string, string, Decimal?]) => find(wanted, within, start, true),
  ),
  text(
    'SUBSTITUTE',
    'text:text old:text new:text which:number?',
    'text',
    'With one text put in another’s place, everywhere or only at its first, second … time.',
    ([given, old, fresh, which]: [string, string, string, Decimal?]) => {
      if (old === '') return given;
      if (which === undefined) {
        const count = given.split(old).length - 1;
        return given.length + count * (fresh.length - old.length) > longestText
          ? tooMuch
          : given.split(old).join(fresh);
      }
      if (which.lessThan(1)) return valueError('The first time is 1.');
      let at = -1;
      for (let nth = wholePart(which); nth > 0; nth--) {
        at = given.indexOf(old, at < 0 ? 0 : at + old.length);
        if (at < 0) return given;
      }
      return given.slice(0, at) + fresh + given.slice(at + old.length);
    },
  ),
  text(
    'REPLACE',
    'text:text start:number count:number new:text',
    'text',
    'With another text in the place of so many characters.',
    ([given, start, count, fresh]: [string, Decimal, Decimal, string]) => {
      const most = countOf(count, 0);
      if (isError(most)) return most;
      if (start.lessThan(1)) return valueError('Places in a text are counted from 1.');
      const all = points(given);
      const from = wholePart(start) - 1;
      return all.slice(0, from).join('') + fresh + all.slice(from + most).join('');
    },
  ),
  text(
    'TEXT',
    'value:any format:text',
    'text',
    'A number or date written in a format, such as "0.00" or "yyyy-mm-dd".',
    ([value, format]: [FormulaValue, string], env) => formatted(value, format, env),
  ),
  text(
    'VALUE',
    'text:any',
    'number',
    'The number that a text says, as people write numbers.',
    ([given]: [FormulaValue], env) => readNumberHere(given, env),
  ),
  text('CONCATENATE', 'text:text', 'text', 'Texts one after the other.', (all: string[]) => all.join(''), {
    repeats: 1,
  }),
  text(
    'TEXTJOIN',
    'separator:text skip_empty:boolean texts:list',
    'text',
    'Texts and lists joined, with a separator between them.',
    ([separator, skips, ...lists]: [string, boolean, ...FormulaValue[][]]) => {
      const texts: string[] = [];
      for (const item of lists.flat()) {
        const one = asText(item);
        if (isError(one)) return one;
        if (!skips || one !== '') texts.push(one);
      }
      return texts.join(separator);
    },
    { repeats: 1, isExtra: true },
  ),
  text(
    'REPT',
    'text:text count:number',
    'text',
    'A text repeated a number of times.',
    ([given, count]: [string, Decimal]) => {
      const times = countOf(count, 0);
      if (isError(times)) return times;
      return given.length * times > longestText ? tooMuch : given.repeat(times);
    },
  ),
  text(
    'EXACT',
    'one:text other:text',
    'boolean',
    'Whether two texts are the same, capitals and small letters told apart.',
    ([one, other]: [string, string]) => one === other,
  ),
  text('UNICODE', 'text:text', 'number', 'The Unicode number of the first character.', ([given]: [string]) => {
    const point = given.codePointAt(0);
    return point === undefined ? valueError('An empty text has no character.') : number(point);
  }),
  text('UNICHAR', 'number:number', 'text', 'The character of a Unicode number.', ([given]: [Decimal]) => {
    const point = wholePart(given);
    const isCharacter = point > 0 && point <= 0x10ffff && (point < 0xd800 || point > 0xdfff);
    return isCharacter ? String.fromCodePoint(point) : valueError('There is no such character.');
  }),
];

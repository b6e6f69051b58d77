import { readNumber, usualMark } from '../../values/numbers.ts';
import type { Evaluation, StaticType } from '../function.ts';
import { arithmetic, compare } from '../operators.ts';
import {
  asQuantity,
  asText,
  Decimal,
  FormulaError,
  type FormulaValue,
  isError,
  isNumber,
  isPlainNumber,
  Money,
  named,
  valueError,
} from '../values.ts';
import { definer } from './define.ts';
import { wildcards } from './wildcards.ts';

const number = definer('number');

/** VALUE: a number as people of the workflow's country write it; an amount keeps its currency. */
export function readNumberHere(given: FormulaValue, env: Evaluation): FormulaValue {
  if (isNumber(given) || given instanceof Money) return given;
  if (typeof given !== 'string') return valueError(`A text is needed, and ${named(given)} came.`);
  const mark = env.around.decimal ?? usualMark(env.around.country);
  const read = readNumber(given, mark, env.around.country);
  if (!read.ok) return valueError(read.message);
  const value = new Decimal(read.number);
  return read.currency ? new Money(value, read.currency) : value;
}

type Quantity = Decimal | Money;

/** Money stays money: a change of the amount keeps its currency. */
const change = (of: Quantity, make: (amount: Decimal) => Decimal): Quantity =>
  of instanceof Money ? new Money(make(of.amount), of.currency) : make(of);

const asIs = (types: readonly StaticType[]): StaticType => (types[0] === 'money' ? 'money' : 'number');

/** Rounds to decimals, or with a negative count to tens and hundreds. Halves go away from zero. */
function roundTo(
  of: Quantity,
  digits: Decimal | undefined,
  mode: 0 | 1 | 2 | 3 | 4 | 5 | 6 | 7 | 8,
): Quantity | FormulaError {
  const places = digits?.trunc().toNumber() ?? 0;
  if (Math.abs(places) > 300) return new FormulaError('#NUM!', 'So many decimals don’t occur.');
  return change(of, (amount) => {
    if (places >= 0) return amount.toSignificantDigits(30).toDecimalPlaces(places, mode);
    const unit = new Decimal(10).pow(-places);
    return amount.dividedBy(unit).toDecimalPlaces(0, mode).times(unit);
  });
}

/** The quantities of lists: empty texts and yes or no don't count in a list, other texts are errors. */
function quantities(lists: readonly (readonly FormulaValue[])[]): Quantity[] | FormulaError {
  const found: Quantity[] = [];
  for (const list of lists) {
    for (const item of list) {
      const one = countedAs(item, list.length === 1);
      if (isError(one)) return one;
      if (one !== undefined) found.push(one);
    }
  }
  return found;
}

/** What one item counts as; undefined when it counts as nothing. */
function countedAs(item: FormulaValue, isAlone: boolean): Quantity | FormulaError | undefined {
  if (isNumber(item) || item instanceof Money) return item;
  if (item === null || (typeof item === 'string' && item.trim() === '')) return undefined;
  if (typeof item === 'boolean') return isAlone ? new Decimal(item ? 1 : 0) : undefined;
  if (typeof item === 'string') return asQuantity(item);
  return valueError(`Numbers are needed, and ${named(item)} is among them.`);
}

function total(items: readonly FormulaValue[]): FormulaValue {
  return items.reduce<FormulaValue>((sum, item) => (isError(sum) ? sum : arithmetic('+', sum, item)), new Decimal(0));
}

function extreme(lists: readonly FormulaValue[][], isMax: boolean): FormulaValue {
  const found = quantities(lists);
  if (isError(found)) return found;
  let best: Quantity | undefined;
  for (const one of found) {
    if (best === undefined || compare(isMax ? '>' : '<', one, best) === true) best = one;
  }
  return best ?? new Decimal(0);
}

/** A criterion as SUMIF takes it: `">5"`, `"GB"`, a number; texts ignore case and take wildcards. */
export function criterion(given: FormulaValue): (value: FormulaValue) => boolean {
  if (typeof given !== 'string') return (value) => compare('=', value, given) === true;
  const [, sign = '', rest = ''] = /^(<>|<=|>=|=|<|>)?(.*)$/s.exec(given) ?? [];
  const wanted: FormulaValue = isPlainNumber(rest) ? new Decimal(rest.trim()) : rest;
  if (sign === '' || sign === '=' || sign === '<>') {
    const like = typeof wanted === 'string' && /[?*~]/.test(wanted) ? wildcards(wanted, true) : undefined;
    const isIt = (value: FormulaValue): boolean =>
      like ? typeof value === 'string' && like.matches(value) : compare('=', value, wanted) === true;
    return sign === '<>' ? (value) => !isIt(value) : isIt;
  }
  return (value) => value !== null && compare(sign as '<', value, wanted) === true;
}

function sumIf(tested: readonly FormulaValue[], given: FormulaValue, summed: readonly FormulaValue[]): FormulaValue {
  if (tested.length !== summed.length) return valueError('The two lists have different lengths.');
  const holds = criterion(given);
  const chosen = quantities([summed.filter((_, at) => holds(tested[at] ?? null))]);
  return isError(chosen) ? chosen : total(chosen);
}

function sumProduct(lists: readonly (readonly FormulaValue[])[]): FormulaValue {
  const [first = [], ...rest] = lists;
  if (rest.some((list) => list.length !== first.length)) return valueError('The lists have different lengths.');
  let sum: FormulaValue = new Decimal(0);
  for (const [at, item] of first.entries()) {
    let product: FormulaValue = item;
    for (const list of rest) {
      product = arithmetic('*', product, list[at] ?? null);
      if (isError(product)) return product;
    }
    sum = arithmetic('+', sum, product);
    if (isError(sum)) return sum;
  }
  return sum;
}

/** Functions on numbers and amounts. */
export const numberFunctions = [
  number(
    'ROUND',
    'number:quantity digits:number?',
    asIs,
    'Rounded to so many decimals; halves away from zero.',
    ([of, digits]: [Quantity, Decimal?]) => roundTo(of, digits, Decimal.ROUND_HALF_UP),
  ),
  number(
    'ROUNDUP',
    'number:quantity digits:number?',
    asIs,
    'Rounded away from zero.',
    ([of, digits]: [Quantity, Decimal?]) => roundTo(of, digits, Decimal.ROUND_UP),
  ),
  number(
    'ROUNDDOWN',
    'number:quantity digits:number?',
    asIs,
    'Rounded towards zero.',
    ([of, digits]: [Quantity, Decimal?]) => roundTo(of, digits, Decimal.ROUND_DOWN),
  ),
  number(
    'MROUND',
    'number:quantity multiple:number',
    asIs,
    'Rounded to the nearest multiple.',
    ([of, multiple]: [Quantity, Decimal]) => {
      if (multiple.isZero()) return change(of, () => new Decimal(0));
      const amount = of instanceof Money ? of.amount : of;
      if (!amount.isZero() && amount.isNegative() !== multiple.isNegative())
        return new FormulaError('#NUM!', 'Number and multiple need the same sign.');
      return change(of, (one) => one.dividedBy(multiple).toDecimalPlaces(0, Decimal.ROUND_HALF_UP).times(multiple));
    },
  ),
  number('INT', 'number:quantity', asIs, 'The next whole number below.', ([of]: [Quantity]) =>
    change(of, (one) => one.floor()),
  ),
  number(
    'MOD',
    'number:number divisor:number',
    'number',
    'What is left after a division; it has the divisor’s sign.',
    ([of, divisor]: [Decimal, Decimal]) => {
      if (divisor.isZero()) return new FormulaError('#DIV/0!', 'Division by zero.');
      return of.minus(divisor.times(of.dividedBy(divisor).floor()));
    },
  ),
  number('ABS', 'number:quantity', asIs, 'Without its sign.', ([of]: [Quantity]) => change(of, (one) => one.abs())),
  number('MIN', 'number:list', asIs, 'The smallest.', (lists: FormulaValue[][]) => extreme(lists, false), {
    repeats: 1,
  }),
  number('MAX', 'number:list', asIs, 'The largest.', (lists: FormulaValue[][]) => extreme(lists, true), { repeats: 1 }),
  number(
    'SUM',
    'number:list',
    asIs,
    'All added up.',
    (lists: FormulaValue[][]) => {
      const found = quantities(lists);
      return isError(found) ? found : total(found);
    },
    { repeats: 1 },
  ),
  number(
    'AVERAGE',
    'number:list',
    asIs,
    'The mean.',
    (lists: FormulaValue[][]) => {
      const found = quantities(lists);
      if (isError(found)) return found;
      return arithmetic('/', total(found), new Decimal(found.length));
    },
    { repeats: 1 },
  ),
  number(
    'COUNT',
    'value:list',
    'number',
    'How many are numbers or amounts.',
    (lists: FormulaValue[][]) =>
      new Decimal(
        lists
          .flat()
          .filter((one) => isNumber(one) || one instanceof Money || (typeof one === 'string' && isPlainNumber(one)))
          .length,
      ),
    { repeats: 1 },
  ),
  number(
    'COUNTA',
    'value:list',
    'number',
    'How many are not empty.',
    (lists: FormulaValue[][]) => new Decimal(lists.flat().filter((one) => one !== null).length),
    { repeats: 1, takesErrors: true },
  ),
  number(
    'COUNTIF',
    'list:list criterion:any',
    'number',
    'How many meet a criterion, such as ">5" or "GB".',
    ([tested, given]: [FormulaValue[], FormulaValue]) => new Decimal(tested.filter(criterion(given)).length),
  ),
  number(
    'SUMIF',
    'list:list criterion:any summed:list?',
    (types) => ((types[2] ?? types[0]) === 'money' ? 'money' : 'number'),
    'The sum of those that meet a criterion, such as ">5" or "GB".',
    ([tested, given, summed]: [FormulaValue[], FormulaValue, FormulaValue[]?]) =>
      sumIf(tested, given, summed ?? tested),
  ),
  number(
    'SUMPRODUCT',
    'list:list',
    (types) => (types.includes('money') ? 'money' : 'number'),
    'The items of lists multiplied with each other and added up.',
    (lists: FormulaValue[][]) => sumProduct(lists),
    { repeats: 1 },
  ),
  number(
    'POWER',
    'base:number exponent:number',
    'number',
    'One number to the power of another, as ^.',
    ([base, exponent]: [Decimal, Decimal]) => arithmetic('^', base, exponent),
  ),
];

const list = definer('list');

const itemAt = (items: readonly FormulaValue[], at: number): FormulaValue => items[at] ?? null;

/** Functions on lists, all of them ours. */
export const listFunctions = [
  list(
    'FIRST',
    'list:list',
    (types) => (types[0] === 'list' ? 'any' : (types[0] ?? 'any')),
    'The first item of a list.',
    ([items]: [FormulaValue[]]) => itemAt(items, 0),
    { isExtra: true },
  ),
  list(
    'LAST',
    'list:list',
    (types) => (types[0] === 'list' ? 'any' : (types[0] ?? 'any')),
    'The last item of a list.',
    ([items]: [FormulaValue[]]) => items.at(-1) ?? null,
    { isExtra: true },
  ),
  list(
    'ITEM',
    'list:list number:number',
    'any',
    'One item of a list, counted from 1.',
    ([items, at]: [FormulaValue[], Decimal]) => {
      const place = at.trunc().toNumber();
      return place >= 1 && place <= items.length
        ? itemAt(items, place - 1)
        : new FormulaError('#N/A', `The list has ${items.length} items.`);
    },
    { isExtra: true },
  ),
  list(
    'FILTER',
    'list:list tested:list criterion:any',
    'list',
    'The items for which the item at the same place of another list meets a criterion.',
    ([items, tested, given]: [FormulaValue[], FormulaValue[], FormulaValue]) => {
      if (items.length !== tested.length) return valueError('The two lists have different lengths.');
      const holds = criterion(given);
      return items.filter((_, at) => holds(itemAt(tested, at)));
    },
    { isExtra: true },
  ),
  list(
    'DISTINCT',
    'list:list',
    'list',
    'Each item once, in their order.',
    ([items]: [FormulaValue[]]) => {
      const seen = new Set<string>();
      return items.filter((item) => {
        const key = String(asText(item));
        return seen.has(key) ? false : seen.add(key);
      });
    },
    { isExtra: true },
  ),
  list(
    'SPLIT',
    'text:text separator:text',
    'list',
    'The parts of a text between separators.',
    ([given, separator]: [string, string]) =>
      separator === '' ? valueError('A separator is needed.') : given.split(separator).map((part) => part.trim()),
    { isExtra: true },
  ),
];

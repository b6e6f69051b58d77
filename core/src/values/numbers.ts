import { code as currencyByCode } from 'currency-codes';
import Decimal from 'decimal.js';

/** What stands before the decimals. */
export type DecimalMark = 'point' | 'comma';

/** What a text says as a number, or a sentence why it says none. */
export type NumberReading =
  | { readonly ok: true; readonly number: string; readonly currency?: string; readonly note?: string }
  | { readonly ok: false; readonly message: string };

/** Countries that write a comma before decimals (common practice; the others write a point). */
const commaCountries = new Set(
  'AL AM AO AR AT AZ BA BE BG BO BR BY CL CO CR CU CY CZ DE DK DZ EC EE ES FI FO FR GE GL GR HR HU ID IS IT KG KZ LT LU LV MA MC MD ME MK MZ NL NO PL PT PY RO RS RU SE SI SK SM TN TR UA UY UZ VE VN XK ZA'.split(
    ' ',
  ),
);

/** The decimal mark that is usual in a country (ISO 3166-1 alpha-2). */
export function usualMark(country: string): DecimalMark {
  return commaCountries.has(country) ? 'comma' : 'point';
}

/** Signs that mean one currency wherever they stand; `$` and `¥` mean several. */
const currencySigns: Readonly<Record<string, string>> = {
  '£': 'GBP',
  '€': 'EUR',
  '₹': 'INR',
  '₽': 'RUB',
  '₺': 'TRY',
  '₩': 'KRW',
  '₪': 'ILS',
  '₴': 'UAH',
  '₦': 'NGN',
  '₫': 'VND',
  '₱': 'PHP',
  '฿': 'THB',
  zł: 'PLN',
  Kč: 'CZK',
  R$: 'BRL',
  US$: 'USD',
  A$: 'AUD',
  C$: 'CAD',
  CHF: 'CHF',
};
const dollars: Readonly<Record<string, string>> = { US: 'USD', CA: 'CAD', AU: 'AUD', NZ: 'NZD', SG: 'SGD', HK: 'HKD' };

/**
 * How many decimals a currency has (ISO 4217: JPY 0, EUR 2, KWD 3), or undefined when there is no
 * such currency. Metals and funds, which have none in the standard, count as 0.
 */
export function minorUnits(currency: string): number | undefined {
  return currencyByCode(currency.toUpperCase())?.digits;
}

/** Minor units as an amount: 12050 of GBP is `120.50`. */
export function fromMinor(minor: string | number, currency: string): string {
  const digits = minorUnits(currency) ?? 2;
  return new Decimal(minor).dividedBy(new Decimal(10).pow(digits)).toFixed(digits);
}

/**
 * An amount as minor units: `120.50` of GBP is 12050.
 * @throws RangeError when the amount has more decimals than the currency, or can't be counted exactly
 */
export function toMinor(amount: string, currency: string): number {
  const digits = minorUnits(currency) ?? 2;
  const minor = new Decimal(amount).times(new Decimal(10).pow(digits));
  if (!minor.isInteger()) throw new RangeError(`${amount} has more decimals than ${currency} (${digits}).`);
  if (minor.abs().greaterThan(Number.MAX_SAFE_INTEGER)) throw new RangeError(`${amount} is too large an amount.`);
  return minor.toNumber();
}

const plain = /^[+-]?(\d+\.?\d*|\.\d+)(e[+-]?\d{1,3})?$/i;
const longest = 60;

/**
 * Reads a number as people and apps write it: `1204.5`, `1.234,56`, `£1,204.50`, `(12.50)`, `12 %`.
 * What figures alone can't tell (`1,204`) is read by `mark`, and noted.
 */
export function readNumber(text: string, mark: DecimalMark, country = ''): NumberReading {
  const given = text.trim();
  if (given.length > longest) return unreadable(given);
  if (plain.test(given) && !isUnclear(given)) return { ok: true, number: new Decimal(given).toFixed() };
  const { rest, currency } = withoutCurrency(given, country);
  const isShare = /%$/.test(rest);
  const isBracketed = /^\(.*\)$/.test(rest);
  let figures = rest
    .replace(/%$/, '')
    .replace(/^\((.*)\)$/, '$1')
    .trim();
  const isNegative = isBracketed || /^[-−–]/.test(figures) || /[-−–]$/.test(figures);
  figures = figures.replace(/^[-−–+]|[-−–]$/g, '').trim();
  const read = ungroup(figures, mark);
  if (!read) return unreadable(given);
  const number = new Decimal(read.number).times(isNegative ? -1 : 1).dividedBy(isShare ? 100 : 1);
  const notes = [read.note, given !== number.toFixed() && !read.note ? `read as ${number.toFixed()}` : undefined];
  const note = notes.filter(Boolean).join(', ');
  return { ok: true, number: number.toFixed(), ...(currency && { currency }), ...(note && { note }) };
}

/** A point or comma with exactly three figures after it may part thousands or stand before decimals. */
const isUnclear = (text: string): boolean => /^[+-]?[1-9]\d{0,2}[.,]\d{3}$/.test(text);

function unreadable(text: string): NumberReading {
  const shown = text.length > 40 ? `${text.slice(0, 40)}…` : text;
  return { ok: false, message: `“${shown}” can’t be read as a number.` };
}

function withoutCurrency(text: string, country: string): { rest: string; currency?: string } {
  const found = /^([-−–(]?\s*)([^\d\s.,()\-−–+%]{1,3})\s*(.*)$|^(.*?)\s*([^\d\s.,()\-−–+%]{1,3})([)]?)$/u.exec(text);
  if (!found) return { rest: text };
  const sign = (found[2] ?? found[5] ?? '').trim();
  const rest = found[2] !== undefined ? `${found[1]}${found[3]}`.trim() : `${found[4]}${found[6]}`;
  const byCode = /^[a-z]{3}$/i.test(sign) && minorUnits(sign) !== undefined ? sign.toUpperCase() : undefined;
  const currency = currencySigns[sign] ?? byCode ?? (sign === '$' ? dollars[country] : undefined);
  if (currency) return { rest, currency };
  return sign === '$' || sign === '¥' || sign === 'kr' ? { rest } : { rest: text };
}

/** The figures without their grouping; undefined when they are grouped as nobody groups. */
function ungroup(figures: string, mark: DecimalMark): { number: string; note?: string } | undefined {
  const joined = figures.replace(/(?<=\d)[\s\u00a0\u202f'’](?=\d{3}(?!\d))/gu, '');
  if (!/^[\d.,]+$/.test(joined) || !/\d/.test(joined)) return undefined;
  const [points, commas] = [joined.split('.').length - 1, joined.split(',').length - 1];
  if (points > 0 && commas > 0) {
    const isComma = joined.lastIndexOf(',') > joined.lastIndexOf('.');
    return grouped(joined, isComma ? '.' : ',', isComma ? ',' : '.');
  }
  if (points + commas === 0) return { number: joined };
  const sign = points > 0 ? '.' : ',';
  if (points + commas > 1) return grouped(joined, sign, undefined);
  if (isUnclear(joined)) {
    const isDecimal = (sign === '.') === (mark === 'point');
    const word = sign === '.' ? 'point' : 'comma';
    return isDecimal
      ? { number: joined.replace(',', '.'), note: `read with a decimal ${word}` }
      : { number: joined.replace(sign, ''), note: `read with the ${word} between thousands` };
  }
  return { number: joined.replace(',', '.').replace(/^\./, '0.').replace(/\.$/, '') };
}

function grouped(text: string, group: '.' | ',', decimal: '.' | ',' | undefined): { number: string } | undefined {
  const [whole = '', part = '', more] = decimal ? text.split(decimal) : [text];
  if (more !== undefined || part.includes(group)) return undefined;
  const groups = whole.split(group);
  const isGrouped =
    /^\d{1,3}$/.test(groups[0] ?? '') &&
    groups.slice(1).every((one) => /^\d{2,3}$/.test(one)) &&
    /^\d{3}$/.test(groups.at(-1) ?? '');
  if (!isGrouped) return undefined;
  return { number: part ? `${groups.join('')}.${part}` : groups.join('') };
}

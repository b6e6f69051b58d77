import { readCountry } from '../../values/countries.ts';
import { minorUnits } from '../../values/numbers.ts';
import { splitName } from '../../values/person-name.ts';
import { readPhone } from '../../values/phone.ts';
import { keyText } from '../../values/text.ts';
import { Decimal, FormulaError, type FormulaValue, Money, notAvailable, toValue, valueError } from '../values.ts';
import { definer } from './define.ts';

const business = definer('business');
const table = definer('table');
const isExtra = true;

/** What the job needs beyond the standard; every one of these is an extra. */
export const businessFunctions = [
  business(
    'PHONE',
    'text:text country:text?',
    'text',
    'A telephone number as +441632960771 (E.164); numbers without a country code are read as dialled in the country.',
    ([text, country]: [string, string?], env): FormulaValue => {
      if (text.trim() === '') return null;
      return (
        readPhone(text, country?.toUpperCase() ?? env.around.country) ??
        valueError(`“${text}” can’t be read as a telephone number.`)
      );
    },
    { isExtra },
  ),
  business(
    'EMAIL.DOMAIN',
    'text:text',
    'text',
    'What stands after the @ of an e-mail address, in small letters.',
    ([text]: [string]): FormulaValue => {
      const found = /^[^\s@]+@([^\s@]+\.[^\s@]+)$/.exec(text.trim());
      return found?.[1]?.toLowerCase() ?? valueError(`“${text}” is not an e-mail address.`);
    },
    { isExtra },
  ),
  business(
    'COUNTRY.CODE',
    'text:text',
    'text',
    'A country’s two letters (ISO 3166) for its name or code.',
    ([text]: [string]): FormulaValue => {
      if (text.trim() === '') return null;
      return readCountry(text) ?? notAvailable(`“${text}” is not a known country.`);
    },
    { isExtra },
  ),
  business(
    'NAME.FIRST',
    'text:text',
    'text',
    'The first names of a full name.',
    ([text]: [string]) => splitName(text).first,
    { isExtra },
  ),
  business(
    'NAME.LAST',
    'text:text',
    'text',
    'The last name of a full name, with “van”, “de la” and the like.',
    ([text]: [string]) => splitName(text).last,
    { isExtra },
  ),
  business(
    'LINES',
    'text:text',
    'number',
    'How many lines a text has.',
    ([text]: [string]) => new Decimal(text === '' ? 0 : text.split(/\r\n|\r|\n/).length),
    { isExtra },
  ),
  business(
    'LINE.NUMBER',
    '',
    'number',
    'Which line of the list is being filled, counted from 1.',
    (_: [], env) =>
      env.around.lineNumber === undefined
        ? notAvailable('No line is being filled here.')
        : new Decimal(env.around.lineNumber),
    { isExtra },
  ),
  business(
    'MONEY',
    'amount:number currency:text',
    'money',
    'An amount of a currency, such as MONEY(12.5; "GBP").',
    ([amount, currency]: [Decimal, string]): FormulaValue =>
      minorUnits(currency) === undefined
        ? valueError(`“${currency}” is not a currency code (ISO 4217).`)
        : new Money(amount, currency.toUpperCase()),
    { isExtra },
  ),
  business(
    'AMOUNT',
    'money:number',
    'number',
    'An amount of money as a plain number.',
    ([amount]: [Decimal]) => amount,
    { isExtra },
  ),
  business(
    'CURRENCY',
    'money:any',
    'text',
    'The currency of an amount, such as GBP.',
    ([money]: [FormulaValue]): FormulaValue =>
      money instanceof Money && money.currency !== ''
        ? money.currency
        : notAvailable('The value doesn’t say its currency.'),
    { isExtra },
  ),
  business(
    'ROUND.MONEY',
    'money:quantity currency:text?',
    'money',
    'An amount rounded to what its currency has (ISO 4217), halves away from zero.',
    ([money, currency]: [Decimal | Money, string?]): FormulaValue => {
      const code = currency?.toUpperCase() ?? (money instanceof Money ? money.currency : '');
      const digits = minorUnits(code);
      if (digits === undefined)
        return valueError(
          code ? `“${code}” is no currency of ISO 4217.` : 'Which currency is it? Name it as the second argument.',
        );
      const amount = money instanceof Money ? money.amount : money;
      return new Money(amount.toSignificantDigits(30).toDecimalPlaces(digits, Decimal.ROUND_HALF_UP), code);
    },
    { isExtra },
  ),
  table(
    'FROM.TABLE',
    'value:any table:text otherwise:raw?',
    (types) => (types.length > 2 && types[2] !== 'text' ? 'any' : 'text'),
    'What a table of this workflow has beside a value; another when the value is not in it.',
    ([value, name, otherwise]: [FormulaValue, string, FormulaValue?], env): FormulaValue => {
      const found = env.around.tables?.find((one) => keyText(one.name) === keyText(name));
      if (!found) return new FormulaError('#REF!', `This workflow has no table “${name}”.`);
      const key = keyText(toValue(value));
      const row = found.rows.find((one) => keyText(one.from) === key);
      if (row) return row.to;
      return otherwise === undefined
        ? notAvailable(`“${String(toValue(value) ?? '')}” is not in the table “${found.name}”.`)
        : otherwise;
    },
    { isExtra },
  ),
];

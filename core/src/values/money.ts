import Decimal from 'decimal.js';
import type { Field } from './field.ts';
import { minorUnits } from './numbers.ts';
import { readPath } from './paths.ts';
import { type JsonRecord, toText, type Value } from './value.ts';

/** The currency that a money field's amounts are in: always the same one, or told by another field of the record. */
export function currencyFor(field: Field, record: JsonRecord): string {
  if (!field.currency) return '';
  return 'code' in field.currency ? field.currency.code : toText(readPath(record, field.currency.path)).toUpperCase();
}

/** Why an amount can't stand in a currency; undefined when it can. */
export function amountProblem(amount: string, currency: string): string | undefined {
  if (currency === '') return undefined;
  const digits = minorUnits(currency);
  if (digits === undefined) return `“${currency}” is not a currency code (ISO 4217).`;
  const decimals = /\.(\d*?)0*$/.exec(amount)?.[1]?.length ?? 0;
  if (decimals <= digits) return undefined;
  return `${amount} has ${decimals} decimals, and ${currency} has ${digits}. Round it first.`;
}

/** Numbers and amounts added up as decimals; empty ones and those that are none don't count. */
export function sumOf(values: readonly Value[]): string {
  return values
    .reduce<Decimal>((sum, value) => {
      const text = toText(value);
      return /^[+-]?\d+(\.\d+)?$/.test(text) ? sum.plus(text) : sum;
    }, new Decimal(0))
    .toFixed();
}

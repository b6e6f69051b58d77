import * as formulajs from '@formulajs/formulajs';
import fc from 'fast-check';
import { evaluateFormula } from './formula.ts';
import oracle from './testing/oracle.json';
import { FormulaError, type FormulaValue, kindOf, toValue } from './values.ts';

const around = { zone: 'UTC', country: 'GB', takenAt: '2026-07-01T23:30:00.000Z' };
const run = (text: string): FormulaValue => evaluateFormula({ text, refs: {} }, {}, around);
const number = (value: FormulaValue): number => Number(toValue(value));

/** What an oracle and we give, in one form: errors by being one, numbers as doubles. */
function shown(value: FormulaValue): unknown {
  if (value instanceof FormulaError) return 'error';
  return kindOf(value) === 'number' ? number(value) : toValue(value);
}

describe(`the functions agree with ${oracle.oracle}`, () => {
  const departures: Readonly<Record<string, string>> = oracle.departures;

  test.each(oracle.cases as [string, string, string | boolean][])('%s is a %s: %s', (text, kind, expected) => {
    const ours = shown(run(text));
    const theirs = kind === 'error' ? 'error' : kind === 'number' ? Number(expected) : expected;
    const isSame =
      typeof ours === 'number' && typeof theirs === 'number'
        ? Math.abs(ours - theirs) <= 1e-9 * Math.max(1, Math.abs(theirs))
        : ours === theirs;
    // Every departure is written down with its reason, and is still one.
    expect(isSame).toBe(departures[text] === undefined);
  });
});

describe('the functions agree with formulajs 4.6 on random arguments', () => {
  const small = fc.integer({ min: -10_000, max: 10_000 }).map((cents) => cents / 100);
  const list = fc.array(fc.integer({ min: -50, max: 50 }), { minLength: 1, maxLength: 8 });
  const literal = (items: readonly (string | number)[]): string =>
    `{${items.map((item) => (typeof item === 'number' ? item : `"${item}"`)).join(';')}}`;

  test('rounding, remainders and sums', () => {
    fc.assert(
      fc.property(small, fc.integer({ min: -2, max: 3 }), fc.integer({ min: 1, max: 90 }), (value, digits, divisor) => {
        expect(number(run(`INT(${value})`))).toBe(formulajs.INT(value));
        expect(number(run(`ROUNDDOWN(${value};${digits})`))).toBeCloseTo(Number(formulajs.ROUNDDOWN(value, digits)), 1);
        // The library gives the divisor itself for a negative multiple of it; a remainder is less than the divisor.
        const rest = Number(formulajs.MOD(Math.trunc(value), divisor)) % divisor;
        expect(number(run(`MOD(${Math.trunc(value)};${divisor})`))).toBe(rest);
      }),
      { seed: 41 },
    );
  });

  test('SUMIF and COUNTIF by criteria, SUMPRODUCT over two lists', () => {
    const sign = fc.constantFrom('>', '<', '>=', '<=', '<>', '=');
    fc.assert(
      fc.property(list, sign, fc.integer({ min: -50, max: 50 }), (items, operator, bound) => {
        const criterion = `${operator}${bound}`;
        expect(number(run(`COUNTIF(${literal(items)};"${criterion}")`))).toBe(formulajs.COUNTIF(items, criterion));
        expect(number(run(`SUMIF(${literal(items)};"${criterion}")`))).toBe(formulajs.SUMIF(items, criterion));
        expect(number(run(`SUMPRODUCT(${literal(items)};${literal(items)})`))).toBe(
          formulajs.SUMPRODUCT([items], [items]),
        );
      }),
      { seed: 42 },
    );
  });

  test('a criterion of text ignores case and takes wildcards', () => {
    const countries = ['GB', 'gb', 'Ghana', 'IE'];
    expect(number(run(`COUNTIF(${literal(countries)};"gb")`))).toBe(2);
    expect(number(run(`COUNTIF(${literal(countries)};"G*")`))).toBe(3);
    expect(number(run(`COUNTIF(${literal(countries)};"?B")`))).toBe(2);
  });
});

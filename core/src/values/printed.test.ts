import fc from 'fast-check';
import { amountText, printedValue } from './printed.ts';

const at = (country: string, zone = 'Europe/London') => ({ country, zone });

// The customs of countries are those of Unicode CLDR, by the runtime; the values below are common practice.
test.each([
  ['date', '2026-11-04', 'GB', '04/11/2026'],
  ['date', '2026-11-04', 'US', '11/04/2026'],
  ['date', '2026-11-04', 'DE', '04.11.2026'],
  ['date', '4th of November', 'GB', '4th of November'],
  ['date', '2026-13-45', 'GB', '2026-13-45'],
  ['money', '27.6', 'GB', '27.60'],
  ['money', '1516.35', 'GB', '1,516.35'],
  ['money', '1516.35', 'DE', '1.516,35'],
  ['money', '27.605', 'GB', '27.605'],
  ['money', 'on request', 'GB', 'on request'],
  ['decimal', '27.6', 'DE', '27.6'],
  ['text', '2026-11-04', 'GB', '2026-11-04'],
] as const)('a %s %s is printed for %s as %s', (type, value, country, printed) =>
  expect(printedValue(value, { type }, at(country))).toBe(printed),
);

test('an instant is printed by the clock of the business, on both sides of a change of the clocks', () => {
  expect(printedValue('2026-10-25T00:30:00Z', { type: 'instant' }, at('GB'))).toBe('25/10/2026, 01:30');
  expect(printedValue('2026-10-25T01:30:00Z', { type: 'instant' }, at('GB'))).toBe('25/10/2026, 01:30');
  expect(printedValue('2026-11-04T23:30:00Z', { type: 'instant' }, at('DE', 'Europe/Berlin'))).toBe(
    '05.11.2026, 00:30',
  );
});

test('an amount has the decimals of its currency (ISO 4217), a choice its name, yes and no their words', () => {
  expect(printedValue('1500', { type: 'money', currencyCode: 'JPY' }, at('GB'))).toBe('1,500');
  expect(printedValue('1.5', { type: 'money', currencyCode: 'KWD' }, at('GB'))).toBe('1.500');
  const options = [{ value: 'S', label: 'standard rate' }];
  expect(printedValue('S', { type: 'choice', options }, at('GB'))).toBe('standard rate');
  expect(printedValue('X', { type: 'choice', options }, at('GB'))).toBe('X');
  expect(printedValue(true, { type: 'boolean' }, at('GB'))).toBe('yes');
});

test('no digit of an amount is lost in print, however many it has and wherever it is read', () => {
  const amount = fc.tuple(fc.bigInt({ min: 0n, max: 10n ** 18n }), fc.stringMatching(/^\d{1,4}$/));
  fc.assert(
    fc.property(amount, fc.constantFrom('GB', 'US', 'DE', 'CH', 'JP', 'EG', 'XX'), ([whole, places], country) => {
      const digits = amountText(`${whole}.${places}`, country, 2).replace(/\D/g, '');
      const kept = places.replace(/0+$/, '').padEnd(2, '0');
      expect(digits).toBe(`${whole}${kept}`);
    }),
  );
});

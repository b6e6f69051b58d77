import fc from 'fast-check';
import { coerce } from './coerce.ts';
import type { Field, FieldType } from './field.ts';
import { toMinor } from './numbers.ts';
import { isWebAddress, webAddress } from './web-address.ts';

const locale = { zone: 'Europe/London', country: 'GB' };
const field = (type: FieldType): Field => ({ path: '/n', label: 'N', type });

describe('numbers that no app keeps', () => {
  test.each([
    ['1e999', 'too large'],
    ['-1e400', 'too large'],
    ['9007199254740993', 'too large'],
    ['9'.repeat(7900), 'can’t be read as a number'],
  ])('%# are a problem of the value, not Infinity', (text, sentence) => {
    for (const type of ['integer', 'decimal', 'money'] as const) {
      const read = coerce(text, field(type), locale, 'GBP');
      expect(read).toMatchObject({ ok: false });
      expect(read.ok === false && read.message).toContain(sentence);
    }
  });

  test('whatever fits is exactly the number that a JSON number carries, and never Infinity', () => {
    fc.assert(
      fc.property(fc.oneof(fc.integer(), fc.bigInt(), fc.double()).map(String), (text) => {
        const read = coerce(text, field('integer'), locale);
        if (read.ok) expect(BigInt(Number(read.value)).toString()).toBe(String(BigInt(String(read.value))));
        const decimal = coerce(text, field('decimal'), locale);
        if (decimal.ok) expect(Number.isFinite(Number(decimal.value))).toBe(true);
      }),
    );
  });

  test('amounts are counted exactly or not at all (ISO 4217 minor units)', () => {
    expect(toMinor('90071992547409.91', 'GBP')).toBe(Number.MAX_SAFE_INTEGER);
    expect(() => toMinor('90071992547409.93', 'GBP')).toThrow('too large');
  });
});

describe('addresses that can be links', () => {
  test.each([
    ['https://shop.example/orders/7', true],
    ['http://127.0.0.1:4841/', true],
    ['HTTPS://shop.example', true],
    ['javascript:alert(1)', false],
    ['java\nscript:alert(1)', false],
    [' javascript:alert(1)', false],
    ['data:text/html,<script>alert(1)</script>', false],
    ['vbscript:x', false],
    ['file:///etc/passwd', false],
    ['//shop.example', false],
    ['', false],
  ])('%s: %s', (text, isLink) => {
    expect(isWebAddress(text)).toBe(isLink);
    expect(webAddress(text)).toBe(isLink ? text : undefined);
  });
});

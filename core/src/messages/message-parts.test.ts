import fc from 'fast-check';
import { messageParts } from './message-parts.ts';

// 3GPP TS 23.038 (GSM 03.38): 160 characters in one message and 153 in each of several, 70 and 67 where one of them isn't
// in the default alphabet; those of the extension table take the room of two.

const parts = (text: string) => messageParts(text).parts;

test.each([
  ['', 1],
  ['a'.repeat(160), 1],
  ['a'.repeat(161), 2],
  ['a'.repeat(306), 2],
  ['a'.repeat(307), 3],
  ['ж'.repeat(70), 1],
  ['ж'.repeat(71), 2],
  ['ж'.repeat(134), 2],
  ['ж'.repeat(135), 3],
  // The euro is in the extension table.
  ['€'.repeat(80), 1],
  ['€'.repeat(81), 2],
  // It isn't cut in two: 152 and an euro don't fit into 153, so the euro begins the second part.
  [`${'a'.repeat(152)}€${'a'.repeat(151)}`, 2],
  [`${'a'.repeat(152)}€${'a'.repeat(152)}`, 3],
  // A sign beyond the 16 bits takes two of them, and isn't cut either.
  ['🙂'.repeat(35), 1],
  ['🙂'.repeat(36), 2],
  [`${'ж'.repeat(66)}🙂${'ж'.repeat(65)}`, 2],
  [`${'ж'.repeat(66)}🙂${'ж'.repeat(66)}`, 3],
])('%p takes %i', (text, count) => expect(parts(text)).toBe(count));

test('every sign of the default alphabet takes one, and the alphabet has 127 beside its escape', () => {
  const all = Array.from({ length: 0x3b0 }, (_, code) => String.fromCodePoint(code)).filter(
    (sign) => messageParts(sign).alphabet === 'gsm',
  );
  const rooms = all.map((sign) => messageParts(sign).units);
  expect(rooms.filter((room) => room === 1)).toHaveLength(127);
  // The euro stands beyond these.
  expect(rooms.filter((room) => room === 2)).toHaveLength(9);
  expect(messageParts('€').units).toBe(2);
});

test('what a writing program makes of an apostrophe is told: it takes more than twice the room', () => {
  const told = messageParts(`${'a'.repeat(100)}’s`);
  expect(told).toEqual({ alphabet: 'wide', units: 102, parts: 2, strange: ['’'] });
  expect(parts(`${'a'.repeat(100)}'s`)).toBe(1);
});

test('a longer text never takes fewer parts, and two texts together never fewer than one of them nor more than both and one', () => {
  const text = fc.string({ unit: fc.constantFrom('a', '€', 'ж', '🙂', '\n'), maxLength: 400 });
  fc.assert(
    fc.property(text, text, (one, other) => {
      const whole = parts(one + other);
      expect(whole).toBeGreaterThanOrEqual(
        Math.max(parts(one), messageParts(other).alphabet === 'gsm' ? parts(other) : 1),
      );
      const { alphabet } = messageParts(one + other);
      if (messageParts(one).alphabet === alphabet && messageParts(other).alphabet === alphabet)
        expect(whole).toBeLessThanOrEqual(parts(one) + parts(other) + 1);
    }),
  );
});

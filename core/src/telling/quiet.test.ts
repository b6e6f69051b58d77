import fc from 'fast-check';
import { atMost, quieterThanUsual } from './quiet.ts';

// Cumulative probabilities of the Poisson distribution as printed tables have them, to four places (from memory).
test.each([
  [0, 1, 0.3679],
  [1, 1, 0.7358],
  [0, 2.5, 0.0821],
  [2, 5, 0.1247],
  [5, 5, 0.616],
  [3, 10, 0.0103],
  [10, 10, 0.583],
  [0, 7, 0.0009],
])('at most %i where %d are expected: %d', (count, expected, probability) => {
  expect(atMost(count, expected)).toBeCloseTo(probability, 4);
});

test.each<[string, number[], number, { usual: number; today: number } | undefined]>([
  ['usually 40 by noon, today none', [38, 44, 40, 41, 36], 0, { usual: 40, today: 0 }],
  ['a quarter of what is usual', [38, 44, 40, 41, 36], 10, { usual: 40, today: 10 }],
  ['a little less than ever', [38, 44, 40, 41, 36], 33, undefined],
  ['few are usual, so that none says little', [3, 2, 5, 4], 0, undefined],
  ['seven are usual: none comes by chance once in a thousand days', [7, 8, 7, 6], 0, { usual: 7, today: 0 }],
  ['a day like the quietest before', [40, 0, 42, 44], 0, undefined],
  ['too few days are known', [40, 41], 0, undefined],
  ['one flood makes no day unusual', [1, 900, 2, 1, 2], 0, undefined],
])('%s', (_what, earlier, today, told) => {
  expect(quieterThanUsual(earlier, today)).toEqual(told);
});

test('the more comes today, the less it is told; and never of a day like one of those before', () => {
  const days = fc.array(fc.nat(200), { minLength: 3, maxLength: 8 });
  fc.assert(
    fc.property(days, fc.nat(200), fc.nat(50), (earlier, today, more) => {
      if (quieterThanUsual(earlier, today + more)) expect(quieterThanUsual(earlier, today)).toBeDefined();
      if (today >= Math.min(...earlier)) expect(quieterThanUsual(earlier, today)).toBeUndefined();
    }),
  );
});

test('the probabilities are those of a distribution: they rise to one', () => {
  fc.assert(
    fc.property(fc.double({ min: 0.1, max: 2000, noNaN: true }), fc.nat(2000), (expected, count) => {
      expect(atMost(count + 1, expected)).toBeGreaterThanOrEqual(atMost(count, expected));
      expect(atMost(Math.ceil(expected * 2 + 60), expected)).toBeCloseTo(1, 6);
    }),
  );
});

import fc from 'fast-check';
import { calibrationGap, calibrationOf } from './calibrate.ts';
import { mixedNumbers } from './pairs.ts';
import { fromLogOdds, logOdds } from './thirds.ts';
import { type WeighedPair, WeighedPairs } from './weighed-pairs.ts';

/**
 * People with three records each, of which two are surely one; the third looks like `said` with the first
 * and is theirs in `share` of the cases, which the second tells.
 */
function threes(count: number, said: number, share: number): WeighedPair[] {
  const next = mixedNumbers(count);
  return Array.from({ length: count }, (_, at) => {
    const [a, b, c] = [3 * at, 3 * at + 1, 3 * at + 2];
    const isOne = next(1000) < share * 1000;
    return [
      { a, b, probability: 0.999 },
      { a, b: c, probability: said },
      ...(isOne ? [{ a: b, b: c, probability: 0.97 }] : []),
    ];
  }).flat();
}

test.each([
  [0.4, 0.7],
  [0.7, 0.4],
  [0.2, 0.2],
])('what looks like %d and is true in %d is told as that', (said, share) => {
  const told = calibrationOf(6000, WeighedPairs.of(threes(2000, said, share)))(said);
  expect(Math.abs(told - share)).toBeLessThan(0.06);
});

test('too few third records, or only of one kind, teach nothing', () => {
  expect(calibrationOf(90, WeighedPairs.of(threes(30, 0.4, 0.7)))(0.4)).toBe(0.4);
  expect(calibrationOf(6000, WeighedPairs.of(threes(2000, 0.4, 1)))(0.4)).toBe(0.4);
  expect(calibrationOf(0, WeighedPairs.of([]))(0.4)).toBe(0.4);
});

test('whatever the table shows, what was likelier stays likelier, and nothing leaves zero to one', () => {
  const share = fc.double({ min: 0.03, max: 0.97, noNaN: true });
  fc.assert(
    fc.property(share, share, share, share, (said, truth, other, otherTruth) => {
      const pairs = [
        ...threes(300, said, truth),
        ...threes(300, other, otherTruth).map(({ a, b, probability }) => ({ a: a + 900, b: b + 900, probability })),
      ];
      const calibrated = calibrationOf(1800, WeighedPairs.of(pairs));
      let before = 0;
      for (let odds = -6; odds <= 12; odds += 0.25) {
        const now = calibrated(fromLogOdds(odds));
        expect(now).toBeGreaterThan(before - 1e-9);
        expect(now).toBeLessThanOrEqual(1);
        before = now;
      }
    }),
    { numRuns: 20, seed: 16 },
  );
});

test('odds and probabilities are each other’s inverse', () => {
  for (const probability of [0.001, 0.25, 0.5, 0.9])
    expect(fromLogOdds(logOdds(probability))).toBeCloseTo(probability, 12);
  expect(logOdds(0.8)).toBeCloseTo(Math.log(4), 12);
});

test('the gap is that of the worst bin; fewer pairs than a bin have none', () => {
  const pairs = (count: number, probability: number): WeighedPair[] =>
    Array.from({ length: count }, (_, at) => ({ a: at, b: at + 1, probability }));
  expect(calibrationGap(pairs(199, 0.5), () => true)).toBeUndefined();
  expect(calibrationGap(pairs(400, 0.999), () => false)).toBeUndefined();
  expect(calibrationGap([...pairs(200, 0.3), ...pairs(200, 0.8)], ({ a }) => a % 10 < 3)).toBeCloseTo(0.5, 10);
});

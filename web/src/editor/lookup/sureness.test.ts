import fc from 'fast-check';
import { percentText } from '../../parts/formats.ts';
import { askLevels, binsOf, levelOf } from './sureness.ts';

test('every sample falls into one tenth, the one it belongs to, and none is lost', () => {
  const verdict = fc.constantFrom('found' as const, 'unclear' as const, 'none' as const);
  fc.assert(
    fc.property(fc.array(fc.record({ probability: fc.double({ min: 0, max: 1, noNaN: true }), verdict })), (all) => {
      const bins = binsOf(all);
      expect(bins).toHaveLength(10);
      for (const kind of ['found', 'unclear', 'none'] as const)
        expect(bins.reduce((sum, bin) => sum + bin[kind], 0)).toBe(all.filter((one) => one.verdict === kind).length);
      for (const [at, bin] of bins.entries())
        expect(bin.found + bin.unclear + bin.none).toBe(
          all.filter(({ probability }) => Math.min(9, Math.floor(probability * 10)) === at).length,
        );
    }),
  );
});

test('a level and its number lead to each other; a number that somebody set before stays what it was', () => {
  for (const { name, sure } of askLevels) expect(levelOf(sure)).toBe(name);
  expect(levelOf(undefined)).toBe('normal');
  expect(levelOf(0.93)).toBeUndefined();
});

test('how sure is never said to be more than it is', () => {
  expect([percentText(0.999), percentText(0.9), percentText(0.29)]).toEqual(['99 %', '90 %', '29 %']);
});

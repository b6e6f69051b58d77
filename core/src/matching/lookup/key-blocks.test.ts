import fc from 'fast-check';
import { KeyBlocks } from './key-blocks.ts';

// Against a plain map of arrays, whatever is added, dropped, packed and put aside in whatever order.

const most = 3;

type Deed =
  | { readonly kind: 'add'; readonly key: number }
  | { readonly kind: 'drop'; readonly key: number }
  | { readonly kind: 'put aside' };

/** Few keys, some of them as large as keys get. */
const key = fc.constantFrom(0, 1, 2, 5, 2 ** 31, 2 ** 53 - 1, 17, 2 ** 40 + 3);
const deed = fc.oneof(
  { weight: 6, arbitrary: fc.record({ kind: fc.constant('add' as const), key }) },
  { weight: 2, arbitrary: fc.record({ kind: fc.constant('drop' as const), key }) },
  { weight: 2, arbitrary: fc.record({ kind: fc.constant('put aside' as const) }) },
);

test('says of every key what a map of arrays says', () => {
  fc.assert(
    fc.property(fc.array(deed, { maxLength: 80 }), fc.boolean(), (deeds: Deed[], isLimited) => {
      let blocks = new KeyBlocks(isLimited ? most : undefined);
      const rows = new Map<number, number[]>();
      const gone = new Map<number, number>();
      for (const [at, one] of deeds.entries()) {
        if (one.kind === 'add') {
          blocks.add(one.key, at);
          rows.set(one.key, [...(rows.get(one.key) ?? []), at]);
        } else if (one.kind === 'drop') {
          if ((rows.get(one.key)?.length ?? 0) <= (gone.get(one.key) ?? 0)) continue;
          blocks.drop(one.key);
          gone.set(one.key, (gone.get(one.key) ?? 0) + 1);
        } else {
          const stored = structuredClone(blocks.stored());
          blocks = new KeyBlocks(isLimited ? most : undefined);
          blocks.restore(stored);
        }
      }
      for (const asked of [0, 1, 2, 3, 5, 17, 2 ** 31, 2 ** 40 + 3, 2 ** 53 - 1]) {
        const all = rows.get(asked) ?? [];
        expect(blocks.of(asked)).toEqual(isLimited && all.length > most ? undefined : all);
        // Of a key with too many it is only kept that it has.
        if (!isLimited) expect(blocks.count(asked)).toBe(all.length - (gone.get(asked) ?? 0));
      }
      if (isLimited) return;
      const counts: number[] = [];
      blocks.eachCount((count) => counts.push(count));
      const expected = [...rows].map(([one, all]) => all.length - (gone.get(one) ?? 0));
      expect(counts.sort()).toEqual(expected.sort());
    }),
    { numRuns: 500 },
  );
});

test('packs by itself what is added to many keys, and finds it', () => {
  const blocks = new KeyBlocks();
  for (let at = 0; at < 300_000; at++) blocks.add((at * 7919) % 100_003, at);
  expect(blocks.of(7919)).toEqual([1, 100_004, 200_007]);
  expect(blocks.count(0)).toBe(3);
  expect(blocks.of(100_003)).toEqual([]);
});

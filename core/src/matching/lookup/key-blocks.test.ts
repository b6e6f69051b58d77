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

/** What is to be said: a plain map of arrays. */
class Model {
  readonly rows = new Map<number, number[]>();
  private readonly gone = new Map<number, number>();

  add(key: number, row: number): void {
    this.rows.set(key, [...(this.rows.get(key) ?? []), row]);
  }
  drop(key: number): void {
    this.gone.set(key, (this.gone.get(key) ?? 0) + 1);
  }
  of(key: number): number[] {
    return this.rows.get(key) ?? [];
  }
  count(key: number): number {
    return this.of(key).length - (this.gone.get(key) ?? 0);
  }
}

function carriedOut(deeds: readonly Deed[], limit: number | undefined) {
  let blocks = new KeyBlocks(limit);
  const model = new Model();
  for (const [at, one] of deeds.entries()) {
    if (one.kind === 'put aside') {
      const stored = structuredClone(blocks.stored());
      blocks = new KeyBlocks(limit);
      blocks.restore(stored);
    } else if (one.kind === 'add') {
      for (const both of [blocks, model]) both.add(one.key, at);
    } else if (model.count(one.key) > 0) {
      for (const both of [blocks, model]) both.drop(one.key);
    }
  }
  return { blocks, model };
}

const asked = [0, 1, 2, 3, 5, 17, 2 ** 31, 2 ** 40 + 3, 2 ** 53 - 1];

test('says of every key what a map of arrays says', () => {
  fc.assert(
    fc.property(fc.array(deed, { maxLength: 80 }), (deeds) => {
      const { blocks, model } = carriedOut(deeds, undefined);
      for (const one of asked) {
        expect(blocks.of(one)).toEqual(model.of(one));
        expect(blocks.count(one)).toBe(model.count(one));
      }
      const counts: number[] = [];
      blocks.eachCount((count) => counts.push(count));
      expect(counts.sort()).toEqual([...model.rows.keys()].map((one) => model.count(one)).sort());
    }),
    { numRuns: 300 },
  );
});

test('of a key with too many it says that alone, whenever it is packed', () => {
  fc.assert(
    fc.property(fc.array(deed, { maxLength: 80 }), (deeds) => {
      const { blocks, model } = carriedOut(deeds, most);
      for (const one of asked) expect(blocks.of(one)).toEqual(model.of(one).length > most ? undefined : model.of(one));
    }),
    { numRuns: 200 },
  );
});

test('packs by itself what is added to many keys, and finds it', () => {
  const blocks = new KeyBlocks();
  for (let at = 0; at < 300_000; at++) blocks.add((at * 7919) % 100_003, at);
  expect(blocks.of(7919)).toEqual([1, 100_004, 200_007]);
  expect(blocks.count(0)).toBe(3);
  expect(blocks.of(100_003)).toEqual([]);
});

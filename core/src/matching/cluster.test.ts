import fc from 'fast-check';
import { cluster } from './cluster.ts';
import { findDuplicates, runSearch } from './find-duplicates.ts';
import { MatchTable } from './table.ts';
import type { WeighedPair } from './weighed-pairs.ts';

const alone = { probabilityOf: () => 0.01 };

/** Which records stand together, whatever the clusters are called. */
function together(clusters: Int32Array): string {
  const groups = new Map<number, number[]>();
  for (const [record, number] of clusters.entries()) groups.set(number, [...(groups.get(number) ?? []), record]);
  return JSON.stringify([...groups.values()].sort((a, b) => (a[0] as number) - (b[0] as number)));
}

/** All pairs of each group with one probability, and some bridges. */
function pairsOf(groups: readonly (readonly number[])[], probability: number): WeighedPair[] {
  return groups.flatMap((group) => group.flatMap((a, at) => group.slice(at + 1).map((b) => ({ a, b, probability }))));
}

test('one weak bridge doesn’t chain two groups', () => {
  const groups = [
    [0, 1, 2],
    [3, 4, 5],
  ];
  const pairs = [...pairsOf(groups, 0.98), { a: 2, b: 3, probability: 0.9 }];
  expect(together(cluster(6, pairs, alone))).toBe('[[0,1,2],[3,4,5]]');
});

test('a record without much in it joins by way of one that has more', () => {
  const pairs = [
    { a: 0, b: 1, probability: 0.99 },
    { a: 1, b: 2, probability: 0.99 },
    { a: 0, b: 2, probability: 0.4 },
  ];
  expect(together(cluster(3, pairs, alone))).toBe('[[0,1,2]]');
});

test('what must not be linked isn’t, however alike', () => {
  const pairs = pairsOf([[0, 1, 2]], 0.99);
  const clusters = cluster(3, pairs, { ...alone, mustNotLink: (a, b) => a + b === 1 });
  expect(clusters[0]).not.toBe(clusters[1]);
});

test('clusters are a partition that no order of pairs or records changes', () => {
  const pair = fc.record({
    a: fc.nat(9),
    b: fc.nat(9),
    probability: fc.double({ min: 0.02, max: 0.999, noNaN: true }),
  });
  fc.assert(
    fc.property(
      fc.array(pair, { maxLength: 25 }),
      fc.shuffledSubarray([0, 1, 2, 3, 4, 5, 6, 7, 8, 9], { minLength: 10 }),
      (raw, order) => {
        const once = new Map<string, WeighedPair>();
        for (const { a, b, probability } of raw) {
          if (a === b) continue;
          const [low, high] = a < b ? [a, b] : [b, a];
          once.set(`${low} ${high}`, { a: low, b: high, probability });
        }
        const pairs = [...once.values()];
        fc.pre(new Set(pairs.map(({ probability }) => probability)).size === pairs.length);
        const clusters = cluster(10, pairs, alone);
        expect(clusters).toHaveLength(10);
        expect(together(cluster(10, [...pairs].reverse(), alone))).toBe(together(clusters));
        // The same records under other numbers.
        const moved = pairs.map(({ a, b, probability }) => ({
          a: order[a] as number,
          b: order[b] as number,
          probability,
        }));
        const renamed = cluster(10, moved, alone);
        for (let a = 0; a < 10; a++)
          for (let b = 0; b < 10; b++)
            expect(renamed[order[a] as number] === renamed[order[b] as number]).toBe(clusters[a] === clusters[b]);
      },
    ),
    { numRuns: 150 },
  );
});

test('two tax numbers that were both given out are two firms, however alike the rest; a slip in one is not', () => {
  const same = (numbers: readonly [string, string]): boolean => {
    const table = new MatchTable([
      { name: 'name', kind: 'company' },
      { name: 'mail', kind: 'email' },
      { name: 'postcode', kind: 'postcode' },
      { name: 'tax', kind: 'tax_number' },
      { name: 'country', kind: 'country' },
    ]);
    for (const number of numbers) table.add(['Kiln & Co', 'office@kilnco.example', 'ZZ1 2QQ', number, 'GB']);
    const { clusters } = runSearch(findDuplicates(table));
    return clusters[0] === clusters[1];
  };
  const [one, two] = withRightDigits(['1234567', '7654321']);
  expect(same([one, `GB ${one}`])).toBe(true);
  expect(same([one, two])).toBe(false);
  expect(same([one, `${one.slice(0, 8)}${(Number(one[8]) + 1) % 10}`])).toBe(true);
});

/** British numbers with the check digits of the mod 97 rule (HM Revenue and Customs; from memory). */
function withRightDigits(numbers: readonly [string, string]): [string, string] {
  return numbers.map((number) => {
    const sum = [...number].reduce((total, digit, at) => total + Number(digit) * (8 - at), 0);
    return `${number}${String(97 - (sum % 97)).padStart(2, '0')}`;
  }) as [string, string];
}

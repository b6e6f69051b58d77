import fc from 'fast-check';
import { choose, verdictOf, zonesFor } from './decide.ts';
import { fixedModel } from './learn.ts';
import { levelsOf } from './levels.ts';
import { Weigher } from './model.ts';
import { simpleModel, tableOf } from './testing.ts';

const odds = (probability: number): number => probability / (1 - probability);

describe('weights', () => {
  const comparison = {
    key: 'one',
    label: 'one',
    fields: [0],
    aspect: 'who' as const,
    levels: levelsOf(
      { name: 'same', bearing: 'agrees', expected: 0.95, byChance: 0.01 },
      { name: 'differs', bearing: 'differs', expected: 0.05, byChance: 0.99 },
    ),
  };

  test('m = .95 and u = .01 weigh +6.57 and −4.31 (Fellegi and Sunter 1969, from memory)', () => {
    const prior = 0.1;
    const weigher = new Weigher([comparison], simpleModel(0.95, 0.01, prior));
    const weight = (level: number): number => Math.log2(odds(weigher.weigh([level], [1])) / odds(prior));
    expect(weight(2)).toBeCloseTo(6.57, 2);
    expect(weight(3)).toBeCloseTo(-4.31, 2);
    expect(weight(0)).toBeCloseTo(0, 10);
    expect(weight(1)).toBeCloseTo(0, 10);
  });

  test('agreement on a rare value says more than on a common one', () => {
    const model = simpleModel(0.95, 0.01, 0.01);
    const rare = { ...model, comparisons: model.comparisons.map((one) => ({ ...one, usualShare: [0, 0, 0.01, 0] })) };
    const weigher = new Weigher([comparison], rare);
    const usual = weigher.weigh([2], [0.01]);
    expect(weigher.weigh([2], [0.001])).toBeGreaterThan(usual);
    expect(weigher.weigh([2], [0.1])).toBeLessThan(usual);
    expect(usual).toBeCloseTo(new Weigher([comparison], model).weigh([2], [1]), 10);
  });
});

describe('a pair', () => {
  const firm = { company: 'Thistle Studio Ltd', street: '4 Potters Yard', postcode: 'ZZ2 1CD', city: 'Brightwater' };
  const records = [
    { name: 'Dirk Achterberg', email: 'dirk@thistle.example', phone: '01632 960771', ...firm },
    { name: 'Achterberg, Dirk', email: 'dirk@thistle.example', phone: '+44 1632 960 771', ...firm },
    { name: 'Daniela Moss', email: 'daniela@thistle.example', phone: '01632 960771', ...firm },
    { name: 'Dirk Achterberg', email: '', phone: '', company: 'Gull Kilns', street: '', postcode: 'ZZ9 9ZZ', city: '' },
    { name: '', email: '', phone: '', company: '', street: '', postcode: '', city: '' },
  ];
  const table = tableOf(records);
  const weigher = new Weigher(table.comparisons, fixedModel(table.comparisons, 0.01));
  const weigh = (a: number, b: number): number => {
    const room = table.room();
    table.compare(a, b, room);
    return weigher.weigh(room.levels, room.shares);
  };

  test('is one person by name in another order and the rest, not by a shared firm alone', () => {
    expect(weigh(0, 1)).toBeGreaterThan(0.99);
    expect(weigh(0, 2)).toBeLessThan(0.05);
    // The name of somebody at another firm in another town: worth a question at the most.
    expect(weigh(0, 3)).toBeLessThan(0.7);
    expect(weigh(0, 4)).toBeLessThan(0.05);
  });

  test('compares alike from both sides, and never more than the half-way bound says', () => {
    const room = table.room();
    for (let a = 0; a < table.size; a++)
      for (let b = 0; b < table.size; b++) {
        if (a === b) continue;
        expect(weigh(a, b)).toBeCloseTo(weigh(b, a), 12);
        table.compare(a, b, room);
        expect(weigher.weigh(room.levels, room.shares)).toBeLessThanOrEqual(
          weigher.mostPossible(room.levels, room.shares) + 1e-12,
        );
      }
  });
});

test('a name in the other order, its two words as common as each other, is alike from both sides', () => {
  const table = tableOf([
    { first_name: 'Müller', last_name: 'Thistle Gull' },
    { first_name: 'Thistle', last_name: 'Müller' },
  ]);
  const [one, other] = [table.room(), table.room()];
  table.compare(0, 1, one);
  table.compare(1, 0, other);
  expect([...other.levels]).toEqual([...one.levels]);
});

test('any two records are alike from both sides, whatever stands in them', () => {
  const text = fc.oneof(
    fc.string({ maxLength: 12 }),
    fc.constantFrom('Anna', 'Ana', 'A.', 'van der Wal', 'Wal, Anna', 'Müller', 'Thistle Ltd', 'Thistle', '12 Oak St'),
  );
  const names = ['first_name', 'last_name', 'company', 'email', 'phone', 'street', 'postcode', 'city', 'vat'];
  const record = fc.record(Object.fromEntries(names.map((name) => [name, text])));
  fc.assert(
    fc.property(fc.array(record, { minLength: 2, maxLength: 4 }), (records) => {
      const table = tableOf([...records, Object.fromEntries(names.map((name) => [name, 'filled']))]);
      const [one, other] = [table.room(), table.room()];
      table.compare(0, 1, one);
      table.compare(1, 0, other);
      expect([...other.levels]).toEqual([...one.levels]);
      expect([...other.shares]).toEqual([...one.shares]);
      table.compare(0, 0, one);
      expect(table.comparisons.every(({ levels }, at) => levels[one.levels[at] as number]?.bearing !== 'differs')).toBe(
        true,
      );
    }),
    { numRuns: 200 },
  );
});

describe('deciding', () => {
  test('zones keep to the wanted errors, if the probabilities mean what they say', () => {
    fc.assert(
      fc.property(fc.array(fc.double({ min: 0, max: 1, noNaN: true }), { maxLength: 80 }), (probabilities) => {
        const wanted = { wronglySame: 0.1, leastSure: 0.5, wronglyDifferent: 0.02, mostAsked: 1 };
        const zones = zonesFor(probabilities, probabilities.length, wanted);
        expect(zones.ask).toBeLessThanOrEqual(zones.same);
        const same = probabilities.filter((one) => verdictOf(one, zones) === 'same' && zones.same < 1);
        const wrong = same.reduce((sum, one) => sum + 1 - one, 0);
        expect(wrong).toBeLessThanOrEqual(0.1 * same.length + 1e-9);
      }),
    );
  });

  const zones = { same: 0.9, ask: 0.2 };
  test('one clear candidate is found, two alike are asked, none is none', () => {
    expect(choose([{ candidate: 'a', probability: 0.98 }], zones)).toMatchObject({ verdict: 'found', found: 'a' });
    const both = choose(
      [
        { candidate: 'a', probability: 0.98 },
        { candidate: 'b', probability: 0.98 },
      ],
      zones,
    );
    expect(both.verdict).toBe('unclear');
    expect(both.candidates.map(({ probability }) => probability)).toEqual([
      expect.closeTo(0.495, 2),
      expect.closeTo(0.495, 2),
    ]);
    expect(choose([{ candidate: 'a', probability: 0.05 }], zones).verdict).toBe('none');
    expect(choose([], zones)).toEqual({ verdict: 'none', candidates: [], somebodyNew: 1 });
  });

  test('candidates and somebody new share one whole', () => {
    fc.assert(
      fc.property(fc.array(fc.double({ min: 0, max: 1, noNaN: true }), { maxLength: 6 }), (probabilities) => {
        const choice = choose(
          probabilities.map((probability, candidate) => ({ candidate, probability })),
          {
            same: 0.9,
            ask: 0,
          },
        );
        const sum = choice.candidates.reduce((total, { probability }) => total + probability, choice.somebodyNew);
        expect(sum).toBeCloseTo(1, 6);
      }),
    );
  });
});

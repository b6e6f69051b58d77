import fc from 'fast-check';
import { Neighbours, type WeighedPair, WeighedPairs } from './weighed-pairs.ts';

/** Pairs of up to 30 records, each once, in any order. */
const pairs = fc
  .uniqueArray(fc.tuple(fc.nat(29), fc.nat(29), fc.double({ min: 0, max: 1, noNaN: true })), {
    selector: ([a, b]) => `${Math.min(a, b)} ${Math.max(a, b)}`,
    maxLength: 2000,
  })
  .map((all): WeighedPair[] => all.filter(([a, b]) => a !== b).map(([a, b, probability]) => ({ a, b, probability })));

test('pairs come out as they were put in, also with other probabilities', () => {
  fc.assert(
    fc.property(pairs, (given) => {
      const kept = WeighedPairs.of(given);
      expect([...kept]).toEqual(given);
      const halved = kept.reweighed((probability) => probability / 2);
      expect([...halved]).toEqual(given.map((one) => ({ ...one, probability: one.probability / 2 })));
      expect([...kept]).toEqual(given);
    }),
  );
});

test('neighbours are as a list of pairs has them, in its order and from both sides', () => {
  fc.assert(
    fc.property(pairs, (given) => {
      const near = new Neighbours(30, WeighedPairs.of(given));
      for (let record = 0; record < 30; record++) {
        const expected = given.flatMap(({ a, b, probability }) =>
          a === record ? [[b, probability]] : b === record ? [[a, probability]] : [],
        );
        const told = [];
        for (let seat = near.from(record); seat < near.to(record); seat++)
          told.push([near.other(seat), near.sure(seat)]);
        expect(told).toEqual(expected);
        const sure = new Map(expected.map(([other, probability]) => [other, probability]));
        const all = Array.from({ length: 30 }, (_, other) => other);
        // One comparison for all: each costs more than what it compares.
        expect(all.map((other) => near.between(record, other))).toEqual(all.map((other) => sure.get(other)));
      }
    }),
  );
});

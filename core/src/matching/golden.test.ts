import fc from 'fast-check';
import { doublesOf } from '../run/doubles.ts';
import type { Start } from '../workflow/schema.ts';
import { goldenRecord, survivorOf, survivorRules } from './survivorship.ts';
import { withThirds } from './thirds.ts';
import { type WeighedPair, WeighedPairs } from './weighed-pairs.ts';

const fields = [{ path: '/name' }, { path: '/mail' }, { path: '/note' }];

describe('one record of several', () => {
  const records = [
    {
      id: 'a',
      updated: '2026-01-01T00:00:00Z',
      record: { name: 'Priya Nair', mail: 'p@x.example', note: 'long standing customer' },
    },
    { id: 'b', updated: '2026-03-01T00:00:00Z', record: { name: 'P. Nair', mail: null, note: 'kiln' } },
    { id: 'c', updated: '2026-02-01T00:00:00Z', record: { name: 'PRIYA NAIR', mail: null, note: '' }, isTrusted: true },
  ];
  test.each([
    ['newest', 'P. Nair', 'kiln'],
    ['most_complete', 'Priya Nair', 'long standing customer'],
    ['most_frequent', 'PRIYA NAIR', 'kiln'],
    ['longest', 'PRIYA NAIR', 'long standing customer'],
    ['trusted', 'PRIYA NAIR', 'kiln'],
  ] as const)('%s', (rule, name, note) => {
    const { values, from } = goldenRecord(records, fields, {}, rule);
    expect(values).toEqual({ '/name': name, '/mail': 'p@x.example', '/note': note });
    expect(from['/mail']).toBe('a');
  });

  test('by hand wins over every rule, an empty value too', () => {
    expect(goldenRecord(records, fields, { '/mail': { from: 'b' } }).values['/mail']).toBeNull();
    expect(survivorOf(records, fields)).toBe('a');
  });

  test('a no to being contacted wins over every rule, over the newest, and over a choice by hand', () => {
    const asked = [
      { id: 'old', record: { newsletter: false }, updated: '2024-01-01T00:00:00Z' },
      { id: 'new', record: { newsletter: true }, updated: '2026-01-01T00:00:00Z', isTrusted: true },
    ];
    const field = [{ path: '/newsletter', label: 'newsletter', type: 'boolean' as const }];
    for (const rule of survivorRules)
      expect(goldenRecord(asked, field, {}, rule)).toEqual({
        values: { '/newsletter': false },
        from: { '/newsletter': 'old' },
      });
    expect(goldenRecord(asked, field, { '/newsletter': { from: 'new' } }).values).toEqual({ '/newsletter': false });
  });

  // Law: every value stands in one of the records, and what is filled in any is filled in the golden one.
  test('nothing is invented and nothing that was known is lost', () => {
    const text = fc.oneof(fc.constant(null), fc.constant(''), fc.string({ minLength: 1 }));
    const record = fc.record({ name: text, mail: text, note: text });
    fc.assert(
      fc.property(fc.array(record, { minLength: 1, maxLength: 5 }), fc.constantFrom(...survivorRules), (some, rule) => {
        const all = some.map((one, at) => ({ id: String(at), record: one }));
        const { values, from } = goldenRecord(all, fields, {}, rule);
        for (const { path } of fields) {
          const name = path.slice(1) as 'name';
          const told = some.map((one) => one[name]).filter((value) => value !== null && value.trim() !== '');
          if (told.length > 0) expect(told).toContain(values[path]);
          if (from[path] !== undefined) expect(some[Number(from[path])]?.[name]).toBe(values[path]);
        }
      }),
      { seed: 3 },
    );
  });
});

describe('thirds', () => {
  const pair = (a: number, b: number, probability: number) => ({ a, b, probability });
  const thirds = (size: number, pairs: readonly WeighedPair[]) => [...withThirds(size, WeighedPairs.of(pairs))];
  test('two who are one with a third are likelier one; one with a third that the other is not, less', () => {
    const [open] = thirds(3, [pair(0, 1, 0.5), pair(0, 2, 0.995), pair(1, 2, 0.99)]);
    expect(open?.probability).toBeGreaterThan(0.9);
    const [against] = thirds(3, [pair(0, 1, 0.5), pair(0, 2, 0.995), pair(1, 2, 0.02)]);
    expect(against?.probability).toBeLessThan(0.15);
    expect(thirds(2, [pair(0, 1, 0.5)])).toEqual([pair(0, 1, 0.5)]);
  });

  // By hand: 0 and 2 are surely one. The odds of 0 with 1 are 1 to 1, those of 2 with 1 are 4 to 1: their
  // geometric mean is 2 to 1. A third that isn't sure says nothing.
  test('one worked example by hand', () => {
    const [first] = thirds(3, [pair(0, 1, 0.5), pair(0, 2, 0.995), pair(1, 2, 0.8)]);
    expect(first?.probability).toBeCloseTo(2 / 3, 10);
    const [unsure] = thirds(3, [pair(0, 1, 0.5), pair(0, 2, 0.9), pair(1, 2, 0.8)]);
    expect(unsure?.probability).toBe(0.5);
  });

  test('probabilities stay between zero and one', () => {
    const share = fc.double({ min: 0.02, max: 0.999999, noNaN: true });
    fc.assert(
      fc.property(share, share, share, (x, y, z) => {
        for (const { probability } of thirds(3, [pair(0, 1, x), pair(0, 2, y), pair(1, 2, z)])) {
          expect(probability).toBeGreaterThanOrEqual(0);
          expect(probability).toBeLessThanOrEqual(1);
        }
      }),
      { seed: 8 },
    );
  });
});

describe('two of one run', () => {
  const start = (treat: 'golden' | 'first' | 'ask'): Start => ({
    source: {
      connection: 'c',
      path: ['people'],
      labels: ['people'],
      described: {
        name: 'people',
        singular: 'person',
        plural: 'people',
        fields: [
          { path: '/id', label: 'id', type: 'id', readOnly: true },
          { path: '/mail', label: 'e-mail', type: 'email' },
          { path: '/phone', label: 'phone', type: 'phone' },
          { path: '/name', label: 'name', type: 'text' },
        ],
        can: { list: true, find: true, create: false, update: false, readBack: true },
      },
    },
    on: 'added',
    trigger: { kind: 'every', minutes: 5 },
    fromWhen: { kind: 'all' },
    doubles: { by: ['/mail', '/phone'], treat },
  });
  const of = (id: string, mail: string | null, phone: string | null, name = id) => ({
    id,
    record: { id, mail, phone, name },
    updated: `2026-01-0${id}`,
  });

  test('the same in any of the fields, written otherwise, through a third as well; the first stands for all', () => {
    const records = [
      of('1', 'A@x.example', null),
      of('2', null, '01632 960 771'),
      of('3', 'a@x.example', '+44 1632 960771'),
      of('4', 'b@x.example', null),
    ];
    const { later } = doublesOf(records, start('first'));
    expect([...later].map(([id, one]) => [id, one.of])).toEqual([['3', '1']]);
    const chained = doublesOf(
      [records[0], records[2], records[1]].filter((one) => one !== undefined),
      start('first'),
    );
    expect([...chained.later].map(([id, one]) => [id, one.of])).toEqual([
      ['3', '1'],
      ['2', '1'],
    ]);
  });

  test('one golden record holds the newest word of each; a record that changed twice is no double of itself', () => {
    const records = [of('1', 'a@x.example', null, 'Ann'), of('2', 'a@x.example', '01632 960 771', 'Anne')];
    const { golden, later } = doublesOf(records, start('golden'));
    expect(golden.get('1')).toMatchObject({ id: '1', name: 'Anne', phone: '01632 960 771' });
    expect(later.get('2')?.treat).toBe('golden');
    expect(doublesOf([of('1', 'a@x.example', null), of('1', 'a@x.example', null)], start('ask')).later.size).toBe(0);
  });
});

import { readFileSync } from 'node:fs';
import { join } from 'node:path';
import { gunzipSync } from 'node:zlib';
import fc from 'fast-check';
import Papa from 'papaparse';
import { choose } from './decide.ts';
import { findDuplicates, runSearch } from './find-duplicates.ts';
import { MatchIndex } from './lookup/match-index.ts';
import { matchTables } from './match-tables.ts';
import { mixedNumbers } from './pairs.ts';
import { MatchTable } from './table.ts';

// What is said where there is little to go by: few records, one field, names of firms alone.

const seed = Number(process.env['GOLDEN_SEED'] ?? 1616);
const byName = (firms: readonly string[]): MatchIndex => {
  const index = new MatchIndex([{ path: '/name', label: 'name', kind: 'company' }]);
  for (const firm of firms) index.put(firm, [firm]);
  return index;
};
const sure = (index: MatchIndex, asked: string, firm: string): number =>
  index.weigh([asked], [{ id: firm, texts: [firm] }])[0]?.probability ?? 0;

const firms = [
  'Lindqvist Keramik AB',
  'Boyle Pottery Ltd',
  'Alder & Ash Studio',
  'Töpferei Müller GmbH',
  'Keramik Weber KG',
  'Harbour Clay Works',
  'Marsh Lane School',
  'St Olave Primary School',
  'Holm & Co. Ltd',
  'Neue Werkstatt GmbH',
];

describe('firms by their names alone', () => {
  test('the same name is above a likely one, and that above a word of the trade in common', () => {
    const index = byName(firms);
    const same = sure(index, 'Lindqvist Keramik', 'Lindqvist Keramik AB');
    const short = sure(index, 'Lindqvist', 'Lindqvist Keramik AB');
    const word = sure(index, 'Neue Keramik KG', 'Lindqvist Keramik AB');
    expect(same).toBeGreaterThan(0.95);
    expect(short).toBeLessThan(0.9);
    expect(short).toBeGreaterThan(0.2);
    expect(word).toBeLessThan(0.2);
    expect(sure(index, 'Unknown Firm', 'Boyle Pottery Ltd')).toBeLessThan(0.02);
  });

  test('a name that is only alike is never taken, however rare its words are and however large the table', () => {
    const many = [...firms, ...Array.from({ length: 3000 }, (_, at) => `Firm${at} ${at % 3 ? 'Pottery' : 'Keramik'}`)];
    const index = byName(many);
    for (const [asked, firm] of [
      ['Marsh School', 'Marsh Lane School'],
      ['Boyle', 'Boyle Pottery Ltd'],
      ['Harbour Clay', 'Harbour Clay Works'],
    ] as const)
      expect(sure(index, asked, firm)).toBeLessThan(0.9);
    expect(sure(index, 'Lindqvist Keramik', 'Lindqvist Keramik AB')).toBeGreaterThan(0.8);
  });

  test('two lists of ten: each finds its own, a common word nobody', () => {
    const other = [
      'Lindqvist Keramik',
      'Boyle Pottery Limited',
      'Alder and Ash',
      'Töpferei Müller',
      'Weber Keramik',
      'Harbour Clay',
      'Marsh Lane School',
      'St Olaves Primary',
      'Holm and Co',
      'Neue Keramik KG',
    ];
    const table = new MatchTable([{ name: 'name', kind: 'company' }]);
    for (const name of [...other, ...firms]) table.add([name]);
    const { pairs } = runSearch(matchTables(table, other.length));
    const same = pairs.filter(({ verdict }) => verdict === 'same').map(({ a, b }) => `${a} ${b}`);
    expect(same.sort()).toEqual(other.slice(0, 9).map((_, at) => `${at} ${at}`));
  });

  // Law: the more of a name's words another has, the surer it is; a legal form changes nothing.
  test('more words in common never say less', () => {
    const word = fc.constantFrom(
      'holm',
      'boyle',
      'lindqvist',
      'marsh',
      'harbour',
      'keramik',
      'pottery',
      'studio',
      'clay',
    );
    const names = fc.uniqueArray(word, { minLength: 2, maxLength: 4 });
    fc.assert(
      fc.property(fc.array(names, { minLength: 3, maxLength: 30 }), names, (all, one) => {
        const index = byName([...new Set([...all.map((words) => words.join(' ')), one.join(' ')])]);
        const whole = one.join(' ');
        let before = 1;
        for (let count = one.length; count >= 0; count--) {
          const asked = [...one.slice(0, count), ...(count === one.length ? [] : ['quillon'])].join(' ');
          const now = sure(index, asked, whole);
          expect(now).toBeLessThanOrEqual(before + 1e-9);
          before = now;
        }
        expect(sure(index, `${whole} Ltd`, whole)).toBeCloseTo(sure(index, whole, whole), 9);
      }),
      { seed, numRuns: 120 },
    );
  });
});

// Law: a field that agrees in addition never lowers what is said, one that differs never raises it.
test('more agreement never lowers, more difference never raises', () => {
  const fields = [
    { path: '/given', label: 'given', kind: 'given_name' },
    { path: '/family', label: 'family', kind: 'family_name' },
    { path: '/mail', label: 'mail', kind: 'email' },
    { path: '/phone', label: 'phone', kind: 'phone' },
    { path: '/postcode', label: 'postcode', kind: 'postcode' },
  ] as const;
  const next = mixedNumbers(4);
  const pick = <T>(from: readonly T[]): T => from[next(from.length)] as T;
  const others = Array.from({ length: 300 }, (_, at) => [
    pick(['Ada', 'Tom', 'Mira', 'Jon', 'Lea', 'Ben']),
    `${pick(['Holm', 'Field', 'Marsh', 'Stone'])}${pick(['er', 'sen', 'ley', 'ton', 'berg'])}`,
    `person${at}@studio${at % 40}.example`,
    `01632 960 ${100 + at}`,
    `ZZ${at % 9} ${at % 7}AB`,
  ]);
  const index = new MatchIndex(fields);
  for (const [at, texts] of others.entries()) index.put(String(at), texts);
  const one = ['Marta', 'Quist', 'marta@quist.example', '07700 900123', 'YY1 2QQ'];
  const stranger = ['Olaf', 'Berg', 'olaf@elsewhere.example', '01632 960999', 'XX9 9XX'];
  const state = fc.constantFrom('agrees', 'empty', 'differs');
  fc.assert(
    fc.property(fc.tuple(state, state, state, state, state), fc.integer({ min: 0, max: 4 }), (states, at) => {
      const said = (kind: string): number => {
        const texts = states.map((now, field) => {
          const chosen = field === at ? kind : now;
          return (chosen === 'agrees' ? one[field] : chosen === 'differs' ? stranger[field] : '') as string;
        });
        return index.weigh(texts, [{ id: 'one', texts: one }])[0]?.probability ?? 0;
      };
      expect(said('agrees')).toBeGreaterThanOrEqual(said('empty') - 1e-7);
      expect(said('empty')).toBeGreaterThanOrEqual(said('differs') - 1e-7);
    }),
    { seed, numRuns: 120 },
  );
});

type Row = Readonly<Record<string, string>>;
const read = (name: string): Row[] =>
  Papa.parse<Row>(
    gunzipSync(readFileSync(join(__dirname, '../../testdata/matching', `${name}.csv.gz`)))
      .toString('utf8')
      .trim(),
    { header: true },
  ).data;

/** Tables of this size drawn from the invented contacts, half of those looked for in them; what is said, and whether it is true. */
function saidIn(size: number, tables: number, fields: ConstructorParameters<typeof MatchIndex>[0]) {
  const entityOf = new Map(read('contacts_10k_truth').map((row) => [row['rec_id'], row['ent_id'] as string]));
  const people = new Map<string, Row[]>();
  for (const row of read('contacts_10k')) {
    const entity = entityOf.get(row['rec_id']) as string;
    people.set(entity, [...(people.get(entity) ?? []), row]);
  }
  const all = [...people.keys()];
  const next = mixedNumbers(1616);
  const texts = (row: Row | undefined): string[] => fields.map(({ path }) => row?.[path] ?? '');
  const said: { probability: number; isTrue: boolean }[] = [];
  for (let table = 0; table < tables; table++) {
    const inside = new Set<string>();
    while (inside.size < size) inside.add(all[next(all.length)] as string);
    const index = new MatchIndex(fields);
    for (const entity of inside) index.put(entity, texts(people.get(entity)?.[0]));
    const doubles = [...inside].filter((entity) => (people.get(entity)?.length ?? 0) > 1);
    const strangers = new Set<string>();
    while (strangers.size < doubles.length) {
      const entity = all[next(all.length)] as string;
      if (!inside.has(entity)) strangers.add(entity);
    }
    // One at most is the one: what is said shares one whole with the others and with somebody new.
    for (const [entity, at] of [...doubles.map((one) => [one, 1]), ...[...strangers].map((one) => [one, 0])] as const)
      for (const { candidate, probability } of choose(
        index
          .propose(texts(people.get(entity as string)?.[at as number]))
          .map((one) => ({ candidate: one.id, probability: one.probability })),
        { same: 0.9, ask: 0.02 },
      ).candidates)
        said.push({ probability, isTrue: candidate === entity });
  }
  return said;
}

describe('in small tables 60 % means 60 %', () => {
  const person = { given: 'given_name', family: 'family_name' } as const;
  const field = (path: string, kind: 'given_name' | 'family_name' | 'phone' | 'postcode') => ({
    path,
    label: path,
    kind,
  });
  const names = [field('first_name', person.given), field('last_name', person.family)];

  test.each([
    ['a family name', 50, 40, [field('last_name', person.family)]],
    ['a family name', 200, 24, [field('last_name', person.family)]],
    ['a family name', 1000, 6, [field('last_name', person.family)]],
    ['both names', 50, 120, names],
    ['both names', 200, 24, names],
    ['both names', 1000, 4, names],
    ['a telephone', 200, 24, [field('phone', 'phone')]],
    ['a telephone', 1000, 4, [field('phone', 'phone')]],
  ] as const)('%s in tables of %i', (_what, size, tables, fields) => {
    const said = saidIn(size, tables, fields)
      .filter(({ probability }) => probability > 0.05 && probability < 0.99)
      .sort((a, b) => a.probability - b.probability);
    // Equal counts; fewer than a hundred pairs tell nothing of a share.
    const bins = Math.max(1, Math.min(5, Math.floor(said.length / 100)));
    for (let bin = 0; bin < bins; bin++) {
      const some = said.slice(Math.floor((bin * said.length) / bins), Math.floor(((bin + 1) * said.length) / bins));
      if (some.length < 60) continue;
      const mean = some.reduce((sum, { probability }) => sum + probability, 0) / some.length;
      const share = some.filter(({ isTrue }) => isTrue).length / some.length;
      expect([size, mean, share, Math.abs(mean - share) < 0.15]).toEqual([size, mean, share, true]);
    }
  });
});

test('the search of a small list and the lookup in it say alike who is whom', () => {
  const list = [...firms, 'Lindqvist Keramik', 'Boyle Pottery Limited', 'Neue Keramik', 'Marsh Lane School'];
  const table = new MatchTable([{ name: 'name', kind: 'company' }]);
  for (const name of list) table.add([name]);
  const { weighed, zones } = runSearch(findDuplicates(table));
  const index = byName(list);
  for (const { a, b, probability } of weighed) {
    const looked = sure(index, list[a] as string, list[b] as string);
    if (probability >= zones.same) expect(looked).toBeGreaterThan(0.2);
    if (probability < zones.ask) expect(looked).toBeLessThan(0.9);
  }
});

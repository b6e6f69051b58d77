import fc from 'fast-check';
import { Candidates } from './blocking.ts';
import { findDuplicates, groupsOf, runSearch } from './find-duplicates.ts';
import { matchTables } from './match-tables.ts';
import { proposeKinds } from './propose-kinds.ts';
import { MatchTable } from './table.ts';

type Person = readonly [given: string, family: string, mail: string, postcode: string];

const table = (people: readonly Person[]): MatchTable => {
  const made = new MatchTable([
    { name: 'given', kind: 'given_name' },
    { name: 'family', kind: 'family_name' },
    { name: 'mail', kind: 'email' },
    { name: 'postcode', kind: 'postcode' },
  ]);
  for (const person of people) made.add(person);
  return made;
};

const person: fc.Arbitrary<Person> = fc.tuple(
  fc.constantFrom('Marta', 'Márta', 'M.', 'Petr', 'Ines', ''),
  fc.constantFrom('Holm', 'Hölm', 'Hlom', 'Nair', 'Berg', ''),
  fc.constantFrom('marta@kiln.example', 'm.holm@kiln.example', 'info@kiln.example', 'ines@clay.example', 'none', ''),
  fc.constantFrom('ZZ1 2QQ', 'zz12qq', 'ZZ9 9ZZ', ''),
);

function pairsOf(made: MatchTable, side = 0): string[] {
  const candidates = new Candidates(made, side);
  const pairs: string[] = [];
  for (let record = 0; record < made.size; record++)
    for (const other of candidates.after(record)) pairs.push(`${record} ${other}`);
  return pairs;
}

describe('which pairs are compared', () => {
  test('each once, the earlier first, never one with itself; all who share an e-mail', () => {
    fc.assert(
      fc.property(fc.array(person, { maxLength: 30 }), (people) => {
        const pairs = pairsOf(table(people));
        expect(new Set(pairs).size).toBe(pairs.length);
        for (const pair of pairs) {
          const [a, b] = pair.split(' ').map(Number) as [number, number];
          expect(a).toBeLessThan(b);
        }
        for (let a = 0; a < people.length; a++)
          for (let b = a + 1; b < people.length; b++)
            if (people[a]?.[2] === 'ines@clay.example' && people[b]?.[2] === 'ines@clay.example')
              expect(pairs).toContain(`${a} ${b}`);
      }),
      { numRuns: 60, seed: 20_261 },
    );
  });

  test('between two tables only from the one to the other', () => {
    const people: Person[] = [
      ['Marta', 'Holm', 'marta@kiln.example', 'ZZ1 2QQ'],
      ['Marta', 'Holm', 'marta@kiln.example', 'ZZ1 2QQ'],
      ['Marta', 'Holm', 'marta@kiln.example', 'ZZ1 2QQ'],
    ];
    expect(pairsOf(table(people), 1).sort()).toEqual(['0 1', '0 2']);
  });

  test('what too many share brings nobody together, and is told', () => {
    const people = Array.from({ length: 60 }, (_, at): Person => [`G${at}`, `F${at}`, 'info@kiln.example', '']);
    const made = table(people);
    expect(pairsOf(made)).toEqual([]);
    expect(new Candidates(made).passes.find(({ name }) => name === 'e-mail')).toMatchObject({
      pairs: 0,
      skippedKeys: 60,
    });
  });
});

describe('a whole search', () => {
  test('doesn’t depend on the order of the records; every record is in one group', () => {
    fc.assert(
      fc.property(fc.array(person, { minLength: 2, maxLength: 14 }), fc.integer({ min: 1, max: 13 }), (people, by) => {
        const turned = people.map((_, at) => people[(at + by) % people.length] as Person);
        const named = (found: ReturnType<typeof search>, of: (at: number) => number): string =>
          JSON.stringify(
            found.pairs
              .map(({ a, b, verdict }) => `${[of(a), of(b)].sort((x, y) => x - y).join(' ')} ${verdict}`)
              .sort(),
          );
        const search = (given: readonly Person[]) => runSearch(findDuplicates(table(given)));
        const [found, other] = [search(people), search(turned)];
        expect(found.clusters).toHaveLength(people.length);
        const grouped = groupsOf(found.clusters).flat();
        expect(new Set(grouped).size).toBe(grouped.length);
        expect(named(other, (at) => (at + by) % people.length)).toBe(named(found, (at) => at));
      }),
      { numRuns: 60, seed: Number(process.env['GOLDEN_SEED'] ?? 20_262) },
    );
  });

  test('nothing, one record, and records that hold nothing have no duplicates', () => {
    const empty: Person = ['', '', '', ''];
    for (const people of [[], [empty], [empty, empty, empty]])
      expect(runSearch(findDuplicates(table(people))).pairs).toEqual([]);
  });

  test('two tables: who is whom, and nobody for a stranger', () => {
    const left: Person[] = [
      ['Marta', 'Holm', 'marta@kiln.example', 'ZZ1 2QQ'],
      ['Ines', 'Nair', 'ines@clay.example', 'ZZ9 9ZZ'],
    ];
    const right: Person[] = [
      ['Olaf', 'Berg', 'olaf@elsewhere.example', 'YY1 1YY'],
      ['marta', 'Hölm', 'MARTA@kiln.example', 'zz12qq'],
    ];
    const { pairs } = runSearch(matchTables(table([...left, ...right]), left.length));
    expect(pairs.map(({ a, b, verdict }) => [a, b, verdict])).toEqual([[0, 1, 'same']]);
  });
});

describe('kinds are proposed from names and values', () => {
  const kinds = (fields: Readonly<Record<string, readonly string[]>>): string[] =>
    proposeKinds(Object.entries(fields).map(([name, values]) => ({ name, values }))).map(({ kind }) => kind);

  test.each([
    ['E-Mail', ['a@kiln.example', ' b@clay.example '], 'email'],
    ['Spalte 4', ['a@kiln.example', 'b@clay.example'], 'email'],
    ['Vorname', ['Zoë', 'Ines'], 'given_name'],
    ['surname', ['Holm', 'Ó Briain'], 'family_name'],
    ['Name', ['Kiln & Co Ltd', 'Töpferei Moor GmbH', 'Ash Glaze LLC'], 'company'],
    ['Name', ['Marta Holm', 'Ines Nair', 'Petr Berg'], 'full_name'],
    ['PLZ', ['00420', '80331'], 'postcode'],
    ['USt-IdNr.', ['DE136695976'], 'tax_number'],
    ['reach us', ['+44 1632 960001', '01632 960 002'], 'phone'],
    ['when', ['2026-03-04', '05/06/2026'], 'date'],
    ['rec_id', ['R1', 'R2'], 'ignore'],
    ['Fax', [], 'ignore'],
    ['wherefrom', ['DE', 'Germany', 'France', 'GB'], 'country'],
  ])('%s with %j: %s', (name, values, kind) => {
    expect(kinds({ [name]: values })).toEqual([kind]);
  });

  test('year, month and day are believed only beside each other', () => {
    const numbers = (from: number, count: number): string[] =>
      Array.from({ length: 60 }, (_, at) => `${from + (at % count)}`);
    expect(kinds({ a: numbers(1950, 50), b: numbers(1, 12), c: numbers(1, 28) })).toEqual(['year', 'month', 'day']);
    expect(kinds({ b: numbers(1, 12) })).toEqual(['code']);
  });
});

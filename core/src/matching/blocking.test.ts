import fc from 'fast-check';
import { Candidates } from './blocking.ts';
import { MatchTable } from './table.ts';

const fields = [
  { name: 'name', kind: 'full_name' },
  { name: 'mail', kind: 'email' },
  { name: 'phone', kind: 'phone' },
  { name: 'street', kind: 'street' },
  { name: 'postcode', kind: 'postcode' },
] as const;

// A table of a million is blocked a few passes at a time, a small one in all at once: both have to find the same.
test('which records are worth comparing doesn’t hang on how many passes are held at the same time', () => {
  const part = (...all: string[]) => fc.constantFrom('', ...all);
  const record = fc.tuple(
    part('Priya Nair', 'P. Nair', 'Nair, Priya', 'Zoë Ó Briain', 'Anna Maria Lindqvist', 'Lindqvist'),
    part('priya@nair.example', 'p.nair@clay.example', 'nair.p@clay.example', 'info@kiln.example'),
    part('01632 960653', '+44 1632 960653', '960653', '020 7946 0958'),
    part('12 Kiln Lane', '12 Kiln Ln.', '7 Harbour Road'),
    part('SM1 4AB', 'SM14AB', 'D-01069'),
  );
  fc.assert(
    fc.property(
      fc.array(record, { maxLength: 60 }),
      fc.integer({ min: 1, max: 9 }),
      fc.nat(1),
      (records, few, half) => {
        const table = new MatchTable(fields);
        for (const one of records) table.add(one);
        const side = half === 1 ? Math.floor(records.length / 2) : 0;
        const found = (atOnce?: number) => {
          const candidates = new Candidates(table, side, atOnce);
          const ways = new Uint8Array(table.size);
          return records.map((_, at) => [...candidates.after(at, ways)].map((other) => [other, ways[other]]));
        };
        expect(found(few)).toEqual(found());
      },
    ),
    { numRuns: 60 },
  );
});

import { readFileSync } from 'node:fs';
import { join } from 'node:path';
import { gunzipSync } from 'node:zlib';
import Papa from 'papaparse';
import { findDuplicates, runSearch } from './find-duplicates.ts';
import { fixedModel } from './learn.ts';
import { fittedModel } from './lookup/fitted-model.ts';
import { usuallySure, worthAsking } from './lookup/ladder.ts';
import { MatchIndex } from './lookup/match-index.ts';
import { proposeKinds } from './propose-kinds.ts';
import { MatchTable } from './table.ts';

// A lookup and a search of the same place rest on the same evidence (invented contacts, see core/testdata/matching).

type Row = Readonly<Record<string, string>>;
const rows = Papa.parse<Row>(
  gunzipSync(readFileSync(join(__dirname, '../../testdata/matching/contacts_1k.csv.gz')))
    .toString('utf8')
    .trim(),
  { header: true },
).data;
const columns = Object.keys(rows[0] as Row);
const kinds = proposeKinds(columns.map((name) => ({ name, values: rows.map((row) => row[name] ?? '') })));
const fields = columns.flatMap((name, at) => {
  const kind = kinds[at]?.kind ?? 'ignore';
  return kind === 'ignore' ? [] : [{ path: `/${name}`, label: name, kind }];
});
const textsOf = (row: Row, of: readonly { readonly label: string }[]): string[] =>
  of.map(({ label }) => row[label] ?? '');

const table = new MatchTable(fields.map(({ label, kind }) => ({ name: label, kind })));
for (const row of rows) table.add(textsOf(row, fields));
const found = runSearch(findDuplicates(table));
const learnt = { ...found.model, fields: fields.map(({ path }) => path) };

test('with the weights that a search learnt no pair that it calls one is called somebody else by a lookup, nor the other way', () => {
  // A ladder knows the same fields in another order.
  const asked = [...fields].sort((a, b) => (a.path < b.path ? -1 : 1));
  const index = new MatchIndex(asked, learnt);
  for (const [at, row] of rows.entries()) index.put(String(at), textsOf(row, asked));
  const contradicted = [...found.weighed].filter(({ a, b, probability }) => {
    const [{ probability: looked } = { probability: 0 }] = index.weigh(textsOf(rows[a] as Row, asked), [
      { id: String(b), texts: textsOf(rows[b] as Row, asked) },
    ]);
    const isSame = found.clusters[a] === found.clusters[b] && probability >= found.zones.same;
    return isSame ? looked < worthAsking : probability < found.zones.ask && looked >= usuallySure;
  });
  // Third records are heard in a search only: they may turn a pair that is doubtful by itself.
  expect(contradicted.length).toBeLessThanOrEqual(found.weighed.length / 100);
});

test('weights serve other fields of the same place: those of the same kind and field, the rest as fixed', () => {
  const some = fields.filter(({ kind }) => ['email', 'family_name', 'phone'].includes(kind)).reverse();
  const own = new MatchTable([
    ...some.map(({ label, kind }) => ({ name: label, kind })),
    { name: 'code', kind: 'code' },
  ]);
  const fixed = fixedModel(own.comparisons, 0.01);
  const model = fittedModel(learnt, own.comparisons, [...some.map(({ path }) => path), '/code'], fixed);
  for (const [at, { key }] of own.comparisons.entries()) {
    const kind = key.split(':')[0];
    const there = learnt.comparisons.find((one) => one.key.split(':')[0] === kind);
    expect(model.comparisons[at]).toEqual(there ? { ...there, key } : fixed.comparisons[at]);
  }
  expect(fittedModel(learnt, table.comparisons, learnt.fields, found.model)).toBe(learnt);
});

import fc from 'fast-check';
import { simpleModel } from '../testing.ts';
import { exactKey } from './exact-key.ts';
import { kindOfField } from './kind-of-field.ts';
import { type Candidate, type Evidence, fitsRule, judgeTries, type Ladder, ruleFrom, ruleText } from './ladder.ts';
import { type IndexField, MatchIndex } from './match-index.ts';
import { proposeRungs } from './propose.ts';
import { weightsFromDecisions } from './weights-from-decisions.ts';

const fields: IndexField[] = [
  { path: '/first', label: 'first name', kind: 'given_name' },
  { path: '/last', label: 'last name', kind: 'family_name' },
  { path: '/mail', label: 'e-mail', kind: 'email' },
  { path: '/phone', label: 'phone', kind: 'phone' },
  { path: '/postcode', label: 'postcode', kind: 'postcode' },
];

/** Two hundred people of a made-up town. */
function town(): MatchIndex {
  const index = new MatchIndex(fields);
  const given = ['Ada', 'Tom', 'Mira', 'Jon', 'Lea', 'Ben', 'Ines', 'Olaf'];
  const family = ['Holm', 'Field', 'Marsh', 'Stone', 'Brook', 'Wood', 'Hill', 'Vale', 'Ford', 'Lane', 'Moor'];
  for (let at = 0; at < 200; at++)
    index.put(`p${at}`, [
      given[at % 8] as string,
      family[at % 11] as string,
      `${given[at % 8]}.${family[at % 11]}${at}@town.example`,
      `01632 960 ${100 + at}`,
      `ZZ${at % 9} ${at % 7}AB`,
    ]);
  return index;
}
const priya = ['Priya', 'Nair', 'priya.nair@clay.example', '+44 1632 960771', 'ZZ7 7EF'];

describe('exact keys', () => {
  test.each([
    ['email', ' Priya.Nair@CLAY.example ', 'priya.nair@clay.example'],
    ['phone', '+44 (0)1632 960 771', '01632960771'],
    ['tax_number', 'GB 123 4567 89', '123456789'],
    ['company', 'Kiln & Co. Ltd', 'KILN and Co Limited'],
    ['full_name', 'Nair, Priya', 'Priya NAIR'],
    ['postcode', 'EC1A 7HP', 'ec1a7hp'],
    ['code', 'CLAY-STW-12', 'claystw12'],
    ['street', '9 Wheel Street', 'Wheel St. 9'],
  ] as const)('%s: %s is %s', (kind, one, other) => {
    expect(exactKey(kind, one, 'GB')).not.toBe('');
    expect(exactKey(kind, one, 'GB')).toBe(exactKey(kind, other, 'GB'));
  });

  test('what says nothing has no key', () => {
    for (const kind of ['email', 'phone', 'tax_number', 'code'] as const) expect(exactKey(kind, ' – ')).toBe('');
    expect(exactKey('email', 'ask for Dirk')).toBe('');
  });
});

describe('the index of a place', () => {
  test('finds by exact keys, follows changes and removals, whatever came before', () => {
    const index = town();
    index.put('priya', priya);
    expect(index.exact(['/mail'], ['', '', 'PRIYA.NAIR@clay.example', '', ''])).toEqual(['priya']);
    expect(index.exact(['/last', '/postcode'], ['', 'NAIR', '', '', 'zz77ef'])).toEqual(['priya']);
    index.put('priya', priya.with(2, 'priya@new.example'));
    expect(index.exact(['/mail'], ['', '', 'priya.nair@clay.example', '', ''])).toEqual([]);
    index.remove('priya');
    expect(index.exact(['/mail'], ['', '', 'priya@new.example', '', ''])).toEqual([]);
    expect(index.size).toBe(200);
  });

  test.each([
    ['with a phone of his own', '01632 960 999'],
    ['on the same phone', '01632 960 771'],
  ])('a brother in the same house %s is somebody else', (_, phone) => {
    const index = town();
    index.put('priya', priya);
    const [weighed] = index.weigh(['Arun', 'Nair', '', phone, 'ZZ7 7EF'], [{ id: 'priya', texts: priya }]);
    expect(weighed?.probability).toBeLessThan(0.2);
    const [same] = index.weigh(['Priya', 'Nair', '', phone, 'ZZ7 7EF'], [{ id: 'priya', texts: priya }]);
    expect(same?.probability).toBeGreaterThan(0.9);
  });

  test('proposes another spelling first, says why, and proposes nobody for a stranger', () => {
    const index = town();
    index.put('priya', priya);
    const probe = ['Prya', 'Nair', '', '01632 960 771', ''];
    const [best, ...rest] = index.propose(probe);
    expect(best?.id).toBe('priya');
    expect(best?.probability).toBeGreaterThan(0.9);
    expect(rest.every((one) => one.probability < 0.3)).toBe(true);
    const [why] = index.weigh(probe, [{ id: 'priya', texts: priya }]);
    expect(why?.evidence.find((one) => one.label === 'given name')).toMatchObject({
      level: 'one typing slip',
      bearing: 'agrees',
    });
    expect(why?.evidence.find((one) => one.label === 'phone')?.bits).toBeGreaterThan(4);
    expect(
      index.propose(['Ottilie', 'Zweig', 'o@zweig.example', '', '']).filter((one) => one.probability > 0.2),
    ).toEqual([]);
  });

  test('a match is symmetric, and looking leaves no trace', () => {
    const index = town();
    const other = ['Priya', 'Nairr', '', '01632 960 771', 'ZZ7 7EF'];
    const one = index.weigh(priya, [{ id: 'x', texts: other }])[0]?.probability;
    expect(index.weigh(other, [{ id: 'x', texts: priya }])[0]?.probability).toBeCloseTo(one ?? 0, 6);
    for (let times = 0; times < 50; times++) index.propose(other);
    expect(index.weigh(priya, [{ id: 'x', texts: other }])[0]?.probability).toBeCloseTo(one ?? 0, 10);
  });

  test('the order in which records came doesn’t matter', () => {
    const all = Array.from({ length: 40 }, (_, at): [string, string[]] => [
      `r${at}`,
      ['Ann', `Lee${at}`, `a${at}@x.example`, '', ''],
    ]);
    fc.assert(
      fc.property(fc.shuffledSubarray(all, { minLength: 40 }), (shuffled) => {
        const [one, other] = [new MatchIndex(fields), new MatchIndex(fields)];
        for (const [id, texts] of all) one.put(id, texts);
        for (const [id, texts] of shuffled) other.put(id, texts);
        const probe = ['Ann', 'Lee7', '', '', ''];
        expect(other.propose(probe).map(({ id }) => id)).toEqual(one.propose(probe).map(({ id }) => id));
      }),
      { seed: 5, numRuns: 20 },
    );
  });
});

const evidence = (...said: readonly [string, Evidence['bearing'], number?][]): Evidence[] =>
  said.map(([label, bearing, bits = bearing === 'differs' ? -3 : 5]) => ({ label, level: bearing, bearing, bits }));
const candidate = (id: string, probability: number, why: Evidence[] = []): Candidate => ({
  id,
  record: { id },
  probability,
  evidence: why,
});
const ladder = (more: Partial<Ladder> = {}): Ladder => ({
  rungs: [
    { id: 'mail', kind: 'exact', fields: ['/mail'] },
    { id: 'alike', kind: 'alike', fields: [{ path: '/last', kind: 'family_name' }] },
  ],
  atNone: 'create',
  atUnclear: 'best',
  ...more,
});

describe('what the ways decide', () => {
  test('one by an exact way is taken; several are, when one leads clearly; else it is unclear', () => {
    expect(judgeTries(ladder(), [{ rung: 'mail', candidates: [candidate('a', 0.4)] }])).toMatchObject({
      kind: 'found',
      rung: 'mail',
    });
    const lead = [{ rung: 'mail', candidates: [candidate('a', 0.999), candidate('b', 0.2)] }];
    expect(judgeTries(ladder(), lead)).toMatchObject({ kind: 'found', candidate: { id: 'a' } });
    expect(judgeTries(ladder({ atUnclear: 'ask' }), lead)).toMatchObject({ kind: 'unclear' });
    expect(
      judgeTries(ladder(), [{ rung: 'mail', candidates: [candidate('a', 0.99), candidate('b', 0.99)] }]),
    ).toMatchObject({ kind: 'unclear' });
  });

  test('an exact find with a tax number that conflicts is asked, not taken', () => {
    const conflict = candidate('a', 0.6, evidence(['e-mail', 'agrees'], ['tax number', 'differs', -6.7]));
    expect(judgeTries(ladder(), [{ rung: 'mail', candidates: [conflict] }])).toMatchObject({ kind: 'unclear' });
  });

  test('a way that finds nobody leaves it to the next; two who are equally alike are never guessed', () => {
    const none = { rung: 'mail', candidates: [] };
    expect(judgeTries(ladder(), [none, { rung: 'alike', candidates: [candidate('a', 0.97)] }])).toMatchObject({
      kind: 'found',
      rung: 'alike',
    });
    expect(
      judgeTries(ladder(), [none, { rung: 'alike', candidates: [candidate('a', 0.999), candidate('b', 0.999)] }]),
    ).toMatchObject({ kind: 'unclear' });
    expect(judgeTries(ladder(), [none, { rung: 'alike', candidates: [candidate('a', 0.1)] }])).toEqual({
      kind: 'none',
      isEmpty: false,
    });
    expect(judgeTries(ladder(), [{ ...none, isEmpty: true }])).toEqual({ kind: 'none', isEmpty: true });
  });

  test('the order of candidates doesn’t matter', () => {
    const any = fc.uniqueArray(
      fc.record({
        id: fc.string({ minLength: 1, maxLength: 3 }),
        probability: fc.double({ min: 0, max: 1, noNaN: true }),
      }),
      { selector: (one) => one.id, maxLength: 6 },
    );
    fc.assert(
      fc.property(any, fc.constantFrom('mail', 'alike'), (some, rung) => {
        const all = some.map(({ id, probability }) => candidate(id, probability));
        const judged = judgeTries(ladder(), [{ rung, candidates: all }]);
        const other = judgeTries(ladder(), [{ rung, candidates: [...all].reverse() }]);
        expect(other).toEqual(judged);
      }),
      { seed: 11 },
    );
  });

  test('a rule decides like the decision it was made of, in words a person understands', () => {
    const why = evidence(['family name', 'agrees'], ['street', 'alike'], ['phone', 'differs'], ['e-mail', 'empty']);
    const rule = ruleFrom('r', why, 'same');
    expect(ruleText(rule)).toBe('family name and street agree, phone differs: it is the same');
    expect(fitsRule(rule, why)).toBe(true);
    expect(
      fitsRule(
        rule,
        evidence(['family name', 'agrees'], ['street', 'agrees'], ['phone', 'differs'], ['postcode', 'differs']),
      ),
    ).toBe(false);
    const tries = [{ rung: 'alike', candidates: [candidate('a', 0.5, why)] }];
    expect(judgeTries(ladder({ rules: [rule] }), tries)).toMatchObject({ kind: 'found', probability: 1 });
    expect(judgeTries(ladder({ rules: [{ ...rule, says: 'new' }] }), tries)).toMatchObject({ kind: 'none' });
  });
});

test('decisions move weights by their number, and a few turn nothing over', () => {
  const comparison = {
    key: 'one',
    label: 'phone',
    fields: [0],
    aspect: 'who' as const,
    levels: ['both', 'one', 'same', 'differs'].map((name) => ({
      name,
      bearing: 'agrees' as const,
      expected: 0,
      byChance: 0,
    })),
  };
  // Fellegi and Sunter 1969: agreement +6.57, disagreement −4.31 for m .95, u .01.
  const model = simpleModel(0.95, 0.01, 0.1);
  const said: Evidence[] = [{ label: 'phone', level: 'differs', bearing: 'differs', bits: -4.3 }];
  const after = (times: number) =>
    weightsFromDecisions(
      [comparison],
      model,
      Array.from({ length: times }, () => ({ evidence: said, isSame: true })),
    );
  const [few, many] = [after(2), after(40)];
  const differs = (found: typeof few) => found.changes.find((one) => one.level === 'differs');
  expect(differs(few)?.before).toBeCloseTo(-4.3, 1);
  expect(differs(few)?.after).toBeLessThan(-2);
  expect(differs(many)?.after).toBeGreaterThan(-1);
  expect(weightsFromDecisions([comparison], model, []).changes).toEqual([]);
});

test('ways are proposed from what is known: tax number, e-mail, then likeness; a name alone isn’t enough', () => {
  const field = (path: string, label: string, type: 'text' | 'email' | 'phone' = 'text') => ({ path, label, type });
  const described = {
    name: 'customers',
    singular: 'customer',
    plural: 'customers',
    fields: [
      field('/name', 'name'),
      field('/vat', 'VAT number'),
      field('/mail', 'e-mail', 'email'),
      field('/phone', 'telephone', 'phone'),
      field('/zip', 'postcode'),
    ],
    can: { list: true, find: true, create: true, update: true, readBack: true },
  };
  expect(proposeRungs(described, () => true).map((rung) => rung.id)).toEqual([
    'by-tax-number',
    'by-email',
    'by-likeness',
  ]);
  expect(proposeRungs(described, (path) => path === '/name')).toEqual([]);
  expect(
    proposeRungs(described, (path) => path === '/phone' || path === '/name').map((rung) => [rung.id, rung.isAsked]),
  ).toEqual([
    ['by-phone', true],
    ['by-likeness', undefined],
  ]);
  expect(kindOfField(field('/name', 'name'), 'person')).toBe('full_name');
  expect(kindOfField(field('/name', 'name'), 'customer')).toBe('company');
});

import type { LookupStep } from '../steps/lookup/schema.ts';
import type { Step } from '../steps/schemas.ts';
import type { WriteStep } from '../steps/write/schema.ts';
import { aField, fromField, list, priya, shop, versionWith, writeToList } from '../testing/workflows.ts';
import { describeChanges } from '../workflow/changes.ts';
import { checkReadiness } from '../workflow/readiness.ts';
import { advance, beginItem } from './advance.ts';
import type { Advance, Answer, Decision, Effect } from './state.ts';

const companies = {
  ...list,
  connection: 'cards',
  path: ['companies'],
  labels: ['companies'],
  described: {
    ...shop.described,
    name: 'companies',
    singular: 'company',
    plural: 'companies',
    fields: [aField('/id', { type: 'id', readOnly: true }), aField('/name')],
  },
};
const isFirm = {
  kind: 'test' as const,
  ref: { step: 'start', path: '/name' },
  operator: 'is_not_empty' as const,
  values: [],
};

const company = (more: Partial<LookupStep> = {}): LookupStep => ({
  id: 'company',
  kind: 'lookup',
  target: companies,
  mapping: { '/name': fromField('/name') },
  ladder: { rungs: [{ id: 'name', kind: 'exact', fields: ['/name'] }], atNone: 'ask', atUnclear: 'best' },
  ...more,
});
const withCompany = (more: Partial<WriteStep> = {}): WriteStep =>
  writeToList({
    mapping: {
      '/Number': fromField('/id'),
      '/Name': { kind: 'fixed', value: 'Somebody' },
      '/Phone': { kind: 'field', ref: { step: 'company', path: '/id' }, tidies: [] },
    },
    ...more,
  });

/** Takes a record through; every find gives nobody, every write is taken. */
function carry(
  steps: Step[],
  record: Record<string, unknown> = priya,
  answers: Partial<Record<Effect['kind'], Answer>> = {},
) {
  const asked: Effect[] = [];
  let at: Advance = advance(versionWith(steps), beginItem(record as never, '2026-11-27T09:00:00Z'), { kind: 'begin' });
  const goOn = (): void => {
    while (at.effect) {
      const { effect } = at;
      asked.push(effect);
      const usual: Record<Effect['kind'], Answer> = {
        find: { kind: 'found', matches: [] },
        match: { kind: 'matched', tries: [] },
        fetch: { kind: 'fetched', found: null },
        write: { kind: 'written', id: '7', record: { Number: '10418' } },
        readBack: { kind: 'not_readable' },
        handOver: { kind: 'handed', count: 1 },
        handedBack: {
          kind: 'handed_back',
          open: 0,
          unsettled: 0,
          message: '',
          counts: { delivered: 1, leftOut: 0, dropped: 0 },
        },
      };
      at = advance(versionWith(steps), at.state, answers[effect.kind] ?? usual[effect.kind]);
    }
  };
  goOn();
  const decide = (decision: Decision, more: Partial<Record<Effect['kind'], Answer>>): Advance => {
    Object.assign(answers, more);
    at = advance(versionWith(steps), at.state, { kind: 'decided', decision });
    goOn();
    return at;
  };
  return { at: () => at, asked, decide };
}

describe('only if', () => {
  const onlyIf = { kind: 'all' as const, items: [isFirm] };

  test('a lookup that isn’t for this record asks nobody, and what reads it goes on with nothing', () => {
    const { at, asked } = carry([company({ onlyIf }), withCompany()], { ...priya, name: '' });
    expect(asked.map(({ kind }) => kind)).toEqual(['find', 'write', 'readBack']);
    expect(at().state.steps['company']).toMatchObject({ kind: 'passed_over' });
    expect(at().outcome).toEqual({ kind: 'delivered' });
    const named = carry([company({ onlyIf }), withCompany()]);
    expect(named.asked[0]?.kind).toBe('match');
  });

  test('a record for which nothing was done is left out, with the value that said so', () => {
    const { at } = carry([writeToList({ onlyIf })], { ...priya, name: null as never });
    expect(at().outcome).toMatchObject({ kind: 'left_out', why: expect.stringContaining('name is empty') });
  });

  test('it is checked, stands in the sentence, and counts as a change', () => {
    const unsaid = { kind: 'all' as const, items: [{ ...isFirm, ref: { step: 'start', path: '/nowhere' } }] };
    const { content } = versionWith([writeToList({ onlyIf: unsaid })]);
    expect(checkReadiness(content).some(({ message }) => message.includes('nowhere'))).toBe(true);
    const before = versionWith([writeToList()]).content;
    const after = versionWith([writeToList({ onlyIf })]).content;
    const told = describeChanges(before, after, {}, { zone: 'utc', country: 'GB' });
    expect(told.length).toBeGreaterThan(0);
  });
});

describe('a condition that is a formula', () => {
  const kept = (text: string) => ({
    kind: 'condition' as const,
    id: 'keep',
    condition: {
      kind: 'formula' as const,
      formula: { text, refs: { 'customer.name': { step: 'start', path: '/name' } } },
    },
  });
  test.each([
    ['LEN(customer.name) > 5', 'delivered', ''],
    ['LEN(customer.name) > 50', 'left_out', 'doesn’t hold'],
    ['customer.name', 'left_out', 'neither yes nor no'],
    ['1 / 0 > 1', 'left_out', 'can’t be told'],
  ])('%s: %s', (text, outcome, why) => {
    const { at } = carry([kept(text), writeToList()]);
    expect(at().outcome?.kind).toBe(outcome);
    if (why !== '') expect(at().outcome).toMatchObject({ why: expect.stringContaining(why) });
  });
});

describe('what becomes of the rest when a step can’t be done', () => {
  const other = writeToList({ id: 'other' });

  test('what doesn’t need it goes on; everything after it stops, where that was chosen', () => {
    const goesOn = carry([company(), withCompany(), other]);
    expect(goesOn.at().state.steps).toMatchObject({
      company: { kind: 'unsettled' },
      list: { kind: 'blocked' },
      other: { kind: 'written' },
    });
    const stops = carry([company({ rest: 'stops' }), withCompany(), other]);
    expect(stops.at().state.steps).toMatchObject({
      list: { kind: 'blocked' },
      other: { kind: 'blocked', by: 'company' },
    });
    expect(stops.at().outcome).toMatchObject({ kind: 'unsettled', step: 'company' });
  });

  test('as if it had given nothing: the write is made, the record needs somebody, and is updated once it is settled', () => {
    const without = carry([company({ rest: 'without' }), withCompany()]);
    expect(without.at().state.steps['list']).toMatchObject({ kind: 'written', outcome: 'new' });
    expect(without.at().outcome).toMatchObject({ kind: 'unsettled', step: 'company' });
    const settled = without.decide(
      { kind: 'choose', step: 'company', id: '9' },
      {
        fetch: { kind: 'fetched', found: { id: '9', record: { id: '9', name: 'Kiln & Co' } } },
        find: { kind: 'found', matches: [{ id: '7', record: { Number: '10418', Name: 'Somebody', Phone: null } }] },
      },
    );
    expect(settled.outcome).toEqual({ kind: 'delivered' });
    expect(settled.state.steps['list']).toMatchObject({
      outcome: 'changed',
      changes: [{ path: '/Phone', after: '9' }],
    });
  });

  test('what was appended without it isn’t appended again', () => {
    const appended = withCompany({ mode: 'append' });
    const without = carry([company({ rest: 'without' }), appended]);
    const before = without.asked.filter(({ kind }) => kind === 'write').length;
    without.decide(
      { kind: 'choose', step: 'company', id: '9' },
      { fetch: { kind: 'fetched', found: { id: '9', record: { id: '9', name: 'Kiln & Co' } } } },
    );
    expect(without.asked.filter(({ kind }) => kind === 'write')).toHaveLength(before);
    expect(without.at().outcome).toEqual({ kind: 'delivered' });
  });
});

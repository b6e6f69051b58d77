import fc from 'fast-check';
import type { Candidate, Ladder } from '../matching/lookup/ladder.ts';
import type { LookupStep } from '../steps/lookup/schema.ts';
import type { WriteStep } from '../steps/write/schema.ts';
import { aField, fromField, priya, shop, versionWith, writeToList } from '../testing/workflows.ts';
import { withLookupFor } from '../workflow/add-lookup.ts';
import { sentenceText, writeBrief } from '../workflow/brief.ts';
import { describeChanges } from '../workflow/changes.ts';
import { driftOf, takeFields } from '../workflow/drift.ts';
import type { Place } from '../workflow/place.ts';
import { checkReadiness } from '../workflow/readiness.ts';
import { knownFields, lineFields } from '../workflow/references.ts';
import { type WorkflowContent, WorkflowContentSchema } from '../workflow/schema.ts';
import { advance, beginItem } from './advance.ts';
import type { Advance, Answer, Decision, Effect } from './state.ts';

const at = '2026-11-24T09:00:00.000Z';
const can = { list: true, find: true, create: true, update: true, readBack: true };
/** Customers and invoices of a ledger; an invoice wants a customer's id. */
const customers: Place = {
  connection: 'ledger',
  path: ['retail', 'customers'],
  labels: ['Retail', 'customers'],
  described: {
    name: 'customers',
    singular: 'customer',
    plural: 'customers',
    can,
    updated: '/modifiedAt',
    fields: [
      aField('/id', { type: 'id', readOnly: true, idOf: 'customers' }),
      aField('/name', { required: true }),
      aField('/mail', { type: 'email' }),
      aField('/modifiedAt', { type: 'instant', readOnly: true }),
    ],
  },
};
const invoices: Place = {
  ...customers,
  path: ['retail', 'invoices'],
  labels: ['Retail', 'invoices'],
  described: {
    ...customers.described,
    name: 'invoices',
    singular: 'invoice',
    plural: 'invoices',
    fields: [
      aField('/number', { required: true }),
      aField('/customerId', { type: 'id', idOf: 'customers', required: true }),
    ],
  },
};
const ladder = (more: Partial<Ladder> = {}): Ladder => ({
  rungs: [{ id: 'mail', kind: 'exact', fields: ['/mail'] }],
  atNone: 'ask',
  atUnclear: 'best',
  remembers: 'start',
  ...more,
});
const look = (more: Partial<LookupStep> = {}): LookupStep => ({
  id: 'look',
  kind: 'lookup',
  target: customers,
  mapping: { '/mail': fromField('/email'), '/name': fromField('/name') },
  ladder: ladder(),
  ...more,
});
const invoice: WriteStep = {
  id: 'invoice',
  kind: 'write',
  target: invoices,
  mode: 'append',
  mapping: {
    '/number': fromField('/id'),
    '/customerId': { kind: 'field', ref: { step: 'look', path: '/id' }, tidies: [] },
  },
};
const candidate = (id: string, probability = 0.95): Candidate => ({
  id,
  record: { id, name: `Customer ${id}` },
  probability,
  evidence: [],
});

/** Takes one record through, answering each effect by its kind, or deciding when it waits. */
function carry(
  steps: (LookupStep | WriteStep)[],
  answers: Partial<Record<Effect['kind'], (effect: never) => Answer>>,
  decisions: Decision[] = [],
) {
  const version = versionWith(steps);
  const asked: Effect[] = [];
  let step: Advance = advance(
    version,
    beginItem({ ...priya, updated_at: '2026-01-01T00:00:00Z' }, at, { sourceId: '10001' }),
    { kind: 'begin' },
  );
  for (let guard = 0; guard < 50; guard++) {
    if (step.effect) {
      asked.push(step.effect);
      const answer = answers[step.effect.kind]?.(step.effect as never) ?? usual(step.effect);
      step = advance(version, step.state, answer);
      continue;
    }
    const decision = decisions.shift();
    if (!decision) break;
    step = advance(version, step.state, { kind: 'decided', decision });
  }
  return { asked, state: step.state, outcome: step.outcome };
}

function usual(effect: Effect): Answer {
  switch (effect.kind) {
    case 'handOver':
    case 'handedBack':
      throw new Error('Nothing is handed over here.');
    case 'match':
      return { kind: 'matched', tries: [] };
    case 'fetch':
      return { kind: 'fetched', found: null };
    case 'find':
      return { kind: 'found', matches: [] };
    case 'write':
      return {
        kind: 'written',
        id: effect.write.id ?? 'new-1',
        record: { id: effect.write.id ?? 'new-1', ...effect.write.values },
      };
    case 'readBack':
      return { kind: 'not_readable' };
  }
}
const matched =
  (...candidates: Candidate[]) =>
  (): Answer => ({ kind: 'matched', tries: [{ rung: 'mail', candidates }] });

test('what a lookup finds is known to the write after it, by its id; whose match it is goes along', () => {
  const { state, outcome, asked } = carry([look(), invoice], { match: matched(candidate('3001')) });
  expect(outcome).toEqual({ kind: 'delivered' });
  expect(state.steps['look']).toMatchObject({
    kind: 'found',
    id: '3001',
    title: 'Customer 3001',
    link: { connection: 'shop', place: ['customers'], id: '10001' },
  });
  expect(asked.find((one) => one.kind === 'write')).toMatchObject({ write: { values: { '/customerId': '3001' } } });
  expect(asked.find((one) => one.kind === 'match')).toMatchObject({
    known: { '/mail': 'priya@clay.example', '/name': 'Priya Nair' },
  });
});

test('at none: continue, with its fields empty, leave out, create, ask; a step that needs what wasn’t found doesn’t run', () => {
  const at = (atNone: Ladder['atNone']) => carry([look({ ladder: ladder({ atNone }) }), invoice], {});
  expect(at('leave_out').outcome).toMatchObject({ kind: 'left_out', step: 'look' });
  expect(at('ask').outcome).toMatchObject({ kind: 'unsettled', cause: 'unclear', step: 'look' });
  expect(at('ask').state.steps['invoice']).toEqual({ kind: 'blocked', by: 'look' });
  expect(at('empty').state.steps).toMatchObject({
    look: { kind: 'not_found' },
    invoice: { kind: 'unsettled', cause: 'value' },
  });
  const made = at('create');
  expect(made.outcome).toEqual({ kind: 'delivered' });
  expect(made.asked.filter((one) => one.kind === 'write').map((one) => one.step)).toEqual(['look', 'invoice']);
  expect(made.state.steps['look']).toMatchObject({ kind: 'written', outcome: 'new', link: { id: '10001' } });
});

test('a remembered record that was deleted there: asked about, made anew where that was said beforehand, never where it stays gone', () => {
  const gone = (more: Partial<Ladder>, isLeft = false) =>
    carry([look({ ladder: ladder({ atNone: 'create', ...more }) }), invoice], {
      match: () => ({ kind: 'matched', tries: [], gone: { id: '77', isLeft } }),
    });
  expect(gone({}).outcome).toMatchObject({ kind: 'unsettled', cause: 'gone' });
  expect(gone({ atGone: 'create' }).state.steps['look']).toMatchObject({ kind: 'written', outcome: 'new' });
  expect(gone({ atGone: 'create' }, true).outcome).toMatchObject({ kind: 'left_out' });
});

test('unclear: chosen by a person it is read afresh; gone meanwhile, it is looked for again; “somebody new” makes one', () => {
  const two = matched(candidate('a', 0.9), candidate('b', 0.9));
  expect(carry([look(), invoice], { match: two }).outcome).toMatchObject({ kind: 'unsettled', cause: 'unclear' });
  const choose: Decision = { kind: 'choose', step: 'look', id: 'b' };
  const fetched = (): Answer => ({ kind: 'fetched', found: { id: 'b', record: { id: 'b', name: 'B' } } });
  const chosen = carry([look(), invoice], { match: two, fetch: fetched }, [choose]);
  expect(chosen.state.steps['look']).toMatchObject({ kind: 'found', id: 'b', by: { how: 'chosen' } });
  expect(chosen.asked.map((one) => one.kind).slice(0, 2)).toEqual(['match', 'fetch']);
  const gone = carry([look(), invoice], { match: two }, [choose]);
  expect(gone.asked.map((one) => one.kind)).toEqual(['match', 'fetch', 'match']);
  expect(gone.outcome).toMatchObject({ kind: 'unsettled' });
  const fresh = carry([look({ ladder: ladder({ atNone: 'create' }) }), invoice], { match: two }, [
    { kind: 'new', step: 'look' },
  ]);
  expect(fresh.state.steps['look']).toMatchObject({ kind: 'written', outcome: 'new' });
});

test('by its id: fetched, or the same as none; a value that can’t be read isn’t known to a lookup', () => {
  const byId = look({ fetchId: fromField('/id') });
  const found = carry([byId, invoice], { fetch: () => ({ kind: 'fetched', found: { id: '7', record: { id: '7' } } }) });
  expect(found.asked[0]).toMatchObject({ kind: 'fetch', id: '10418' });
  expect(found.state.steps['look']).toMatchObject({ kind: 'found', by: { how: 'id' } });
  expect(carry([byId, invoice], {}).outcome).toMatchObject({ kind: 'unsettled', cause: 'unclear' });
  const phone = {
    ...customers,
    described: { ...customers.described, fields: [...customers.described.fields, aField('/phone', { type: 'phone' })] },
  };
  const unread = carry(
    [
      look({
        target: phone,
        mapping: { '/mail': fromField('/email'), '/phone': fromField('/name', { kind: 'phone' }) },
      }),
    ],
    {},
  );
  expect(unread.asked[0]).toMatchObject({ known: { '/mail': 'priya@clay.example' } });
});

describe('create or update by a ladder', () => {
  const write = (more: Partial<WriteStep> = {}): WriteStep => ({
    id: 'w',
    kind: 'write',
    target: customers,
    mode: 'create_or_update',
    firstDifference: 'source',
    ladder: ladder({ atNone: 'create' }),
    mapping: { '/mail': fromField('/email'), '/name': fromField('/name') },
    ...more,
  });
  const there = (record: Record<string, string | null>) => (): Answer => ({
    kind: 'matched',
    linked: { id: '9', record: { id: '9', ...record } },
    tries: [],
  });
  const same = { name: 'Priya Nair', mail: 'priya@clay.example' };

  test('a linked record that differs is changed, one that doesn’t is the same and nothing is written', () => {
    const changed = carry([write()], { match: there({ ...same, name: 'P. Nair' }) });
    expect(changed.state.steps['w']).toMatchObject({
      outcome: 'changed',
      by: { how: 'link' },
      changes: [{ path: '/name', before: 'P. Nair', after: 'Priya Nair' }],
    });
    const kept = carry([write()], { match: there(same) });
    expect(kept.state.steps['w']).toMatchObject({ outcome: 'same' });
    expect(kept.asked.some((one) => one.kind === 'write')).toBe(false);
  });

  test.each([
    ['always', { name: 'Old' }, true],
    ['if_empty', { name: 'Old' }, false],
    ['if_empty', { name: null }, true],
    ['never', { name: null }, false],
    ['newest', { name: 'Old', modifiedAt: '2030-01-01T00:00:00Z' }, false],
    ['newest', { name: 'Old', modifiedAt: '2020-01-01T00:00:00Z' }, true],
  ] as const)('a field that is written %s over %j: %s', (policy, record, isWritten) => {
    const version = [write({ policies: { '/name': policy } })];
    const { asked } = carry(version, { match: there({ ...same, ...record }) });
    expect(asked.some((one) => one.kind === 'write')).toBe(isWritten);
  });

  // Plan, apply, plan again = no writes: whatever the record held before, the second time it is the same.
  test('law: what was just written is the same', () => {
    fc.assert(
      fc.property(fc.option(fc.string({ maxLength: 12 })), fc.option(fc.emailAddress()), (name, mail) => {
        let record: Record<string, string | null> = { name, mail };
        const answers = {
          match: () => there(record)(),
          write: (effect: Extract<Effect, { kind: 'write' }>): Answer => {
            record = {
              ...record,
              ...Object.fromEntries(
                Object.entries(effect.write.values).map(([path, value]) => [path.slice(1), value as string]),
              ),
            };
            return { kind: 'written', id: '9', record };
          },
        };
        carry([write()], answers as never);
        expect(carry([write()], answers as never).state.steps['w']).toMatchObject({ outcome: 'same' });
      }),
      { seed: 21, numRuns: 60 },
    );
  });
});

describe('building with lookups', () => {
  const content = (steps: WorkflowContent['steps']): WorkflowContent => versionWith(steps).content;

  test('a required id of another app, of another record type, or that is always the same is told', () => {
    const wrong = (filling: WriteStep['mapping'][string]) =>
      checkReadiness(content([{ ...invoice, mapping: { ...invoice.mapping, '/customerId': filling } }])).filter(
        (one) => one.field === '/customerId',
      );
    expect(wrong(fromField('/id'))[0]).toMatchObject({
      severity: 'blocks',
      message: expect.stringContaining('an id of another app'),
    });
    expect(wrong({ kind: 'fixed', value: '1' })[0]).toMatchObject({
      severity: 'warns',
      message: expect.stringContaining('every record would go to one customer'),
    });
    const stand = checkReadiness(
      content([writeToList({ mapping: { ...writeToList({}).mapping, '/Name': { kind: 'fixed', value: 'n/a' } } })]),
    );
    expect(stand.some((one) => one.message.includes('looks like a stand-in'))).toBe(true);
    expect(wrong({ kind: 'field', ref: { step: 'look', path: '/id' }, tidies: [] })[0]?.message).toContain(
      'doesn’t exist here',
    );
  });

  test('a lookup is put in before the write from the very cell, and the cell is filled by what it finds', () => {
    const before = content([{ ...invoice, mapping: { '/number': fromField('/id') } }]);
    const after = withLookupFor(before, 'invoice', '/customerId', look());
    expect(after.steps.map((step) => step.id)).toEqual(['look', 'invoice']);
    expect(checkReadiness(after).filter((one) => one.severity === 'blocks')).toEqual([]);
    expect(knownFields(after, 'invoice').some((one) => one.ref.step === 'look')).toBe(true);
    expect(WorkflowContentSchema.parse(JSON.parse(JSON.stringify(after)))).toEqual(after);
  });

  test('the brief says how it is found and what happens at none; versions tell what of it changed', () => {
    const names = { shop: 'Shop counter', ledger: 'Ledger' };
    const before = content([look(), invoice]);
    expect(writeBrief(before, names).map(sentenceText)[1]).toBe(
      'Find the customer in the Ledger, Retail by mail; if there is none, ask me.',
    );
    const rule = { id: 'r', agrees: ['name'], differs: ['e-mail'], says: 'same' as const };
    const after = content([look({ ladder: ladder({ atNone: 'create', rules: [rule] }) }), invoice]);
    const told = describeChanges(before, after, names, { zone: 'Europe/London', country: 'GB' }).map((one) => one.text);
    expect(told).toContain('A rule for customers: name agrees, e-mail differs: it is the same.');
    expect(told.some((text) => text.includes('create the customer'))).toBe(true);
  });

  test('a field that a way looks at and that is renamed there stops it, and is carried over', () => {
    const draft = content([look(), invoice]);
    const now = {
      ...customers.described,
      fields: customers.described.fields.map((field) =>
        field.path === '/mail' ? { ...field, path: '/email', label: 'email' } : field,
      ),
    };
    const drift = driftOf(draft, 'look', customers.described, now);
    expect(drift).toMatchObject({ isStopping: true, gone: [{ path: '/mail' }] });
    const taken = takeFields(draft, 'look', now, { '/mail': '/email' });
    expect(taken.steps[0]).toMatchObject({
      mapping: { '/email': fromField('/email') },
      ladder: { rungs: [{ fields: ['/email'] }] },
    });
  });

  test('what is found for each item of a list is known in the line that is made of it', () => {
    const { source } = content([]).start;
    const lines = aField('/lines', { type: 'list', fields: [aField('/sku')] });
    const start = {
      ...content([]).start,
      source: { ...(source ?? shop), described: { ...shop.described, fields: [...shop.described.fields, lines] } },
    };
    const items: LookupStep = look({
      id: 'item',
      within: 'each',
      mapping: { '/name': { kind: 'field', ref: { step: 'each', path: '/sku' }, tidies: [] } },
    });
    const draft: WorkflowContent = {
      ...content([]),
      start,
      steps: [
        { id: 'each', kind: 'each', over: { step: 'start', path: '/lines' } },
        items,
        writeToList({ id: 'list' }),
      ],
    };
    expect(
      lineFields(draft, { step: 'start', path: '/lines' }, 'list').map(({ ref }) => `${ref.step}${ref.path}`),
    ).toContain('item/id');
    expect(lineFields(draft, { step: 'start', path: '/lines' }, 'item').some(({ ref }) => ref.step === 'item')).toBe(
      false,
    );
  });
});

describe('all that belong to a record are listed', () => {
  const allOf = look({
    all: { path: '/customerId', value: fromField('/id') },
    target: invoices,
    ladder: ladder({ rungs: [] }),
  });
  const begin = (step: LookupStep, record: Record<string, unknown>) =>
    advance(versionWith([step]), beginItem(record as never, at), { kind: 'begin' });
  const withId = { ...priya, id: '7' };
  const matches = [
    { id: '1', record: { number: 'R-1' } },
    { id: '2', record: { number: 'R-2' } },
  ];

  test('it is said in a sentence, and gives a list and a number to the steps after it', () => {
    const { content } = versionWith([allOf, writeToList()]);
    expect(sentenceText(writeBrief(content, { ledger: 'Ledger' })[1] as never)).toBe(
      'Find all invoices in the Ledger, Retail whose customerId is id.',
    );
    const known = knownFields(content, 'list').filter(({ ref }) => ref.step === allOf.id);
    expect(known.map(({ ref }) => ref.path)).toEqual([
      '/records',
      '/records/*/number',
      '/records/*/customerId',
      '/count',
    ]);
  });

  test('they are asked for by the value, and known as they came', () => {
    const asked = begin(allOf, withId);
    expect(asked.effect).toMatchObject({ kind: 'find', by: { path: '/customerId', value: '7' }, all: 1000 });
    const found = advance(versionWith([allOf]), asked.state, { kind: 'found', matches });
    expect(found.state.steps[allOf.id]).toEqual({ kind: 'listed', count: 2 });
    expect(found.state.values[allOf.id]).toEqual({ records: matches.map(({ record }) => record), count: 2 });
  });

  test('without a value nobody is asked, and there are none', () => {
    const { effect, state } = begin(allOf, { ...priya, id: '' });
    expect(effect).toBeUndefined();
    expect(state.steps[allOf.id]).toEqual({ kind: 'listed', count: 0 });
  });

  test('a field by which the app can’t be asked is told while building', () => {
    const place = { ...invoices, described: { ...invoices.described, findBy: ['/number'] } };
    const { content } = versionWith([{ ...allOf, target: place }, writeToList()]);
    expect(checkReadiness(content).map(({ message }) => message)).toContain(
      'Choose the field by which all records are found.',
    );
  });
});

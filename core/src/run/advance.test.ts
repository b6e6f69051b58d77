import fc from 'fast-check';
import type { Step } from '../steps/schemas.ts';
import { fromField, keepBritish, list, priya, versionWith, writeToList } from '../testing/workflows.ts';
import type { WorkflowVersion } from '../workflow/schema.ts';
import { AdvanceError, advance, beginItem } from './advance.ts';
import { addBalances, balanceOf, checkBalance, emptyBalance, isBalanced } from './balance.ts';
import { type ItemStateName, itemStates, unsettledCauses } from './outcome.ts';
import { revisionOf } from './revision.ts';
import type { Advance, Answer, ItemState } from './state.ts';

const at = '2026-11-23T09:00:00.000Z';
const begin = (version: WorkflowVersion, record: object = priya): Advance =>
  advance(version, beginItem(record as never, at), { kind: 'begin' });

/** Answers one after the other; gives where that leads. */
function take(version: WorkflowVersion, from: Advance, ...answers: Answer[]): Advance {
  return answers.reduce((step, answer) => advance(version, step.state, answer), from);
}

const there = { Number: '10418', Name: 'Priya Nair', Phone: '+441632960771', 'E-mail': null };

describe('create or update by key', () => {
  const version = versionWith([keepBritish, writeToList()]);

  test('nobody there: a create is planned with the tidied values, read back, and delivered', () => {
    const found = take(version, begin(version), { kind: 'found', matches: [] });
    expect(found.effect).toMatchObject({
      kind: 'write',
      write: {
        kind: 'create',
        values: { '/Number': '10418', '/Name': 'Priya Nair', '/Phone': '+441632960771' },
        key: { path: '/Number', value: '10418' },
      },
    });
    const end = take(version, found, { kind: 'written', id: '2' }, { kind: 'read', record: there });
    expect(end.outcome).toEqual({ kind: 'delivered' });
    expect(end.state.steps['list']).toMatchObject({ outcome: 'new', readBack: 'as_sent' });
  });

  test('the same there: nothing is written', () => {
    const end = take(version, begin(version), { kind: 'found', matches: [{ id: '2', record: there }] });
    expect(end.outcome).toEqual({ kind: 'delivered' });
    expect(end.state.steps['list']).toMatchObject({ outcome: 'same' });
  });

  test('another value there: only what differs is written, with the record as it was', () => {
    const before = { ...there, Name: 'P. Nair' };
    const { effect } = take(version, begin(version), { kind: 'found', matches: [{ id: '2', record: before }] });
    expect(effect).toMatchObject({ write: { kind: 'update', id: '2', values: { '/Name': 'Priya Nair' }, before } });
  });

  test('what the app itself made of our last value is the same, so that it isn’t updated for ever', () => {
    const reformatted = { ...there, Phone: '01632 960 771' };
    const last = { '/Phone': { sent: '+441632960771', read: reformatted.Phone } };
    const end = take(version, begin(version), { kind: 'found', matches: [{ id: '2', record: reformatted, last }] });
    expect(end.state.steps['list']).toMatchObject({ outcome: 'same' });
  });

  test('several there: unsettled until a person chooses one', () => {
    const matches = [
      { id: '2', record: there },
      { id: '9', record: { ...there, Name: 'P.' } },
    ];
    const open = take(version, begin(version), { kind: 'found', matches });
    expect(open.outcome).toMatchObject({ kind: 'unsettled', cause: 'several' });
    const chosen = advance(version, open.state, {
      kind: 'decided',
      decision: { kind: 'choose', step: 'list', id: '9' },
    });
    expect(take(version, chosen, { kind: 'found', matches }).effect).toMatchObject({
      write: { kind: 'update', id: '9' },
    });
  });

  test('less read back than was sent is unsettled; accepted, it is delivered as cut', () => {
    const cut = take(
      version,
      begin(version),
      { kind: 'found', matches: [] },
      { kind: 'written', id: '2' },
      { kind: 'read', record: { ...there, Name: 'Priya' } },
    );
    expect(cut.outcome).toMatchObject({
      kind: 'unsettled',
      cause: 'altered',
      message: 'What came back is shorter than what was sent, in Name.',
    });
    const end = advance(version, cut.state, { kind: 'decided', decision: { kind: 'accept', step: 'list' } });
    expect(end.outcome).toEqual({ kind: 'delivered' });
    expect(end.state.steps['list']).toMatchObject({ readBack: 'cut' });
  });

  test('what doesn’t meet the condition is left out with the reason', () => {
    const { outcome } = begin(version, { ...priya, address: { country: 'SE' } });
    expect(outcome).toEqual({
      kind: 'left_out',
      step: 'keep',
      why: 'address · country is “SE”; it must be: is one of GB, IE',
    });
  });

  test('a value that can’t be read is a problem, set by hand it goes on, and the lookup is read anew', () => {
    const open = begin(version, { ...priya, phone: 'ask for Dirk' });
    expect(open.outcome).toMatchObject({ kind: 'unsettled', cause: 'value' });
    const set = { kind: 'set', step: 'list', values: { '/Phone': '+441632960772' } } as const;
    expect(advance(version, open.state, { kind: 'decided', decision: set }).effect).toMatchObject({ kind: 'find' });
  });

  test('a key that is empty is a problem, not a new record each time', () => {
    expect(begin(version, { ...priya, id: null }).outcome).toMatchObject({
      kind: 'unsettled',
      message: expect.stringContaining('matched by this field'),
    });
  });

  test('a field that the destination lost stops the write', () => {
    const narrower = {
      ...list,
      described: { ...list.described, fields: list.described.fields.filter((field) => field.path !== '/Phone') },
    };
    const lost = versionWith([writeToList({ target: narrower })]);
    expect(begin(lost).outcome).toMatchObject({
      kind: 'unsettled',
      message: expect.stringContaining('isn’t there any more'),
    });
  });

  test('an answer that nobody waits for is a defect, not data', () => {
    expect(() => advance(version, begin(version).state, { kind: 'written', id: '1' })).toThrow(AdvanceError);
  });
});

describe('several steps', () => {
  const second = writeToList({
    id: 'second',
    mode: 'append',
    key: undefined,
    mapping: { '/Name': fromField('/name') },
  });
  const dependent = writeToList({
    id: 'third',
    mode: 'append',
    key: undefined,
    mapping: { '/Name': { kind: 'field', ref: { step: 'list', path: '/Name' }, tidies: [] } },
  });
  const refused: Answer = { kind: 'refused', cause: 'refused', message: 'The name is taken.' };

  test('what depends on a write that did not succeed is not done, the rest goes on; a retry does only what is missing', () => {
    const version = versionWith([writeToList(), second, dependent]);
    const failed = take(version, begin(version), { kind: 'found', matches: [] }, refused);
    expect(failed.effect).toMatchObject({ step: 'second' });
    const open = take(version, failed, { kind: 'written', id: '7' }, { kind: 'read', record: there });
    expect(open.outcome).toMatchObject({ kind: 'unsettled', step: 'list', message: 'The name is taken.' });
    expect(open.state.steps['third']).toEqual({ kind: 'blocked', by: 'list' });
    const again = advance(version, open.state, { kind: 'decided', decision: { kind: 'retry' } });
    expect(again.effect).toMatchObject({ kind: 'find', step: 'list' });
    const end = take(
      version,
      again,
      { kind: 'found', matches: [] },
      { kind: 'written', id: '2' },
      { kind: 'read', record: there },
      { kind: 'written', id: '8' },
      { kind: 'read', record: there },
    );
    expect(end.outcome).toEqual({ kind: 'delivered' });
  });

  test('a step that is off is passed over, and dismissing ends the item with its reason', () => {
    const version = versionWith([{ ...keepBritish, isOff: true }, writeToList()]);
    const open = take(
      version,
      begin(version, { ...priya, address: { country: 'SE' } }),
      { kind: 'found', matches: [] },
      refused,
    );
    expect(open.state.steps['keep']).toEqual({ kind: 'off' });
    const end = advance(version, open.state, {
      kind: 'decided',
      decision: { kind: 'dismiss', reason: 'a test order' },
    });
    expect(end.outcome).toEqual({ kind: 'dismissed', reason: 'a test order' });
  });
});

describe('properties over any answers and faults', () => {
  const cause = fc.constantFrom(...unsettledCauses);
  const record = fc.constantFrom(there, { ...there, Name: 'Pri' }, { ...there, Phone: null }, {});
  const answer: fc.Arbitrary<Answer> = fc.oneof(
    fc.record({
      kind: fc.constant('found' as const),
      matches: fc.array(fc.record({ id: fc.constantFrom('1', '2'), record }), { maxLength: 3 }),
    }),
    fc.record({ kind: fc.constant('written' as const), id: fc.constantFrom('1', '2'), record }),
    fc.record({ kind: fc.constant('read' as const), record: fc.option(record) }),
    fc.record({ kind: fc.constant('refused' as const), cause, message: fc.constant('no') }),
    fc.constantFrom<Answer>({ kind: 'not_readable' }, { kind: 'stale' }),
    fc.constantFrom<Answer>(
      { kind: 'decided', decision: { kind: 'retry' } },
      { kind: 'decided', decision: { kind: 'send_again', step: 'list' } },
      { kind: 'decided', decision: { kind: 'choose', step: 'list', id: '1' } },
      { kind: 'decided', decision: { kind: 'accept', step: 'list' } },
      { kind: 'decided', decision: { kind: 'set', step: 'list', values: { '/Phone': '+441632960772' } } },
      { kind: 'decided', decision: { kind: 'dismiss', reason: 'no' } },
    ),
  );
  const steps: fc.Arbitrary<Step[]> = fc.constantFrom<Step[]>(
    [keepBritish, writeToList()],
    [writeToList(), writeToList({ id: 'second', mode: 'append', key: undefined })],
    [writeToList({ mode: 'append', key: undefined }), keepBritish, writeToList({ id: 'late', isOff: true })],
  );
  const customer = fc.record({
    id: fc.option(fc.integer({ min: 1, max: 3 })),
    name: fc.option(fc.string()),
    phone: fc.constantFrom('01632 960771', 'none', null),
    address: fc.record({ country: fc.constantFrom('GB', 'SE') }),
  });

  /** Feeds answers; those that don't fit what is waited for are passed over, as an interpreter never gives them. */
  function drive(version: WorkflowVersion, from: Advance, answers: readonly Answer[]): Advance {
    let step = from;
    for (const one of answers) {
      const isOpen = step.outcome?.kind === 'unsettled';
      if ((one.kind === 'decided') !== isOpen) continue;
      try {
        step = advance(version, step.state, one);
      } catch (error) {
        if (!(error instanceof AdvanceError)) throw error;
      }
    }
    return step;
  }

  const stateNameOf = (step: Advance): ItemStateName => step.outcome?.kind ?? 'running';

  test('an item always either asks for an effect or has ended, survives storing, and the balance adds up', () => {
    fc.assert(
      fc.property(
        steps,
        fc.array(fc.tuple(customer, fc.array(answer, { maxLength: 14 })), { maxLength: 12 }),
        (some, all) => {
          const version = versionWith(some);
          const ends = all.map(([one, answers]) => {
            const end = drive(version, begin(version, one), answers);
            expect((end.effect === undefined) !== (end.outcome === undefined)).toBe(true);
            expect(JSON.parse(JSON.stringify(end.state)) as ItemState).toEqual(end.state);
            const open = Object.values(end.state.steps).some((result) => result.kind === 'unsettled');
            if (end.outcome?.kind === 'delivered') expect(open).toBe(false);
            if (end.outcome?.kind === 'unsettled') expect(open).toBe(true);
            return end;
          });
          const counts: Partial<Record<ItemStateName, number>> = {};
          for (const end of ends) counts[stateNameOf(end)] = (counts[stateNameOf(end)] ?? 0) + 1;
          expect(
            checkBalance(balanceOf({ inSource: all.length, notedEarlier: 0, takenIn: all.length }, counts)),
          ).toEqual([]);
        },
      ),
      { seed: 4180, numRuns: 300 },
    );
  });

  test('a stored state goes on exactly as the one in memory', () => {
    fc.assert(
      fc.property(steps, customer, fc.array(answer, { maxLength: 10 }), (some, one, answers) => {
        const version = versionWith(some);
        let live = begin(version, one);
        for (const each of answers) {
          const stored = JSON.parse(JSON.stringify(live.state)) as ItemState;
          const next = (): Advance => advance(version, stored, each);
          let expected: Advance;
          try {
            expected = advance(version, live.state, each);
          } catch {
            expect(next).toThrow();
            continue;
          }
          expect(JSON.parse(JSON.stringify(next()))).toEqual(JSON.parse(JSON.stringify(expected)));
          live = expected;
        }
      }),
      { seed: 4181 },
    );
  });
});

describe('the balance', () => {
  test('what doesn’t add up is said', () => {
    expect(checkBalance(balanceOf({ inSource: 5, notedEarlier: 1, takenIn: 3 }, { delivered: 2 }))).toEqual([
      '5 in the source, but 1 already known and 3 taken in.',
      '3 taken in, but 2 accounted for.',
    ]);
    expect(isBalanced(emptyBalance)).toBe(true);
  });

  test('property: balances that add up, add up together', () => {
    const balanced = fc
      .record({
        noted: fc.nat(99),
        counts: fc.array(fc.nat(9), { minLength: itemStates.length, maxLength: itemStates.length }),
      })
      .map(({ noted, counts }) => {
        const takenIn = counts.reduce((sum, count) => sum + count, 0);
        const items = Object.fromEntries(itemStates.map((name, index) => [name, counts[index] ?? 0]));
        return balanceOf({ inSource: noted + takenIn, notedEarlier: noted, takenIn }, items);
      });
    fc.assert(fc.property(balanced, balanced, (one, other) => isBalanced(addBalances(one, other))));
  });
});

describe('revisions', () => {
  test('without version or time, a counter makes A → B → A three revisions', () => {
    let last: { fingerprint: string; counter: number; revision: string } | undefined;
    const revisions = ['a', 'a', 'b', 'a'].map((fingerprint) => {
      const { revision, counter } = revisionOf({ fingerprint }, last);
      last = { fingerprint, counter, revision };
      return revision;
    });
    expect(revisions).toEqual(['n:1', 'n:1', 'n:2', 'n:3']);
  });

  test('a version or ETag decides alone; a time counts together with the content', () => {
    expect(revisionOf({ version: '7', updated: at, fingerprint: 'x' }, undefined).revision).toBe('v:7');
    const one = revisionOf({ updated: at, fingerprint: 'x'.repeat(64) }, undefined).revision;
    expect(revisionOf({ updated: at, fingerprint: 'y'.repeat(64) }, undefined).revision).not.toBe(one);
  });
});

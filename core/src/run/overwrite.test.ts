import fc from 'fast-check';
import { aField } from '../testing/workflows.ts';
import { consentOf, saysNo } from '../values/consent.ts';
import type { Value } from '../values/value.ts';
import { fieldPolicies, firstDifferences, type OverwriteRules, overwrite } from './overwrite.ts';
import type { Found, MadeOf } from './plan.ts';

const fields = [aField('/phone'), aField('/mail'), aField('/may_be_mailed', { type: 'boolean' })];

const rules = (more: Partial<OverwriteRules> = {}): OverwriteRules => ({
  policyOf: () => 'changed',
  writesEmpty: () => false,
  firstDifference: 'ask',
  recognisedBy: new Set(),
  setByHand: new Set(),
  isSourceNewer: () => true,
  ...more,
});

/** What becomes of one field: what was sent last, what the source has now, what is there now. */
function meet(
  last: MadeOf | undefined,
  source: Value,
  there: Value,
  more: Partial<OverwriteRules> = {},
  path = '/phone',
): string {
  const found: Found = { id: '1', record: { [path.slice(1)]: there }, ...(last && { last: { [path]: last } }) };
  const { changes, kept, asked } = overwrite({ [path]: source }, { [path]: 'text' }, found, fields, rules(more));
  if (changes.length + kept.length + asked.length > 1) throw new Error('One field came to several things.');
  return changes.length > 0 ? 'written' : asked.length > 0 ? 'asked' : (kept[0]?.why ?? 'same');
}

describe('three values beside each other: sent last, source now, there now', () => {
  test.each([
    ['nobody changed anything', { sent: 'a' }, 'a', 'a', 'same'],
    ['changed in the source only', { sent: 'a' }, 'b', 'a', 'written'],
    ['changed there only: a colleague’s correction stays', { sent: 'a' }, 'a', 'c', 'changed_there'],
    ['changed on both sides', { sent: 'a' }, 'b', 'c', 'asked'],
    ['changed on both sides to the same', { sent: 'a' }, 'b', 'b', 'same'],
    ['emptied there', { sent: 'a' }, 'a', null, 'changed_there'],
    ['changed in the source, and the app had written it its own way', { sent: 'a', read: 'A!' }, 'b', 'A!', 'written'],
    ['the app’s own writing of what was sent', { sent: 'a', read: 'A!' }, 'a', 'A!', 'same'],
    ['changed there after the app had written it its own way', { sent: 'a', read: 'A!' }, 'a', 'c', 'changed_there'],
    ['emptied in the source', { sent: 'a' }, null, 'a', 'empty'],
    ['nothing sent yet, and nothing there', undefined, 'a', null, 'written'],
    ['nothing sent yet, and something else there', undefined, 'a', 'c', 'asked'],
  ] as const)('%s', (_what, last, source, there, becomes) => {
    expect(meet(last, source, there)).toBe(becomes);
  });

  test('where nothing was sent yet the rule that was chosen decides', () => {
    expect(meet(undefined, 'a', 'c', { firstDifference: 'source' })).toBe('written');
    expect(meet(undefined, 'a', 'c', { firstDifference: 'there' })).toBe('first');
    expect(meet(undefined, 'a', 'c', { policyOf: () => 'always' })).toBe('written');
  });

  test('what recognises the record isn’t written over for its capitals and signs, but for another value it is asked', () => {
    const recognisedBy = new Set(['/mail']);
    expect(meet(undefined, 'ada@clay.example', 'Ada@Clay.example', { recognisedBy }, '/mail')).toBe(
      'same_written_otherwise',
    );
    expect(meet(undefined, 'ada@clay.example', 'eda@clay.example', { recognisedBy }, '/mail')).toBe('asked');
  });

  test('what a person set by hand is written', () => {
    expect(meet({ sent: 'a' }, 'x', 'c', { setByHand: new Set(['/phone']) })).toBe('written');
    expect(meet({ sent: 'a' }, null, 'c', { setByHand: new Set(['/phone']) })).toBe('written');
  });
});

const value = fc.constantFrom<Value>(null, '', 'a', 'b', 'c', 'yes', 'no');
const made = fc.option(fc.record({ sent: value }, { requiredKeys: ['sent'] }), { nil: undefined });
const anyRules = fc.record({
  policy: fc.constantFrom(...fieldPolicies),
  first: fc.constantFrom(...firstDifferences),
  writesEmpty: fc.boolean(),
  isNewer: fc.boolean(),
  byHand: fc.boolean(),
});

describe('laws, over all policies', () => {
  const seed = Number(process.env['GOLDEN_SEED'] ?? 16);
  const all = (law: (last: MadeOf | undefined, source: Value, there: Value, chosen: OverwriteRules) => void): void =>
    fc.assert(
      fc.property(made, value, value, anyRules, (last, source, there, one) =>
        law(
          last,
          source,
          there,
          rules({
            policyOf: () => one.policy,
            firstDifference: one.first,
            writesEmpty: () => one.writesEmpty,
            isSourceNewer: () => one.isNewer,
            setByHand: new Set(one.byHand ? ['/phone', '/may_be_mailed'] : []),
          }),
        ),
      ),
      { seed, numRuns: 2000 },
    );

  test('nothing that is there becomes empty unless that was chosen', () => {
    all((last, source, there, chosen) => {
      if (chosen.setByHand.size > 0 || chosen.writesEmpty('/phone') || (source !== null && source !== '')) return;
      expect(['same', 'empty']).toContain(meet(last, source, there, chosen));
    });
  });

  test('a no to being contacted never becomes anything else, not even by hand', () => {
    all((last, source, _there, chosen) => {
      const becomes = meet(last, source, 'no', chosen, '/may_be_mailed');
      expect(['same', 'no_stays']).toContain(becomes);
    });
  });

  test('a no that is new in the source is never asked about, and written by the usual policy', () => {
    all((last, _source, there, chosen) => {
      const becomes = meet(last, 'no', there, { ...chosen, policyOf: () => 'changed' }, '/may_be_mailed');
      expect(becomes).not.toBe('asked');
      if (chosen.setByHand.size > 0 || last?.sent === 'no') return;
      expect(['written', 'same']).toContain(becomes);
    });
  });

  test('what the source hasn’t changed since it was sent is never written by the usual policy', () => {
    all((_last, source, there, chosen) => {
      if (chosen.setByHand.size > 0) return;
      expect(meet({ sent: source }, source, there, { ...chosen, policyOf: () => 'changed' })).not.toBe('written');
    });
  });
});

describe('fields about being contacted', () => {
  test.each([
    ['/acceptsMarketing', 'allows'],
    ['/email_opt_in', 'allows'],
    ['/May be mailed', 'allows'],
    ['/newsletter', 'allows'],
    ['/doNotCall', 'forbids'],
    ['/do_not_contact', 'forbids'],
    ['/opted_out', 'forbids'],
    ['/unsubscribed', 'forbids'],
    ['/name', undefined],
    ['/note', undefined],
    ['/callback_number', undefined],
    ['/contact_name', undefined],
    ['/email', undefined],
  ] as const)('%s', (path, means) => {
    expect(consentOf({ path, label: path.slice(1), type: 'text' })).toBe(means);
  });

  test('a no is read in the words that people use, also where only the value tells', () => {
    expect(saysNo({ path: '/newsletter' }, false)).toBe(true);
    expect(saysNo({ path: '/newsletter' }, 'Nein')).toBe(true);
    expect(saysNo({ path: '/newsletter' }, 'yes')).toBe(false);
    expect(saysNo({ path: '/do_not_call' }, true)).toBe(true);
    expect(saysNo({ path: '/do_not_call' }, 'no')).toBe(false);
    expect(saysNo({ path: '/status' }, 'Unsubscribed')).toBe(true);
    expect(saysNo({ path: '/status' }, 'no')).toBe(false);
  });
});

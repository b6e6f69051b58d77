import { advance, beginItem } from '../run/advance.ts';
import { decided } from '../run/decision.ts';
import { marksOf, plannedChanges } from '../run/marks.ts';
import type { Found } from '../run/plan.ts';
import type { Answer, ItemState } from '../run/state.ts';
import { sentenceText, writeBrief } from '../workflow/brief.ts';
import { checkReadiness } from '../workflow/readiness.ts';
import type { WorkflowContent } from '../workflow/schema.ts';
import { removalOf } from './removal.ts';
import { type InStepSetting, usualInStep } from './setting.ts';
import { legs } from './testing/two-apps.ts';
import { weave } from './weave.ts';

const removing = (kind: 'remove' | 'ask_to_remove'): WorkflowContent => {
  const setting: InStepSetting = { ...usualInStep, removed: { here: { kind }, there: { kind: 'nothing' } } };
  const content = removalOf(weave(legs(), setting, 'pair-1'), setting, 'here', 'pair-1');
  if (!content) throw new Error('Nothing becomes of it.');
  return content;
};

const locale = { country: 'GB', zone: 'Europe/London', decimal: '.', dates: 'day_first' } as const;

/** Goes on with answers until something else is asked for, or it has ended. */
function through(content: WorkflowContent, answers: readonly Answer[], from?: ItemState) {
  const begun = from ?? beginItem({ id: 'a', name: 'Ada Moss' }, '2026-05-04T08:00:00Z', { sourceId: 'a' });
  let at = advance({ content, locale } as never, begun, { kind: 'begin' });
  for (const answer of answers) at = advance({ content, locale } as never, at.state, answer);
  return at;
}

const ada: Found = {
  id: 'b',
  record: { key: 'b', full_name: 'Ada Moss', e_mail: 'ada@clay.example' },
  last: { '/full_name': { sent: 'Ada Moss' }, '/e_mail': { sent: 'ADA@clay.example', read: 'ada@clay.example' } },
};
const linked = (found: Found): Answer => ({ kind: 'matched', linked: found, tries: [] });
const asked = ({ outcome, state }: ReturnType<typeof through>) => {
  expect(outcome).toMatchObject({ kind: 'unsettled', cause: 'removal' });
  return state.steps['remove'];
};

test('it is ready as it is drafted, and says what it does; on its own it isn’t', () => {
  for (const [kind, when] of [
    ['remove', 'unless somebody has changed it'],
    ['ask_to_remove', 'after asking'],
  ] as const) {
    const content = removing(kind);
    expect(checkReadiness(content)).toEqual([]);
    const said = writeBrief(content, { one: 'One', two: 'Two' }).map(sentenceText).join(' ');
    expect(said).toContain(`that it was in step with, ${when}.`);
    const { removalOf: _pair, ...alone } = content;
    expect(checkReadiness(alone).map(({ severity }) => severity)).toEqual(['blocks']);
  }
});

test('who is as both agreed is removed, with what is undone by it; nothing is written', () => {
  const content = removing('remove');
  const { effect } = through(content, [linked(ada)]);
  expect(effect).toMatchObject({ kind: 'write', write: { kind: 'remove', id: 'b', values: {}, before: ada.record } });
  const written: Answer = { kind: 'written', id: 'b' };
  const { outcome, state } = through(content, [linked(ada), written, { kind: 'read', record: null }]);
  expect(outcome).toMatchObject({ kind: 'delivered' });
  expect(state.steps['remove']).toMatchObject({ outcome: 'removed', id: 'b', before: ada.record });
  expect([...marksOf(state)]).toEqual(['removed']);
  expect(plannedChanges(state, () => [])).toEqual([
    { step: 'remove', what: 'removed', field: 'the whole record', before: 'Ada Moss', after: null },
  ]);
  // An app that says so, and still has it.
  const there = through(content, [linked(ada), written, { kind: 'read', record: ada.record }]);
  expect(there.outcome).toMatchObject({ kind: 'unsettled', cause: 'altered' });
});

test.each([
  ['changed since both agreed', { ...ada, record: { ...ada.record, full_name: 'Ada Stone' } }, ['/full_name']],
  ['of whom nothing was agreed', { id: 'b', record: ada.record }, []],
  ['whose change was undone', { ...ada, last: { '/full_name': { sent: null, isHeld: true } } }, ['/full_name']],
] as const)('one %s is asked about, and a yes holds for what was seen', (_who, found, fields) => {
  const content = removing('remove');
  const at = through(content, [linked(found)]);
  const result = asked(at);
  expect(result).toMatchObject({ fields: fields.map((path) => ({ path })), toRemove: { id: 'b' } });
  const yes = decided(content, at.state, { kind: 'remove', step: 'remove' });
  const same = through(content, [{ kind: 'fetched', found }], yes);
  expect(same.effect).toMatchObject({ kind: 'write', write: { kind: 'remove', id: 'b' } });
  const other = { ...found, record: { ...found.record, e_mail: 'new@clay.example' } };
  asked(through(content, [{ kind: 'fetched', found: other }], yes));
});

test('where it was chosen to ask, the one that is as both agreed is asked about too', () => {
  asked(through(removing('ask_to_remove'), [linked(ada)]));
});

test('nobody who is only alike is removed', () => {
  const content = removing('remove');
  expect(through(content, []).effect).toMatchObject({ kind: 'match', ladder: { rungs: [] } });
  const none = through(content, [{ kind: 'matched', tries: [] }]);
  expect(none.outcome).toMatchObject({ kind: 'left_out', why: 'It wasn’t in step with any person.' });
  const gone = { id: 'b', link: { connection: 'one', place: ['people'], id: 'a' } };
  const both = through(content, [{ kind: 'matched', gone: gone as never, tries: [] }]);
  expect(both.outcome).toMatchObject({ kind: 'left_out', why: expect.stringContaining('isn’t there any more either') });
});

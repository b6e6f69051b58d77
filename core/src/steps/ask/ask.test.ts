import fc from 'fast-check';
import { type Advance, type Answer, advance, beginItem, type ItemState, takeOnPaper } from '../../index.ts';
import { contentWith, fromField, priya, versionWith, writeToList } from '../../testing/workflows.ts';
import type { JsonRecord, Value } from '../../values/value.ts';
import { sentenceText, writeBrief } from '../../workflow/brief.ts';
import { checkReadiness } from '../../workflow/readiness.ts';
import type { WorkflowVersion } from '../../workflow/schema.ts';
import type { Step } from '../schemas.ts';
import { ask } from './definition.ts';
import type { AskStep, AskVerdict } from './schema.ts';
import { checkChanges, otherThanApproved, type ShownWrite } from './shown.ts';

const friday = '2026-11-27T10:00:00.000Z';
/** The first moment after two working days from then. */
const tuesday = '2026-12-01T10:00:00.000Z';
const askFor = (more: Partial<AskStep> = {}): AskStep => ({
  id: 'ask',
  kind: 'ask',
  what: { kind: 'approval', write: 'list' },
  words: [
    { kind: 'words', text: 'Is ' },
    { kind: 'field', ref: { step: 'start', path: '/name' } },
    { kind: 'words', text: ' right?' },
  ],
  to: [{ kind: 'words', text: 'ann@clay.example, ben@clay.example; no address' }],
  through: 'post',
  by: { amount: 2, unit: 'working_days' },
  silence: 'leaves_out',
  ...more,
});
const version = (ask: Partial<AskStep> = {}, write: Parameters<typeof writeToList>[0] = {}) =>
  versionWith([askFor(ask), writeToList(write)]);
const notFound: Answer = { kind: 'found', matches: [] };
const said = (verdict: AskVerdict, at = friday, record?: JsonRecord): Answer => ({
  kind: 'woken',
  by: { kind: 'person', told: { verdict: verdict as unknown as Value, who: 'ann@clay.example' } },
  at,
  ...(record && { record }),
});
const shownIn = ({ park }: Advance): ShownWrite => {
  const what = park?.asks?.what;
  if (what?.kind !== 'approval') throw new Error('Nothing is shown.');
  return what.shown;
};
const yesTo = (parked: Advance, changes: Record<string, Value> = {}): AskVerdict => ({
  kind: 'yes',
  shown: shownIn(parked),
  changes,
});

/** Parked where somebody is asked whether a new row may be made. */
function asked(of: WorkflowVersion = version(), record: JsonRecord = priya): Advance {
  const begun = advance(of, beginItem(record, friday), { kind: 'begin', at: friday });
  return advance(of, begun.state, { ...notFound, at: friday });
}

test('what would be written is shown before anything leaves, and a yes to it lets exactly that go', () => {
  const parked = asked();
  expect(parked.park).toMatchObject({
    step: 'ask',
    until: tuesday,
    message: 'To be approved by ann@clay.example, ben@clay.example until Tue 1 Dec 2026, 10:00',
    asks: { words: 'Is Priya Nair right?', to: ['ann@clay.example', 'ben@clay.example'], needsCode: false },
  });
  expect(shownIn(parked)).toMatchObject({
    kind: 'create',
    place: 'list.xlsx → Customers',
    fields: [
      { path: '/Number', after: '10418' },
      { path: '/Name', after: 'Priya Nair' },
      { path: '/Phone', after: '+441632960771' },
    ],
  });
  expect(parked.state.pending).toBeUndefined();
  const stored = JSON.parse(JSON.stringify(parked.state)) as ItemState;
  const looking = advance(version(), stored, said(yesTo(parked)));
  // It is looked for once more: who was nobody may be somebody by now.
  expect(looking.effect).toMatchObject({ kind: 'find', step: 'list' });
  const writes = advance(version(), looking.state, notFound);
  expect(writes.effect).toMatchObject({ kind: 'write', write: { kind: 'create' } });
  expect(writes.state.steps['ask']).toMatchObject({ kind: 'approved', who: 'ann@clay.example' });
});

test('what has changed since it was shown is asked once more, with what has changed', () => {
  const parked = asked();
  const now = { ...priya, name: 'Priya Nair-Moss' };
  const looking = advance(version(), parked.state, said(yesTo(parked), friday, now));
  // The write comes to something else than was seen: it goes back to whoever approves it.
  const back = advance(version(), looking.state, notFound);
  expect(back.effect).toMatchObject({ kind: 'find', step: 'list' });
  const again = advance(version(), back.state, notFound);
  expect(again.park?.asks).toMatchObject({ again: 'It has changed since it was approved: Name.' });
  expect(shownIn(again).fields[1]).toMatchObject({ after: 'Priya Nair-Moss' });
  const found: Answer = {
    kind: 'found',
    matches: [{ id: '7', record: { Number: '10418', Name: 'P. Nair', Phone: '' } }],
  };
  const somebody = advance(version(), advance(version(), parked.state, said(yesTo(parked))).state, found);
  const other = advance(version(), somebody.state, found);
  expect(other.park?.asks?.again).toBe('It has changed since it was approved: another row is changed.');
  expect(shownIn(other).fields.map(({ label, before, after }) => [label, before, after])).toEqual([
    ['Name', 'P. Nair', 'Priya Nair'],
    ['Phone', '', '+441632960771'],
  ]);
});

test('a value that was changed while approving is the one that is written', () => {
  const parked = asked();
  const { fields } = (version().content.steps[1] as ReturnType<typeof writeToList>).target?.described ?? { fields: [] };
  const around = { zone: 'Europe/London', country: 'GB' };
  const checked = checkChanges(
    shownIn(parked),
    { '/Name': ' Priya N. ', '/Number': '10418', '/strange': 'x' },
    fields,
    around,
  );
  expect(checked).toEqual({ ok: true, changes: { '/Name': ' Priya N. ' } });
  expect(checkChanges(shownIn(parked), { '/Name': '' }, fields, around)).toMatchObject({
    ok: false,
    problems: [{ path: '/Name', message: 'Required, and empty here.' }],
  });
  const looking = advance(version(), parked.state, said(yesTo(parked, { '/Name': 'Priya N.' })));
  const writes = advance(version(), looking.state, notFound);
  expect(writes.effect).toMatchObject({
    kind: 'write',
    write: { values: { '/Name': 'Priya N.', '/Number': '10418' } },
  });
  // A later decision on a refused write that sets yet another value is a change too.
  const refused = advance(version(), writes.state, { kind: 'refused', cause: 'refused', message: 'too short' });
  const set = advance(version(), refused.state, {
    kind: 'decided',
    decision: { kind: 'set', step: 'list', values: { '/Name': 'Somebody else' } },
  });
  const back = advance(version(), set.state, notFound);
  expect(back.effect?.kind).toBe('find');
  expect(advance(version(), back.state, notFound).park?.asks?.again).toContain('Name');
});

test('a no ends the record with its reason, or only leaves out what was asked about', () => {
  const no: AskVerdict = { kind: 'no', reason: 'a double' };
  expect(advance(version(), asked().state, said(no)).outcome).toEqual({
    kind: 'left_out',
    step: 'ask',
    why: 'Refused by ann@clay.example: a double',
  });
  const other = writeToList({ id: 'other', mode: 'append', key: undefined });
  const two = versionWith([askFor({ refusal: 'goes_on' }), writeToList(), other]);
  const gone = advance(two, asked(two).state, said(no));
  expect(gone.effect).toMatchObject({ kind: 'write', step: 'other' });
  expect(gone.state.steps['list']).toMatchObject({ kind: 'passed_over' });
  // Whatever is decided later: a no stays one.
  const retried = advance(version(), advance(version(), asked().state, said(no)).state, {
    kind: 'decided',
    decision: { kind: 'retry' },
  });
  expect(retried.outcome?.kind).toBe('left_out');
});

const late = (at: string): Answer => ({ kind: 'woken', by: { kind: 'time' }, at });

test('no answer is never a yes: reminded, left out, or gone on without it, as chosen', () => {
  for (const silence of ['reminds', 'leaves_out', 'goes_on'] as const) {
    const of = version({ silence });
    let step: Advance = advance(of, asked(of).state, late(tuesday));
    if (step.effect?.kind === 'find') step = advance(of, step.state, { ...notFound, at: tuesday });
    if (silence === 'reminds') {
      expect(step.park).toMatchObject({ until: '2026-12-03T10:00:00.000Z', asks: { isReminder: true } });
      continue;
    }
    expect(step.outcome).toMatchObject({
      kind: 'left_out',
      why: 'Nobody answered until Tue 1 Dec 2026, 10:00.',
    });
  }
  // Before their time is over nothing is.
  const early = advance(version(), asked().state, late('2026-11-30T10:00:00.000Z'));
  expect(early.effect?.kind).toBe('find');
});

test('what only wakes it is no answer, such as a continue link or “send now”', () => {
  const wakes: Answer[] = [
    { kind: 'woken', by: { kind: 'person' }, at: friday },
    { kind: 'woken', by: { kind: 'event', event: 'continue link' }, at: friday },
    { kind: 'woken', by: { kind: 'person', told: { who: 'ann@clay.example' } }, at: friday },
    {
      kind: 'woken',
      by: { kind: 'event', event: 'x', told: { verdict: yesTo(asked()) as unknown as Value } },
      at: friday,
    },
  ];
  for (const wake of wakes) {
    const looking = advance(version(), asked().state, wake);
    expect(looking.state.steps['ask']).toBeUndefined();
    expect(advance(version(), looking.state, notFound).park?.step).toBe('ask');
  }
});

test('answers to questions are fields of later steps, in a rehearsal examples', () => {
  const questions = {
    kind: 'questions' as const,
    questions: [
      { key: 'q1', label: 'How urgent is it?', type: 'choice' as const, options: ['low', 'high'], isRequired: true },
    ],
  };
  const write = writeToList({
    mode: 'append',
    key: undefined,
    mapping: {
      '/Name': fromField('/name'),
      '/Phone': { kind: 'field', ref: { step: 'ask', path: '/q1' }, tidies: [] },
    },
  });
  const of = versionWith([askFor({ what: questions }), write]);
  expect(checkReadiness(of.content).filter(({ severity }) => severity === 'blocks')).toEqual([]);
  const parked = advance(of, beginItem(priya, friday), { kind: 'begin', at: friday });
  expect(parked.park?.asks?.what).toEqual(questions);
  const done = advance(of, parked.state, said({ kind: 'answers', answers: { q1: 'high' } }));
  expect(done.effect).toMatchObject({ write: { values: { '/Phone': 'high' } } });
  expect(takeOnPaper(of, priya, friday, {}).state.values['list']).toMatchObject({ Phone: 'low' });
  const silent = versionWith([askFor({ what: questions, silence: 'goes_on' }), write]);
  const gone = advance(
    silent,
    advance(silent, beginItem(priya, friday), { kind: 'begin', at: friday }).state,
    late(tuesday),
  );
  expect(gone.effect).toMatchObject({ write: { values: { '/Phone': null } } });
});

test('in a rehearsal nobody is asked, and what would be written is shown', () => {
  const { state } = takeOnPaper(version(), priya, friday, {});
  expect(state.steps['ask']).toEqual({ kind: 'would_ask', what: 'approval' });
  expect(state.steps['list']).toMatchObject({ kind: 'written', outcome: 'new' });
});

test('where nothing would change nobody is asked; money asks for a code', () => {
  const begun = advance(version(), beginItem(priya, friday), { kind: 'begin', at: friday });
  const same = { Number: '10418', Name: 'Priya Nair', Phone: '+441632960771' };
  const found: Answer = { kind: 'found', matches: [{ id: '7', record: same }] };
  const write = advance(version(), begun.state, found);
  expect(write.state.steps['ask']).toMatchObject({ kind: 'not_asked' });
  expect(advance(version(), write.state, found).outcome?.kind).toBe('delivered');
  const target = writeToList().target;
  const fields = (target?.described.fields ?? []).map((one) =>
    one.path === '/Phone' ? { ...one, type: 'money' as const } : one,
  );
  const paid = version(
    {},
    {
      target: target && { ...target, described: { ...target.described, fields } },
      mapping: {
        '/Number': fromField('/id'),
        '/Name': fromField('/name'),
        '/Phone': { kind: 'fixed', value: '12.50' },
      },
    },
  );
  expect(asked(paid).park?.asks?.needsCode).toBe(true);
});

test('the brief says whom, for how long and what happens then; a draft says what is missing', () => {
  const { content } = version();
  const [ask] = writeBrief(content, { shelf: 'Workbook shelf', shop: 'Shop counter' }).filter(({ id }) => id === 'ask');
  expect(ask && sentenceText(ask)).toBe(
    'Ask ann@clay.example, ben@clay.example; no address to approve a row in the Workbook shelf, list.xlsx → Customers; after 2 working days without an answer the record goes no further.',
  );
  const blocksOf = (steps: Step[]): string[] =>
    checkReadiness(contentWith(steps)).flatMap(({ severity, sentence, message }) =>
      severity === 'blocks' && sentence === 'ask' ? [message] : [],
    );
  expect(blocksOf([askFor(), writeToList()])).toEqual([]);
  expect(blocksOf([writeToList(), askFor()])).toEqual(['The step that has to be approved must stand after this one.']);
  expect(blocksOf([askFor({ through: null }), writeToList()])).toEqual([
    'Choose the connection by which people are written to.',
  ]);
  expect(blocksOf([askFor({ what: { kind: 'questions', questions: [] } }), writeToList()])).toEqual([
    'Say what is asked: there is no question yet.',
  ]);
  const between: Step = { id: 'sum', kind: 'compute', values: [{ name: 'nick', text: '"x"', refs: {} }] };
  const uses = writeToList({
    mapping: { '/Name': { kind: 'field', ref: { step: 'sum', path: '/nick' }, tidies: [] } },
    mode: 'append',
    key: undefined,
  });
  expect(blocksOf([askFor(), between, uses])).toEqual([
    '“nick” isn’t known yet here. Move this to right before what has to be approved.',
  ]);
});

test('a new one asks about the write that it comes to stand before', () => {
  const made = ask.make('ask');
  const each: Step = { id: 'each', kind: 'each', over: { step: 'start', path: '/lines' } };
  const inner = writeToList({ id: 'inner', within: 'each' });
  expect(ask.before?.(made, [each, inner, writeToList()]).what).toEqual({ kind: 'approval', write: 'list' });
  expect(ask.before?.(made, [each, inner]).what).toEqual({ kind: 'approval', write: null });
  expect(ask.before?.({ ...made, what: { kind: 'questions', questions: [] } }, [writeToList()]).what.kind).toBe(
    'questions',
  );
});

const shown = (fields: Record<string, [Value, Value]>, more: Partial<ShownWrite> = {}): ShownWrite => ({
  kind: 'update',
  place: 'list',
  singular: 'row',
  connection: 'shelf',
  path: ['list'],
  id: '1',
  fields: Object.entries(fields).map(([path, [before, after]]) => ({
    path,
    label: path.slice(1),
    type: Array.isArray(after) ? 'list' : 'text',
    before,
    after,
    canChange: true,
  })),
  ...more,
});

test('lines that say more than was seen are other lines, and so is another value before', () => {
  const lines = [{ sku: 'A', price: '1' }];
  const more = [{ sku: 'A', price: '1', discount: '1' }];
  expect(otherThanApproved(shown({ '/lines': [[], lines] }), {}, shown({ '/lines': [[], more] }))).toEqual(['lines']);
  expect(otherThanApproved(shown({ '/a': ['x', 'y'] }), {}, shown({ '/a': ['z', 'y'] }))).toEqual(['a']);
  expect(otherThanApproved(shown({ '/a': ['x', 'y'] }), {}, shown({ '/a': ['x', 'y'], '/b': ['', '1'] }))).toEqual([
    'b',
  ]);
  // What was changed to a value that stands there by now is left alone.
  expect(
    otherThanApproved(shown({ '/a': ['x', 'y'], '/b': ['', '1'] }), { '/b': '' }, shown({ '/a': ['x', 'y'] })),
  ).toEqual([]);
  expect(otherThanApproved(shown({}), {}, shown({}, { path: ['other'] }))).toEqual(['where it is written']);
});

// The law of the whole: whatever comes in whatever order, a write leaves only with a yes to exactly what it writes. It is
// judged by what a person was shown, not by what the item remembers of it.
const nameIs = fc.constantFrom('Ann', 'Ben', 'Cy');
const command = fc.oneof(
  fc.record({ does: fc.constant('says_yes' as const), change: fc.option(nameIs) }),
  fc.record({ does: fc.constant('says_no' as const) }),
  fc.record({ does: fc.constant('source_changes' as const), to: nameIs }),
  fc.record({ does: fc.constant('there_changes' as const), to: fc.option(nameIs) }),
  fc.record({ does: fc.constant('time_passes' as const) }),
  fc.record({ does: fc.constant('is_woken' as const) }),
  fc.record({ does: fc.constant('write_is_refused' as const) }),
  fc.record({ does: fc.constant('is_retried' as const), sets: fc.option(nameIs) }),
  fc.record({ does: fc.constant('is_stale' as const) }),
);

type Command = typeof command extends fc.Arbitrary<infer C> ? C : never;

/** One item, its source, what stands in the destination, and all that anybody has said yes to. */
class Played {
  private source: JsonRecord = { ...priya };
  private there: string | null = null;
  private now = Date.parse(friday);
  private step: Advance;
  /** What was seen and approved, each with its giver's own change in it. */
  private readonly approved = new Set<string>();
  left = 0;

  constructor(private readonly of: WorkflowVersion) {
    this.step = advance(of, beginItem(this.source, friday), { kind: 'begin', at: friday });
    this.settle();
  }

  play(one: Command): void {
    const at = new Date(this.now).toISOString();
    const answer = this.answerOf(one, at);
    if (answer)
      this.step = advance(this.of, this.step.state, { ...answer, at: new Date(this.now).toISOString() } as Answer);
    this.settle();
  }

  /** What a command says to the item as it stands; nothing where it says nothing to it. */
  private answerOf(one: Command, at: string): Answer | undefined {
    const { park, effect, outcome } = this.step;
    switch (one.does) {
      case 'source_changes':
        this.source = { ...this.source, name: one.to };
        return undefined;
      case 'there_changes':
        this.there = one.to;
        return undefined;
      case 'time_passes':
        this.now += 5 * 24 * 3_600_000;
        return park && { kind: 'woken', by: { kind: 'time' }, record: this.source };
      case 'is_woken':
        return park && { kind: 'woken', by: { kind: 'person' }, record: this.source };
      case 'says_yes':
        return this.yes(one.change, at);
      case 'says_no':
        return park && said({ kind: 'no', reason: '' }, at);
      case 'write_is_refused':
        return effect?.kind === 'write' ? { kind: 'refused', cause: 'refused', message: 'no' } : undefined;
      case 'is_stale':
        return effect?.kind === 'write' ? { kind: 'stale' } : undefined;
      case 'is_retried': {
        if (!outcome || outcome.kind === 'delivered') return undefined;
        const values: Record<string, Value> = { '/Name': one.sets };
        return {
          kind: 'decided',
          decision: one.sets === null ? { kind: 'retry' } : { kind: 'set', step: 'list', values },
        };
      }
    }
  }

  private yes(change: string | null, at: string): Answer | undefined {
    const what = this.step.park?.asks?.what;
    if (what?.kind !== 'approval') return undefined;
    const seen = what.shown.fields.find(({ path }) => path === '/Name');
    const changes: Record<string, Value> = change !== null && seen ? { '/Name': change } : {};
    const name = changes['/Name'] ?? seen?.after ?? null;
    this.approved.add(JSON.stringify([what.shown.kind, seen?.before ?? null, name]));
    return said({ kind: 'yes', shown: what.shown, changes }, at, this.source);
  }

  /** Answers what is looked for; a write that leaves was seen and approved, or the law is broken. */
  private settle(): void {
    for (let guard = 0; this.step.effect?.kind === 'find' && guard < 20; guard++) {
      const record = this.there === null ? null : { Number: '10418', Name: this.there, Phone: '+441632960771' };
      const matches = record ? [{ id: '7', record }] : [];
      this.step = advance(this.of, this.step.state, { kind: 'found', matches });
    }
    const { effect } = this.step;
    if (effect?.kind !== 'write') return;
    const { kind, before, values } = effect.write;
    this.left += 1;
    expect(this.approved).toContain(JSON.stringify([kind, before?.['Name'] ?? null, values['/Name'] ?? null]));
  }
}

test('law: no sequence of changes, wakes, refusals and decisions lets a write leave that nobody has seen and approved', () => {
  let left = 0;
  fc.assert(
    fc.property(
      fc.array(command, { maxLength: 25 }),
      fc.constantFrom('reminds' as const, 'leaves_out' as const, 'goes_on' as const),
      (commands, silence) => {
        const played = new Played(version({ silence }));
        for (const one of commands) played.play(one);
        left += played.left;
      },
    ),
    { numRuns: 600 },
  );
  // It says something only if writes do leave.
  expect(left).toBeGreaterThan(100);
});

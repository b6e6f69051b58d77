import fc from 'fast-check';
import { advance, beginItem } from '../../run/advance.ts';
import { handedPiece } from '../../run/handed-piece.ts';
import { layOut } from '../../run/lay-out.ts';
import type { Advance, Answer } from '../../run/state.ts';
import type { Field, RecordType } from '../../values/field.ts';
import type { JsonRecord } from '../../values/value.ts';
import { sentenceText, writeBrief } from '../../workflow/brief.ts';
import { checkReadiness } from '../../workflow/readiness.ts';
import { knownFields } from '../../workflow/references.ts';
import { emptyContent, type WorkflowContent, type WorkflowVersion } from '../../workflow/schema.ts';
import type { Step } from '../schemas.ts';
import type { HandOverStep } from './schema.ts';

const takenAt = '2026-11-30T09:00:00.000Z';

const described = (singular: string, fields: readonly Field[]): RecordType => ({
  name: singular,
  singular,
  plural: `${singular}s`,
  fields: [{ path: '/$arrival/id', label: 'arrival id', type: 'id', readOnly: true }, ...fields],
  can: { list: true, find: false, create: false, update: false, readBack: true },
});

const place = (name: string, fields: readonly Field[]) => ({
  connection: 'inbox',
  path: [name],
  labels: [name],
  described: described('person', fields),
});

const people = place('people', [
  { path: '/email', label: 'e-mail', type: 'email', required: true },
  { path: '/name', label: 'name', type: 'text' },
]);

const source = place('lists', [
  { path: '/email', label: 'e-mail', type: 'text' },
  { path: '/name', label: 'name', type: 'text' },
  {
    path: '/rows',
    label: 'rows',
    type: 'list',
    fields: [
      { path: '/mail', label: 'mail', type: 'text' },
      { path: '/wanted', label: 'wanted', type: 'boolean' },
    ],
  },
]);

const from = (step: string, path: string) => ({ kind: 'field' as const, ref: { step, path }, tidies: [] });

const one: HandOverStep = {
  id: 'hand',
  kind: 'hand_over',
  target: people,
  mapping: { '/email': from('start', '/email'), '/name': from('start', '/name') },
};
const each: Step = { id: 'each', kind: 'each', over: { step: 'start', path: '/rows' } };
const row: HandOverStep = { ...one, within: 'each', mapping: { '/email': from('each', '/mail') } };

function version(steps: Step[], start: Partial<WorkflowContent['start']> = {}): WorkflowVersion {
  const empty = emptyContent('Lists');
  const content = { ...empty, start: { ...empty.start, source, trigger: { kind: 'event' as const }, ...start }, steps };
  return { content, locale: { zone: 'UTC', country: 'GB' } };
}

const begin = (made: WorkflowVersion, record: JsonRecord): Advance =>
  advance(made, beginItem(record, takenAt), { kind: 'begin' });

/** Answers one after the other, as far as there are any. */
const go = (made: WorkflowVersion, at: Advance, ...answers: Answer[]): Advance =>
  answers.reduce((now, answer) => advance(made, now.state, answer), at);

const ada = { email: 'ada@clay.example', name: 'Ada' };

test('a record is handed over, and is delivered by that', () => {
  const made = version([one]);
  const asked = begin(made, ada);
  expect(asked.effect).toEqual({ kind: 'handOver', step: 'hand', target: expect.anything(), count: 1 });
  expect(handedPiece(made, asked.state, 'hand', 0, 200)).toEqual({
    records: [{ turn: 0, record: { email: 'ada@clay.example', name: 'Ada' }, problems: [] }],
    isList: false,
    passedOver: 0,
  });
  const ended = go(made, asked, { kind: 'handed', count: 1 });
  expect(ended.outcome).toEqual({ kind: 'delivered' });
  expect(ended.state.steps).toEqual({ hand: { kind: 'handed', count: 1 } });
});

test('what is needed there and missing here is told while building, and asked for before anything is handed over', () => {
  const unfilled = version([{ ...one, mapping: { '/name': from('start', '/name') } }]);
  expect(checkReadiness(unfilled.content).map(({ message }) => message)).toContain(
    '“e-mail” is required and not filled.',
  );
  const asked = begin(version([one]), { ...ada, email: '' });
  expect(asked.outcome).toMatchObject({ kind: 'unsettled', step: 'hand', cause: 'value' });
  const set = go(version([one]), asked, {
    kind: 'decided',
    decision: { kind: 'set', step: 'hand', values: { '/email': 'ada@clay.example' } },
  });
  expect(set.effect).toMatchObject({ kind: 'handOver', count: 1 });
});

test('who waits for it parks until nothing is open, and then knows what came back', () => {
  const back: Field[] = [{ path: '/wrote/list/id', label: 'id', type: 'id' }];
  const made = version([
    { ...one, awaits: true, back },
    {
      id: 'tell',
      kind: 'hand_over',
      target: { ...people, path: ['others'] },
      mapping: { '/email': from('start', '/email'), '/name': from('hand', '/wrote/list/id') },
    },
  ]);
  const counts = { delivered: 0, leftOut: 0, dropped: 0 };
  const asked = go(made, begin(made, ada), { kind: 'handed', count: 1 });
  expect(asked.effect).toMatchObject({ kind: 'handedBack', wants: 'one' });
  const waits = go(made, asked, { kind: 'handed_back', open: 1, unsettled: 1, message: '1 needs you', counts });
  expect(waits.park).toEqual({
    step: 'hand',
    holdsLater: true,
    awaitsHanded: { unsettled: 1 },
    message: '1 needs you',
  });
  // Whatever wakes it is no end of what it handed over.
  const again = go(made, waits, { kind: 'woken', by: { kind: 'person' } });
  expect(again.effect).toMatchObject({ kind: 'handedBack' });
  const goesOn = go(made, again, {
    kind: 'handed_back',
    open: 0,
    unsettled: 0,
    message: '',
    counts: { ...counts, delivered: 1 },
    one: { state: 'delivered', wrote: { list: { id: 'r-7' } } },
  });
  expect(goesOn.effect).toMatchObject({ kind: 'handOver', step: 'tell' });
  expect(handedPiece(made, goesOn.state, 'tell', 0, 1).records[0]?.record).toEqual({ ...ada, name: 'r-7' });
  expect(goesOn.state.steps['hand']).toEqual({ kind: 'handed', count: 1, back: { ...counts, delivered: 1 } });
  expect(goesOn.state).not.toHaveProperty('handed');
});

test('stopped while it waits, it goes no further', () => {
  const made = version([{ ...one, awaits: true }]);
  const counts = { delivered: 0, leftOut: 0, dropped: 0 };
  const waits = go(
    made,
    begin(made, ada),
    { kind: 'handed', count: 1 },
    { kind: 'handed_back', open: 1, unsettled: 0, message: '', counts },
  );
  const stopped = go(made, waits, { kind: 'woken', by: { kind: 'person', told: { stops: 'Not wanted any more.' } } });
  expect(stopped.outcome).toEqual({ kind: 'left_out', step: 'hand', why: 'Not wanted any more.' });
});

describe('a list', () => {
  const rows = (count: number) =>
    Array.from({ length: count }, (_, at) => ({ mail: `p${at}@clay.example`, wanted: at % 3 === 0 }));

  test('is handed over as a whole where nothing else is done for each, in turns where there is', () => {
    const alone = version([each, row]);
    const begun = begin(alone, { rows: rows(1500) });
    expect(begun.effect).toMatchObject({ kind: 'handOver', step: 'hand', count: 1500 });
    expect(layOut(alone.content, begun.state.values).map(({ id }) => id)).toEqual(['each', 'hand']);
    const condition = {
      kind: 'test' as const,
      ref: { step: 'each', path: '/wanted' },
      operator: 'is_yes' as const,
      values: [],
    };
    const chosen = version([
      each,
      { id: 'wanted', kind: 'condition', within: 'each', condition: { kind: 'all', items: [condition] } },
      row,
    ]);
    const turn = begin(chosen, { rows: rows(2) });
    expect(turn.effect).toMatchObject({ kind: 'handOver', step: 'hand#1', count: 1 });
    expect(handedPiece(chosen, turn.state, 'hand#1', 0, 1).records[0]?.record).toEqual({ email: 'p0@clay.example' });
    expect(go(chosen, turn, { kind: 'handed', count: 1 }).outcome).toEqual({ kind: 'delivered' });
  });

  test('more than are ever handed over for one record are a person’s case; an empty one is delivered', () => {
    expect(begin(version([each, row]), { rows: rows(20_001) }).outcome).toMatchObject({
      kind: 'unsettled',
      step: 'hand',
    });
    expect(begin(version([each, row]), { rows: [] }).outcome).toEqual({ kind: 'delivered' });
  });

  test('each is judged by the step’s “only if”, and one that can’t be made is handed over with what is wrong', () => {
    const condition = {
      kind: 'test' as const,
      ref: { step: 'each', path: '/wanted' },
      operator: 'is_yes' as const,
      values: [],
    };
    const made = version([each, { ...row, onlyIf: { kind: 'all', items: [condition] } }]);
    const begun = begin(made, { rows: [...rows(4), { mail: 'no address', wanted: true }] });
    const piece = handedPiece(made, begun.state, 'hand', 0, 200);
    expect(piece.records.map(({ turn, problems }) => [turn, problems.length])).toEqual([
      [1, 0],
      [4, 0],
      [5, 1],
    ]);
    expect(piece.passedOver).toBe(2);
  });

  test('law: pieces of any size hand over the same, each item once, and count all of it', () => {
    const condition = {
      kind: 'test' as const,
      ref: { step: 'each', path: '/wanted' },
      operator: 'is_yes' as const,
      values: [],
    };
    fc.assert(
      fc.property(
        fc.array(fc.record({ mail: fc.string(), wanted: fc.boolean() }), { minLength: 1, maxLength: 40 }),
        fc.integer({ min: 1, max: 50 }),
        fc.boolean(),
        (items, size, isChosen) => {
          const made = version([each, isChosen ? { ...row, onlyIf: { kind: 'all', items: [condition] } } : row]);
          const { state } = begin(made, { rows: items });
          const whole = handedPiece(made, state, 'hand', 0, items.length);
          const pieces = Array.from({ length: Math.ceil(items.length / size) }, (_, at) =>
            handedPiece(made, state, 'hand', at * size, size),
          );
          expect(pieces.flatMap(({ records }) => records)).toEqual(whole.records);
          expect(whole.records.length + whole.passedOver).toBe(items.length);
          expect(new Set(whole.records.map(({ turn }) => turn)).size).toBe(whole.records.length);
        },
      ),
    );
  });
});

test('whoever takes it in asks for what is needed and lacks, and goes on once a person has said it', () => {
  const target = { ...people, path: ['elsewhere'] };
  const made = version([{ ...one, target }], { source: people, trigger: { kind: 'handed' } });
  const came = { name: 'Ada', $arrival: { id: 'k', handed: { key: 'k' } } };
  const asked = begin(made, came);
  expect(asked.outcome).toEqual({
    kind: 'unsettled',
    step: 'start',
    cause: 'value',
    message: 'e-mail: Required, and nothing was handed over for it.',
  });
  expect(go(made, asked, { kind: 'decided', decision: { kind: 'retry' } }).outcome).toMatchObject({ step: 'start' });
  const goesOn = go(made, asked, {
    kind: 'decided',
    decision: { kind: 'set', step: 'start', values: { '/email': 'ada@clay.example' } },
  });
  expect(handedPiece(made, goesOn.state, 'hand', 0, 1).records[0]?.record).toEqual({
    email: 'ada@clay.example',
    name: 'Ada',
  });
});

test('its sentence says to whom, and what comes back is known to later steps', () => {
  const awaits = {
    ...one,
    awaits: true as const,
    back: [{ path: '/wrote/list/id', label: 'id', type: 'id' as const }],
  };
  const made = version([awaits, { ...one, id: 'later' }]);
  expect(writeBrief(made.content, {}).map(sentenceText)[1]).toBe(
    'Hand a person over to people and wait until it is done there.',
  );
  const known = knownFields(made.content, 'later').filter(({ ref }) => ref.step === 'hand');
  expect(known.map(({ ref }) => ref.path)).toEqual(['/state', '/wrote/list/id']);
  const handed = version([], { source: people, trigger: { kind: 'handed' }, waitsToFit: undefined });
  expect(writeBrief(handed.content, {}).map(sentenceText)[0]).toBe('When a person is handed over to it.');
  const itself = version([{ ...one, target: source }]);
  expect(checkReadiness(itself.content)[0]?.message).toMatch('can’t hand over to itself');
});

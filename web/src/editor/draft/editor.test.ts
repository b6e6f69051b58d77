import { emptyContent, newStepId, type Place, type WorkflowContent, type WriteStep } from '@golden/core';
import { DateTime } from 'luxon';
import { counted, formatAhead, formatInstant, formatNumber, formatSeconds } from '../../parts/formats.ts';
import { runSample } from '../samples/sample-run.ts';
import { withFilling, withNewStep, withoutStep, withStart, withStep, withTarget } from './edits.ts';

const can = { list: true, find: true, create: true, update: true, readBack: true };
const place = (connection: string, names: string[]): Place => ({
  connection,
  path: [connection],
  labels: [connection],
  described: {
    name: connection,
    singular: 'row',
    plural: 'rows',
    can,
    fields: names.map((name) => ({ path: `/${name}`, label: name, type: 'text' })),
  },
});
const from = (path: string) => ({ kind: 'field' as const, ref: { step: 'start', path }, tidies: [] });
const write = (more: Partial<WriteStep> = {}): WriteStep => ({
  id: 'w',
  kind: 'write',
  target: place('list', ['No', 'Name']),
  mode: 'create_or_update',
  key: '/No',
  mapping: { '/No': from('/id') },
  ...more,
});
const content = (steps: WorkflowContent['steps']): WorkflowContent => ({
  ...emptyContent('x'),
  start: { ...emptyContent('x').start, source: place('shop', ['id', 'name', 'country']) },
  steps,
});
const condition = (id: string) => ({
  id,
  kind: 'condition' as const,
  condition: {
    kind: 'test' as const,
    ref: { step: 'start', path: '/country' },
    operator: 'is' as const,
    values: ['GB'],
  },
});

describe('edits of a draft', () => {
  test('each gives a new content and leaves the old one as it was', () => {
    const before = content([write()]);
    const kept = structuredClone(before);
    withStart({ trigger: { kind: 'every', minutes: 15 } })(before);
    withFilling('w', '/Name', from('/name'))(before);
    withoutStep('w')(before);
    expect(before).toEqual(kept);
  });

  test('a new condition stands before the first write, a new write at the end', () => {
    const after = withNewStep(write({ id: 'w2' }))(withNewStep(condition('c'))(content([write()])));
    expect(after.steps.map((step) => step.id)).toEqual(['c', 'w', 'w2']);
    const last = content([write(), write({ id: 'last', afterAll: true })]);
    const ids = (one: WorkflowContent) => one.steps.map((step) => step.id);
    expect(ids(withNewStep(write({ id: 'w2' }))(last))).toEqual(['w', 'w2', 'last']);
    expect(ids(withNewStep(write({ id: 'w2' }), 'last')(last))).toEqual(['w', 'w2', 'last']);
  });

  test('a filling is put and taken away', () => {
    const filled = withFilling('w', '/Name', from('/name'))(content([write()]));
    expect(filled.steps[0]).toMatchObject({ mapping: { '/Name': { kind: 'field' } } });
    expect((withFilling('w', '/Name', undefined)(filled).steps[0] as WriteStep).mapping).toEqual({
      '/No': from('/id'),
    });
  });

  test('the same place described anew keeps the mapping; another place begins anew', () => {
    const again = withTarget('w', place('list', ['No', 'Name', 'Phone']))(content([write()])).steps[0] as WriteStep;
    expect(again).toMatchObject({ key: '/No', mapping: { '/No': from('/id') } });
    const other = withTarget('w', place('other', ['No']))(content([write()])).steps[0] as WriteStep;
    expect(other.mapping).toEqual({});
    expect(other.key).toBeUndefined();
  });

  test('ids of new steps are free, and one step changes alone', () => {
    const two = content([write({ id: 'write-1' }), write({ id: 'write-3' })]);
    expect(newStepId(two, 'write')).toBe('write-4');
    const off = withStep('write-3', (step) => ({ ...step, isOff: true }))(two);
    expect(off.steps.map((step) => Boolean(step.isOff))).toEqual([false, true]);
  });
});

describe('samples taken through the draft', () => {
  const version = (steps: WorkflowContent['steps']) => ({
    content: content(steps),
    locale: { zone: 'Europe/London', country: 'GB' },
  });

  test('the margin counts what reaches each sentence', () => {
    const steps = [condition('c'), write()];
    const kept = runSample(version(steps), {
      id: '1',
      origin: 'real',
      record: { id: '1', name: 'Ada', country: 'gb' },
    });
    expect([...kept.reached]).toEqual(['c', 'w']);
    expect(kept.results['w']).toMatchObject({ kind: 'written', outcome: 'new' });
    const left = runSample(version(steps), { id: '2', origin: 'real', record: { id: '2', name: 'Bo', country: 'SE' } });
    expect([...left.reached]).toEqual(['c']);
    expect(left.results['c']).toMatchObject({ kind: 'left_out' });
  });

  test('a draft that isn’t finished doesn’t break the sheet', () => {
    const half = runSample(version([write({ target: null, mapping: {} })]), {
      id: '1',
      origin: 'real',
      record: { id: '1' },
    });
    expect(half.results['w']).toMatchObject({ kind: 'unsettled' });
    const none = runSample(version([]), { id: '1', origin: 'real', record: {} });
    expect(none).toMatchObject({ title: 'no name', results: {} });
  });
});

describe('formats', () => {
  const now = DateTime.fromObject({ year: 2026, month: 11, day: 23, hour: 12 }, { zone: 'utc' }) as DateTime<true>;
  test.each([
    ['2026-11-23T09:05:00Z', '09:05'],
    ['2026-11-22T16:20:00Z', 'yesterday 16:20'],
    ['2026-11-03T16:21:00Z', '3 Nov 16:21'],
    ['2025-12-31T16:21:00Z', '31 Dec 2025'],
  ])('%s is “%s”', (instant, said) => expect(formatInstant(instant, 'Europe/London', now)).toBe(said));

  // Common practice: asked every 15 minutes with 7 passed: "in 8 minutes".
  test('how far off the next check is', () => {
    expect(formatAhead('2026-11-23T12:08:00Z', now)).toBe('in 8 minutes');
    expect(formatAhead('2026-11-23T12:00:20Z', now)).toBe('in a moment');
    expect(formatAhead('2026-11-23T15:00:00Z', now)).toBe('in 3 hours');
  });

  test('numbers and durations', () => {
    expect(formatNumber(1318)).toBe('1,318');
    expect([counted(1, 'record'), counted(3, 'record'), counted(0, 'entry', 'entries')]).toEqual([
      '1 record',
      '3 records',
      '0 entries',
    ]);
    expect([formatSeconds(0.84), formatSeconds(125)]).toEqual(['0.8 s', '2 min 5 s']);
  });
});

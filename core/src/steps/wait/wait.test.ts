import fc from 'fast-check';
import { type OpenHours, officeWeek, wholeWeekdays } from '../../calendar/calendar.ts';
import { type Advance, type Answer, advance, beginItem, skipped, takeOnPaper } from '../../index.ts';
import { aField, keepBritish, priya, shop, versionWith, writeToList } from '../../testing/workflows.ts';
import type { JsonRecord } from '../../values/value.ts';
import { sentenceText, writeBrief } from '../../workflow/brief.ts';
import { describeChanges } from '../../workflow/changes.ts';
import { checkReadiness } from '../../workflow/readiness.ts';
import type { Step } from '../schemas.ts';
import type { WaitStep, WaitUntil } from './schema.ts';

const hours: OpenHours = {
  id: 'shop',
  name: 'Shop hours',
  week: officeWeek(),
  off: { '2026-11-30': 'St Andrew’s Day' },
};
const thursday = '2026-11-26T10:42:00.000Z';
const list = writeToList({ mode: 'append', key: undefined });

const waitFor = (until: WaitUntil, more: Partial<WaitStep> = {}): WaitStep => ({
  id: 'wait',
  kind: 'wait',
  until,
  ...more,
});
const days = (amount: number, from: 'start' | 'step' = 'start'): WaitUntil => ({
  kind: 'time',
  amount,
  unit: 'working_days',
  from,
});
const version = (steps: Step[], more: Partial<typeof shop.described> = {}) => {
  const made = versionWith(steps);
  const visit = aField('/visit', { type: 'instant' });
  const described = { ...shop.described, fields: [...shop.described.fields, visit], ...more };
  const content = { ...made.content, start: { ...made.content.start, source: { ...shop, described } } };
  return { ...made, content, calendars: [hours] };
};
type Version = ReturnType<typeof version>;
const begin = (of: Version, record: JsonRecord = priya, at = thursday): Advance =>
  advance(of, beginItem(record, at), { kind: 'begin', at });
const woken = (at: string, more: Partial<Extract<Answer, { kind: 'woken' }>> = {}): Answer => ({
  kind: 'woken',
  by: { kind: 'time' },
  at,
  ...more,
});

test.each<[string, WaitUntil, JsonRecord, string]>([
  ['working days from the start, a day off left out', days(2), priya, '2026-12-01T10:42:00.000Z'],
  ['minutes', { kind: 'time', amount: 30, unit: 'minutes', from: 'start' }, priya, '2026-11-26T11:12:00.000Z'],
  [
    'a time of day that is still to come',
    { kind: 'time_of_day', at: '17:30', onWorkingDays: false },
    priya,
    '2026-11-26T17:30:00.000Z',
  ],
  [
    'one that is over today',
    { kind: 'time_of_day', at: '09:00', onWorkingDays: true },
    priya,
    '2026-11-27T09:00:00.000Z',
  ],
  [
    'a moment of the record',
    { kind: 'date', ref: { step: 'start', path: '/visit' }, amount: 0, unit: 'days', side: 'before' },
    { ...priya, visit: '2026-12-03T14:00:00Z' },
    '2026-12-03T14:00:00.000Z',
  ],
  [
    'the working day before it, in the morning',
    {
      kind: 'date',
      ref: { step: 'start', path: '/visit' },
      amount: 1,
      unit: 'working_days',
      side: 'before',
      at: '08:15',
    },
    { ...priya, visit: '2026-12-01T14:00:00Z' },
    '2026-11-27T08:15:00.000Z',
  ],
  [
    'a date alone is the morning of that day',
    { kind: 'date', ref: { step: 'start', path: '/visit' }, amount: 1, unit: 'weeks', side: 'after' },
    { ...priya, visit: '2026-12-01' },
    '2026-12-08T09:00:00.000Z',
  ],
  [
    'a date as people write it',
    { kind: 'date', ref: { step: 'start', path: '/visit' }, amount: 0, unit: 'days', side: 'after' },
    { ...priya, visit: '1 December 2026' },
    '2026-12-01T09:00:00.000Z',
  ],
])('%s', (_what, until, record, due) => {
  const parked = begin(version([waitFor(until), list]), record);
  expect(parked.park?.until).toBe(due);
  expect(begin(version([waitFor(until), list]), JSON.parse(JSON.stringify(record)) as JsonRecord).state).toEqual(
    parked.state,
  );
});

test('after the wait it goes on; the next wait is counted from the start, or from when this one ended', () => {
  const of = version([
    waitFor(days(1)),
    waitFor(days(2), { id: 'then' }),
    waitFor(days(1, 'step'), { id: 'last' }),
    list,
  ]);
  const first = begin(of);
  expect(first.park).toMatchObject({
    step: 'wait',
    until: '2026-11-27T10:42:00.000Z',
    message: 'Until Fri 27 Nov 2026, 10:42',
  });
  const second = advance(of, first.state, woken('2026-11-27T10:45:00.000Z'));
  expect(second.park).toMatchObject({ step: 'then', until: '2026-12-01T10:42:00.000Z' });
  const third = advance(of, second.state, woken('2026-12-01T10:43:00.000Z'));
  expect(third.park).toMatchObject({ step: 'last', until: '2026-12-02T10:43:00.000Z' });
  const done = advance(of, third.state, woken('2026-12-02T10:43:00.000Z'));
  expect(done.effect).toMatchObject({ kind: 'write', step: 'list' });
  expect(done.state.steps['wait']).toEqual({ kind: 'waited', until: '2026-11-27T10:42:00.000Z', by: 'time' });
});

test('a rehearsal skips it and says when it would end; what is counted from there is counted on from then', () => {
  const of = version([waitFor(days(1, 'step')), waitFor(days(1, 'step'), { id: 'then' }), list]);
  const { state } = takeOnPaper(of, priya, thursday, {});
  expect(state.steps['wait']).toEqual({ kind: 'waited', until: '2026-11-27T10:42:00.000Z', by: 'skipped' });
  expect(state.steps['then']).toEqual({ kind: 'waited', until: '2026-12-01T10:42:00.000Z', by: 'skipped' });
});

test('what has passed goes on at once, or stops where that was chosen', () => {
  const visit: WaitUntil = {
    kind: 'date',
    ref: { step: 'start', path: '/visit' },
    amount: 1,
    unit: 'days',
    side: 'before',
  };
  const record = { ...priya, visit: '2026-11-26T18:00:00Z' };
  const on = begin(version([waitFor(visit), list]), record);
  expect(on.state.steps['wait']).toMatchObject({ by: 'passed', until: '2026-11-25T18:00:00.000Z' });
  const stopped = begin(version([waitFor(visit, { late: 'stops' }), list]), record);
  expect(stopped.outcome).toEqual({ kind: 'left_out', step: 'wait', why: 'It was due on Wed 25 Nov 2026, 18:00.' });
});

test('a date that is empty or can’t be read asks a person; once it is set the wait begins', () => {
  const visit: WaitUntil = {
    kind: 'date',
    ref: { step: 'start', path: '/visit' },
    amount: 0,
    unit: 'days',
    side: 'after',
  };
  const of = version([waitFor(visit), list]);
  for (const [given, said] of [
    [null, 'the field is empty'],
    ['soon', '“soon” can’t be read as a date'],
  ]) {
    const asked = begin(of, { ...priya, visit: given as string });
    expect(asked.outcome).toMatchObject({
      kind: 'unsettled',
      cause: 'value',
      message: expect.stringContaining(said as string),
    });
    const set = { kind: 'set', step: 'wait', values: { '/visit': '2026-12-04' } } as const;
    const waits = advance(of, asked.state, { kind: 'decided', decision: set, at: thursday });
    expect(waits.park).toMatchObject({ until: '2026-12-04T09:00:00.000Z' });
  }
});

test('it isn’t begun while a step before it needs a person: nothing after it goes out', () => {
  const of = version([{ ...list, id: 'first' }, waitFor(days(1)), list]);
  const refused = advance(of, begin(of).state, { kind: 'refused', cause: 'refused', message: 'no', at: thursday });
  expect(refused.outcome).toMatchObject({ kind: 'unsettled', step: 'first' });
  expect(refused.state.steps['wait']).toEqual({ kind: 'blocked', by: 'first' });
  const again = advance(of, refused.state, { kind: 'decided', decision: { kind: 'retry' }, at: thursday });
  expect(again.effect).toMatchObject({ kind: 'write', step: 'first' });
  const written = advance(of, again.state, { kind: 'written', id: '7', record: {}, at: thursday });
  const read = written.effect ? advance(of, written.state, { kind: 'not_readable', at: thursday }) : written;
  expect(read.park).toMatchObject({ step: 'wait' });
});

describe('when it is woken', () => {
  const of = version([keepBritish, waitFor(days(1)), list]);
  const parked = begin(of);
  const then = '2026-11-27T10:42:00.000Z';

  test('the record counts as it is now', () => {
    const next = advance(of, parked.state, woken(then, { record: { ...priya, name: 'Priya Stone' } }));
    expect(next.effect).toMatchObject({ write: { values: { '/Name': 'Priya Stone' } } });
  });

  test('what is no longer so ends it, with the reason, and for good', () => {
    const moved = woken(then, { record: { ...priya, address: { country: 'SE' } } });
    const ended = advance(of, parked.state, moved);
    expect(ended.outcome).toMatchObject({
      kind: 'left_out',
      step: 'wait',
      why: expect.stringContaining('doesn’t fit any more'),
    });
    const retried = advance(of, ended.state, { kind: 'decided', decision: { kind: 'retry' }, at: then });
    expect(retried.outcome).toMatchObject({ kind: 'left_out', step: 'wait' });
    const gone = advance(of, parked.state, woken(then, { record: null }));
    expect(gone.outcome).toMatchObject({ kind: 'left_out', why: 'The record isn’t there any more.' });
  });

  test('a record that can’t be read now is a person’s, and is read again before anything goes out', () => {
    const asked = advance(of, parked.state, woken(then, { unread: { cause: 'connection', message: 'no key' } }));
    expect(asked.outcome).toMatchObject({ kind: 'unsettled', step: 'wait', cause: 'connection' });
    const again = advance(of, asked.state, {
      kind: 'decided',
      decision: { kind: 'retry' },
      at: '2026-12-09T08:00:00.000Z',
    });
    // Due long ago: woken at once, by which the record is read.
    expect(again.park).toMatchObject({ step: 'wait', until: then });
  });

  test('a day off that was set meanwhile makes it wait on', () => {
    const later = { ...of, calendars: [{ ...hours, off: { ...hours.off, '2026-11-27': 'Stocktaking' } }] };
    expect(advance(later, parked.state, woken(then)).park).toMatchObject({ until: '2026-12-01T10:42:00.000Z' });
  });

  test('a person sends it now, or stops it', () => {
    const now = advance(of, parked.state, woken(thursday, { by: { kind: 'person' } }));
    expect(now.state.steps['wait']).toMatchObject({ by: 'person' });
    const stopped = advance(
      of,
      parked.state,
      woken(thursday, { by: { kind: 'person', told: { stops: 'Stopped by hand.' } } }),
    );
    expect(stopped.outcome).toEqual({ kind: 'left_out', step: 'wait', why: 'Stopped by hand.' });
  });
});

test('a stop after something was written leaves that delivered', () => {
  const of = version([{ ...list, id: 'first' }, waitFor(days(1)), list]);
  let step = begin(of);
  while (step.effect)
    step = advance(
      of,
      step.state,
      step.effect.kind === 'write'
        ? { kind: 'written', id: '7', at: thursday }
        : { kind: 'not_readable', at: thursday },
    );
  const stopped = advance(
    of,
    step.state,
    woken(thursday, { by: { kind: 'event', event: 'e', told: { stops: 'A visit was booked.' } } }),
  );
  expect(stopped.outcome).toEqual({ kind: 'delivered' });
  expect(stopped.state.steps['wait']).toEqual({ kind: 'left_out', why: 'A visit was booked.' });
  expect(stopped.state.steps['list']).toBeUndefined();
});

test('its sentence, what isn’t ready in it, and what a version changes', () => {
  const said = (until: WaitUntil, more: Partial<WaitStep> = {}): string =>
    writeBrief(version([waitFor(until, more), list]).content, {}).map(sentenceText)[1] ?? '';
  expect(said(days(2))).toBe('Wait 2 working days, counted from the start.');
  expect(said({ kind: 'time', amount: 1, unit: 'hours', from: 'step' })).toBe(
    'Wait 1 hour, counted from the step before.',
  );
  expect(said({ kind: 'time_of_day', at: '09:00', onWorkingDays: true }, { late: 'stops' })).toBe(
    'Wait until 09:00 on a working day; once that has passed, it stops.',
  );
  const visit = { step: 'start', path: '/visit' };
  expect(said({ kind: 'date', ref: visit, amount: 1, unit: 'days', side: 'before', at: '08:00' })).toBe(
    'Wait until 1 day before visit, at 08:00.',
  );
  const told = (steps: Step[]): string =>
    checkReadiness(version(steps).content)
      .map(({ message }) => message)
      .join(' ');
  expect(told([waitFor({ kind: 'date', ref: null, amount: 0, unit: 'days', side: 'before' }), list])).toContain(
    'Choose the field with the date',
  );
  expect(told([waitFor({ kind: 'time', amount: 1.5, unit: 'days', from: 'start' }), list])).toContain('counted whole');
  expect(told([list, waitFor(days(1))])).toContain('Nothing comes after it');
  const [before, after] = [version([waitFor(days(1)), list]), version([waitFor(days(1), { calendar: 'other' }), list])];
  expect(JSON.stringify(describeChanges(before.content, after.content, {}, before.locale))).toContain(
    'another working calendar',
  );
});

test('law: whatever it waits for, it waits until an instant that is due, or says why not; stored in between it is the same', () => {
  const unit = fc.constantFrom(
    'minutes',
    'hours',
    'days',
    'weeks',
    'working_hours',
    'working_days',
  ) as fc.Arbitrary<'hours'>;
  const amount = fc.integer({ min: 0, max: 40 });
  const at = fc.constantFrom('00:00', '08:15', '23:59');
  const until = fc.oneof(
    fc.record({
      kind: fc.constant('time' as const),
      amount,
      unit,
      from: fc.constantFrom('start' as const, 'step' as const),
    }),
    fc.record({ kind: fc.constant('time_of_day' as const), at, onWorkingDays: fc.boolean() }),
    fc.record({
      kind: fc.constant('date' as const),
      ref: fc.constant({ step: 'start', path: '/visit' as const }),
      amount,
      unit,
      side: fc.constantFrom('before' as const, 'after' as const),
    }),
  );
  const visit = fc.constantFrom('2026-11-26', '2027-02-01T12:00:00Z', '', 'soon', '31.12.2026', '2026-13-45');
  fc.assert(
    fc.property(until, visit, fc.boolean(), (given, day, isWhole) => {
      const of = {
        ...version([waitFor(given), list]),
        calendars: [isWhole ? { ...hours, week: wholeWeekdays() } : hours],
      };
      const first = begin(of, { ...priya, visit: day });
      if (!first.park) {
        expect(first.outcome?.kind ?? first.effect?.kind).toMatch(/unsettled|write/);
        return;
      }
      expect((first.park.until ?? '') > thursday).toBe(true);
      const early = advance(of, JSON.parse(JSON.stringify(first.state)), woken(thursday));
      expect(early.park?.until).toBe(first.park.until);
      expect(advance(of, early.state, woken(first.park.until ?? '')).effect?.kind).toBe('write');
      expect(advance(of, first.state, skipped).effect?.kind).toBe('write');
    }),
    { numRuns: 300, seed: 20 },
  );
});

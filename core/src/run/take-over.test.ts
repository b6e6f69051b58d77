import fc from 'fast-check';
import { type OpenHours, officeWeek } from '../calendar/calendar.ts';
import type { Step } from '../steps/schemas.ts';
import type { WaitStep } from '../steps/wait/schema.ts';
import { contentWith, fromField, keepBritish, priya, shop, versionWith, writeToList } from '../testing/workflows.ts';
import type { WorkflowContent } from '../workflow/schema.ts';
import { advance, beginItem } from './advance.ts';
import type { Advance, Answer, Effect, ItemState } from './state.ts';
import { takenOver } from './take-over.ts';

const thursday = '2026-11-26T10:42:00.000Z';
const friday = '2026-11-27T10:42:00.000Z';
const calendars: OpenHours[] = [{ id: 'shop', name: 'Shop hours', week: officeWeek(), off: {} }];

const wait = (id: string, amount: number, more: Partial<WaitStep> = {}): WaitStep => ({
  id,
  kind: 'wait',
  until: { kind: 'time', amount, unit: 'working_days', from: 'start' },
  ...more,
});
const row = (id: string, ...tidies: ('upper' | 'trim')[]): Step =>
  writeToList({
    id,
    mode: 'append',
    key: undefined,
    mapping: { '/Name': fromField('/name', ...tidies.map((kind) => ({ kind }))), '/Number': fromField('/id') },
  });
const versionOf = (content: WorkflowContent) => ({ ...versionWith([]), content, calendars });
const versionFor = (steps: Step[]) => versionOf(contentWith(steps));

/** The app writes what it is asked to, and can't be asked for it. */
const written = (effect: Effect, number: number): Answer =>
  effect.kind === 'write' ? { kind: 'written', id: String(number) } : { kind: 'not_readable' };

/** Takes a record on until it parks `parks` times, time passing as it waits; what it wrote on the way. */
function goOn(version: ReturnType<typeof versionFor>, from: Advance, parks: number) {
  const writes: unknown[] = [];
  const waits: (string | undefined)[] = [];
  let step = from;
  let left = parks;
  for (;;) {
    if (step.effect) {
      if (step.effect.kind === 'write') writes.push(step.effect.write);
      const at = step.state.now ?? thursday;
      step = advance(version, step.state, { ...written(step.effect, writes.length), at });
    } else if (step.park) {
      waits.push(step.park.until);
      if (left === 0) break;
      left -= 1;
      step = advance(version, step.state, { kind: 'woken', by: { kind: 'time' }, at: step.park.until });
    } else break;
  }
  return { step, writes, waits };
}

const begun = (version: ReturnType<typeof versionFor>) =>
  advance(version, beginItem(priya, thursday), { kind: 'begin', at: thursday });

const three = [keepBritish, row('first'), wait('wait-1', 1), row('second'), wait('wait-2', 3), row('third')];
const parked = (times: number): ItemState => goOn(versionFor(three), begun(versionFor(three)), times).step.state;
const become = (to: Step[], state = parked(0), now = thursday) =>
  takenOver(contentWith(three), versionFor(to), state, now);

test('what comes after the wait may be anything; the record goes on with it as long as it would have waited', () => {
  expect(become([keepBritish, row('first'), wait('wait-1', 1), row('other')])).toEqual({ kind: 'goes_on' });
  expect(become(three.map((step) => (step.id === 'second' ? row('second', 'upper') : step)))).toEqual({
    kind: 'goes_on',
  });
});

test('a name, a note or what a place says of itself changes nothing that a record rests on', () => {
  const described = { ...shop.described, plural: 'people' };
  const to = three.map((step): Step => ({ ...step, name: 'called so', note: 'because' }));
  const content = contentWith(to, { source: { ...shop, described }, trigger: { kind: 'every', minutes: 60 } });
  expect(takenOver(contentWith(three), versionOf(content), parked(0), thursday)).toEqual({ kind: 'goes_on' });
});

test('another wait where it stands is waited anew, counted from where it was counted; what has passed goes on at once', () => {
  const with3 = three.map((step) => (step.id === 'wait-1' ? wait('wait-1', 3) : step));
  expect(become(with3)).toEqual({ kind: 'waits_anew', until: '2026-12-01T10:42:00.000Z' });
  const at3 = three.map((step) => (step.id === 'wait-2' ? wait('wait-2', 1) : step));
  expect(become(at3, parked(1), friday)).toEqual({ kind: 'waits_anew' });
  // A wait that is over may be another: it is over.
  expect(become(with3, parked(1), friday)).toEqual({ kind: 'goes_on' });
});

test('what ends a wait early is part of it, also where it is said at an earlier one', () => {
  const here = { step: 'start', path: '/email' };
  const endings = [{ id: 'ending', place: shop, there: '/email', here, does: 'stops' as const }];
  const to = three.map((step): Step => (step.id === 'wait-1' ? { ...wait('wait-1', 1), endings } : step));
  expect(become(to, parked(1), friday)).toMatchObject({ kind: 'waits_anew' });
});

test.each<[string, Step[], number, string]>([
  ['a step before changed', three.map((step) => (step.id === 'first' ? row('first', 'trim') : step)), 0, 'has changed'],
  ['a step before removed', three.filter(({ id }) => id !== 'first'), 0, 'was removed'],
  [
    'the condition switched off',
    three.map((s): Step => (s.id === 'keep' ? { ...s, isOff: true } : s)),
    0,
    'has changed',
  ],
  ['another step before', [row('new'), ...three], 0, 'The order'],
  ['its own wait removed', three.filter(({ id }) => id !== 'wait-2'), 1, 'The wait that it is at was removed.'],
  ['the wait behind another step', [...three.slice(0, 2), row('second'), wait('wait-1', 1)], 0, 'The order'],
])('it stays on its version: %s', (_case, to, parks, why) => {
  const told = become(to, parked(parks), friday);
  expect(told).toMatchObject({ kind: 'stays' });
  expect('why' in told && told.why).toContain(why);
});

test('where it comes from, its zone and a table that is looked up in are rested on too', () => {
  const from = { ...contentWith(three), tables: [{ name: 'Countries', rows: [{ from: 'UK', to: 'GB' }] }] };
  const to = (more: Partial<WorkflowContent>) => takenOver(from, versionOf({ ...from, ...more }), parked(0), thursday);
  expect(to({ tables: [...from.tables, { name: 'New', rows: [] }] })).toEqual({ kind: 'goes_on' });
  expect(to({ tables: [] })).toMatchObject({ kind: 'stays' });
  expect(to({ zone: 'Pacific/Auckland' })).toMatchObject({ kind: 'stays' });
  expect(to({ start: { ...from.start, on: 'added_or_changed' } })).toMatchObject({ kind: 'stays' });
  expect(to({ start: { ...from.start, source: { ...shop, path: ['people'] } } })).toMatchObject({ kind: 'stays' });
});

test('law: who is taken over comes to what the other version would have brought from the beginning', () => {
  const aStep = fc.oneof(
    fc.record({ kind: fc.constant('row' as const), upper: fc.boolean() }),
    fc.record({ kind: fc.constant('wait' as const), days: fc.integer({ min: 1, max: 9 }) }),
  );
  const aList = fc.array(aStep, { minLength: 1, maxLength: 6 });
  const build = (from: readonly ({ kind: 'row'; upper: boolean } | { kind: 'wait'; days: number })[], at = 0): Step[] =>
    from.map((one, index) => {
      const id = `s${at + index}`;
      return one.kind === 'wait' ? wait(id, one.days) : one.upper ? row(id, 'upper') : row(id);
    });
  let taken = 0;
  fc.assert(
    fc.property(aList, aList, aList, fc.integer({ min: 0, max: 2 }), (common, mine, theirs, parks) => {
      const [from, to] = [mine, theirs].map((rest) =>
        versionFor([...build(common), ...build(rest, common.length)]),
      ) as [ReturnType<typeof versionFor>, ReturnType<typeof versionFor>];
      const before = goOn(from, begun(from), parks);
      if (!before.step.park) return;
      const now = before.step.state.now ?? thursday;
      const told = takenOver(from.content, to, before.step.state, now);
      // What is common is never a reason to stay; a wait within it is the same wait.
      if (before.step.state.at < common.length) expect(told).toEqual({ kind: 'goes_on' });
      if (told.kind === 'stays') return;
      taken += 1;
      const anew: Advance =
        told.kind === 'goes_on'
          ? before.step
          : advance(to, before.step.state, { kind: 'woken', by: { kind: 'time' }, at: now });
      const after = goOn(to, anew, Number.POSITIVE_INFINITY);
      const whole = goOn(to, begun(to), Number.POSITIVE_INFINITY);
      expect(after.step.outcome).toEqual(whole.step.outcome);
      expect([...before.writes, ...after.writes]).toEqual(whole.writes);
    }),
    { numRuns: 150 },
  );
  expect(taken).toBeGreaterThan(20);
});

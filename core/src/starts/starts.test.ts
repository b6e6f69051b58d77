import { Cron } from 'croner';
import fc from 'fast-check';
import { contentWith, shop, writeToList } from '../testing/workflows.ts';
import { sentenceText, writeBrief } from '../workflow/brief.ts';
import { describeChanges } from '../workflow/changes.ts';
import { ofToday } from '../workflow/earlier.ts';
import { checkReadiness } from '../workflow/readiness.ts';
import { WorkflowContentSchema } from '../workflow/schema.ts';
import { firstAt, nextAfter, triggerKinds, whenText } from './registry.ts';
import type { Trigger } from './schemas.ts';
import type { MonthDay, TimesTrigger } from './times/schema.ts';

const now = '2026-11-27T10:00:00.000Z';
const daily = (...at: string[]): TimesTrigger => ({ kind: 'times', at, days: [1, 2, 3, 4, 5, 6, 7] });

describe('the next time', () => {
  test.each<[string, Trigger, string, string, string | null]>([
    ['so many minutes later', { kind: 'every', minutes: 15 }, now, 'Europe/London', '2026-11-27T10:15:00.000Z'],
    ['later today', daily('09:00', '13:30'), now, 'Europe/London', '2026-11-27T13:30:00.000Z'],
    ['by the clock of another zone', daily('09:00'), now, 'America/New_York', '2026-11-27T14:00:00.000Z'],
    ['never twice the same', daily('10:00'), now, 'Europe/London', '2026-11-28T10:00:00.000Z'],
    ['on Monday', { kind: 'times', at: ['06:00'], days: [1] }, now, 'Europe/London', '2026-11-30T06:00:00.000Z'],
    // 2026-11-27 is a Friday: the next one of the same day is a week on.
    ['a week on', { kind: 'times', at: ['06:00'], days: [5] }, now, 'Europe/London', '2026-12-04T06:00:00.000Z'],
    ['never by itself', { kind: 'hand' }, now, 'Europe/London', null],
    ['never by itself, but when told', { kind: 'event' }, now, 'Europe/London', null],
    ['also now and then', { kind: 'event', alsoEvery: 60 }, now, 'Europe/London', '2026-11-27T11:00:00.000Z'],
    ['never, without a day', { kind: 'times', at: ['06:00'], days: [] }, now, 'Europe/London', null],
  ])('%s', (_name, trigger, instant, zone, next) => {
    expect(nextAfter(trigger, instant, zone)).toBe(next);
  });

  // Clock changes as they were published: the EU's of 29 March and 25 October 2026 (2000/84/EC), and the
  // United States' of 8 March and 1 November 2026 (Energy Policy Act of 2005, section 110).
  test.each([
    [
      'a time that is left out comes as much later',
      '02:30',
      '2026-03-28T12:00:00Z',
      'Europe/Berlin',
      '2026-03-29T01:30:00.000Z',
    ],
    [
      'a time that comes twice counts once',
      '02:30',
      '2026-10-24T12:00:00Z',
      'Europe/Berlin',
      '2026-10-25T00:30:00.000Z',
    ],
    ['and not again an hour later', '02:30', '2026-10-25T00:30:00Z', 'Europe/Berlin', '2026-10-26T01:30:00.000Z'],
    ['left out there', '02:30', '2026-03-07T12:00:00Z', 'America/New_York', '2026-03-08T07:30:00.000Z'],
    ['twice there', '01:30', '2026-10-31T12:00:00Z', 'America/New_York', '2026-11-01T05:30:00.000Z'],
  ])('when the clock changes, %s', (_name, time, instant, zone, next) => {
    expect(nextAfter(daily(time), instant, zone)).toBe(next);
  });
});

describe('on a day of the month', () => {
  const monthly = (on: MonthDay, months?: number[], at = ['06:00']): TimesTrigger => ({
    kind: 'times',
    at,
    days: [],
    month: { on, ...(months && { months: months as 1[] }) },
  });
  test.each<[string, TimesTrigger, string, string, string | null]>([
    ['by its number', monthly({ kind: 'day', day: 1 }), now, 'UTC', '2026-12-01T06:00:00.000Z'],
    ['a month without it is passed over', monthly({ kind: 'day', day: 31 }), now, 'UTC', '2026-12-31T06:00:00.000Z'],
    ['the last', monthly({ kind: 'last' }), now, 'UTC', '2026-11-30T06:00:00.000Z'],
    [
      'the last working day',
      monthly({ kind: 'last_working' }),
      '2027-01-05T00:00:00Z',
      'UTC',
      '2027-01-29T06:00:00.000Z',
    ],
    ['the first Monday', monthly({ kind: 'weekday', weekday: 1, which: 1 }), now, 'UTC', '2026-12-07T06:00:00.000Z'],
    ['the last Friday', monthly({ kind: 'weekday', weekday: 5, which: -1 }), now, 'UTC', '2026-12-25T06:00:00.000Z'],
    [
      'later the same day',
      monthly({ kind: 'day', day: 27 }, undefined, ['09:00', '13:30']),
      now,
      'UTC',
      '2026-11-27T13:30:00.000Z',
    ],
    ['in some months', monthly({ kind: 'last' }, [3, 9]), now, 'UTC', '2027-03-31T06:00:00.000Z'],
    [
      '29 February, six years on',
      monthly({ kind: 'day', day: 29 }, [2]),
      '2026-11-27T10:00:00Z',
      'UTC',
      '2028-02-29T06:00:00.000Z',
    ],
    ['30 February, never', monthly({ kind: 'day', day: 30 }, [2]), now, 'UTC', null],
    // Common practice: Monday 06:00 by the Pacific clock is 14:00 UTC in winter and 13:00 in summer.
    [
      'in winter',
      { kind: 'times', at: ['06:00'], days: [1] },
      '2026-12-01T00:00:00Z',
      'America/Los_Angeles',
      '2026-12-07T14:00:00.000Z',
    ],
    [
      'in summer',
      { kind: 'times', at: ['06:00'], days: [1] },
      '2026-07-01T00:00:00Z',
      'America/Los_Angeles',
      '2026-07-06T13:00:00.000Z',
    ],
  ])('%s', (_name, trigger, instant, zone, next) => {
    expect(nextAfter(trigger, instant, zone)).toBe(next);
  });

  test('one that never comes keeps a draft from running, in a sentence', () => {
    const [said] = checkReadiness(contentWith([writeToList()], { trigger: monthly({ kind: 'day', day: 30 }, [2]) }));
    expect(said?.message).toBe('30 February never comes. Choose another day, or the last of the month.');
    expect(triggerKinds.times.problems(monthly({ kind: 'day', day: 31 }, [4, 12]))).toEqual([]);
  });

  test('how it reads', () => {
    expect(whenText(monthly({ kind: 'day', day: 22 }))).toBe('at 06:00 on the 22nd of each month');
    expect(whenText(monthly({ kind: 'last_working' }, [3, 9]))).toBe(
      'at 06:00 on the last working day of March and September',
    );
    expect(whenText({ ...monthly({ kind: 'weekday', weekday: 1, which: 1 }), missed: 'skip' })).toBe(
      'at 06:00 on the first Monday of each month, what was missed left out',
    );
  });

  // An independent library: croner, over a year with both changes of the clocks in two zones, and over two where it comes
  // once a month. Times that the clocks
  // leave out or show twice, where libraries differ by design, are held by the published changes above.
  test.each<[string, string, TimesTrigger]>([
    ['Monday 06:00', '0 6 * * 1', { kind: 'times', at: ['06:00'], days: [1] }],
    ['every day 23:45', '45 23 * * *', daily('23:45')],
    [
      'three times on working days',
      '15 0,8,18 * * 1-5',
      { kind: 'times', at: ['00:15', '08:15', '18:15'], days: [1, 2, 3, 4, 5] },
    ],
    ['the 31st', '30 9 31 * *', monthly({ kind: 'day', day: 31 }, undefined, ['09:30'])],
    ['the last day', '0 6 L * *', monthly({ kind: 'last' })],
    ['the last day of some months', '0 6 L 2,6 *', monthly({ kind: 'last' }, [2, 6])],
    ['the first Monday', '0 6 * * 1#1', monthly({ kind: 'weekday', weekday: 1, which: 1 })],
    ['the last Friday', '0 6 * * 5#L', monthly({ kind: 'weekday', weekday: 5, which: -1 })],
  ])('as croner has it: %s', (_name, pattern, trigger) => {
    for (const timezone of ['Europe/Berlin', 'America/New_York']) {
      const cron = new Cron(pattern, { timezone });
      let ours: string | null = '2026-01-01T00:00:00.000Z';
      let theirs: Date | null = new Date(ours);
      const end = 'month' in trigger && trigger.month ? '2028-01-01' : '2027-01-01';
      while (ours !== null && ours < end) {
        ours = nextAfter(trigger, ours, timezone);
        theirs = cron.nextRun(theirs);
        expect(ours).toBe(theirs?.toISOString() ?? null);
      }
    }
  });
});

/** One for each zone: making one takes longer than what it is asked. */
const clocks = new Map<string, Intl.DateTimeFormat>();

/** What the clock shows in a zone, by the time-zone data of the JavaScript engine. */
function shown(instant: number, zone: string): { day: string; time: string } {
  const clock =
    clocks.get(zone) ?? new Intl.DateTimeFormat('sv-SE', { timeZone: zone, dateStyle: 'short', timeStyle: 'short' });
  clocks.set(zone, clock);
  const text = clock.format(instant);
  const [day = '', time = ''] = text.split(' ');
  return { day, time };
}

const quarter = 15 * 60_000;
const zones = ['Europe/London', 'America/New_York', 'Australia/Lord_Howe', 'Asia/Kathmandu', 'Pacific/Apia', 'UTC'];
const time = fc
  .tuple(fc.integer({ min: 0, max: 23 }), fc.constantFrom('00', '15', '30', '45'))
  .map(([hour, minute]) => `${String(hour).padStart(2, '0')}:${minute}`);
const isoWeekday = (day: string): number => new Date(`${day}T12:00:00Z`).getUTCDay() || 7;

test('property: by the clock as the engine shows it, no time of a day is passed over and none comes twice', () => {
  fc.assert(
    fc.property(
      fc.constantFrom(...zones),
      fc.array(time, { minLength: 1, maxLength: 3 }),
      fc.subarray([1, 2, 3, 4, 5, 6, 7] as const, { minLength: 1 }),
      fc.date({ min: new Date('2025-01-01'), max: new Date('2027-12-01'), noInvalidDate: true }),
      (zone, at, days, start) => {
        const trigger: TimesTrigger = { kind: 'times', at, days: [...days] };
        const from = Math.floor(start.getTime() / quarter) * quarter;
        const until = from + 9 * 24 * 60 * 60_000;
        const fired: number[] = [];
        for (let next = nextAfter(trigger, new Date(from).toISOString(), zone); next !== null; ) {
          const moment = Date.parse(next);
          if (moment > until) break;
          expect(moment).toBeGreaterThan(fired.at(-1) ?? from);
          fired.push(moment);
          next = nextAfter(trigger, next, zone);
        }
        // Every quarter of an hour at which the clock shows one of the times, the first time it does on that day.
        const seen = new Set<string>();
        for (let moment = from - 2 * 60 * 60_000; moment <= until; moment += quarter) {
          const { day, time: clock } = shown(moment, zone);
          if (!at.includes(clock) || !days.some((one) => one === isoWeekday(day))) continue;
          const isFirst = !seen.has(`${day} ${clock}`);
          seen.add(`${day} ${clock}`);
          if (isFirst && moment > from) expect(fired).toContain(moment);
          if (!isFirst) expect(fired).not.toContain(moment);
        }
        // Whatever fires shows one of the times, but on the day on which that is left out.
        for (const moment of fired) {
          const { day, time: clock } = shown(moment, zone);
          const isLeftOut = !seen.has(`${day} ${clock}`);
          if (isLeftOut) expect(offset(moment, zone)).not.toBe(offset(moment - 3 * 60 * 60_000, zone));
        }
      },
    ),
    { numRuns: 60 },
  );
});

const offset = (instant: number, zone: string): number => {
  const { day, time: clock } = shown(instant, zone);
  return Date.parse(`${day}T${clock}:00Z`) - instant;
};

test('what is switched on is looked at by its kind: now, at its next time, or not by itself', () => {
  const first = Object.values(triggerKinds).map((one) => [one.kind, firstAt(one.make(), now, 'Europe/London')]);
  expect(Object.fromEntries(first)).toEqual({
    every: now,
    times: '2026-11-30T06:00:00.000Z',
    event: now,
    hand: null,
    handed: now,
  });
});

test('each kind reads well in the start’s sentence, and a version tells what changed', () => {
  const brief = (trigger: Trigger) =>
    sentenceText(writeBrief(contentWith([writeToList()], { trigger }), { shop: 'Shop counter' })[0] as never);
  expect(brief({ kind: 'every', minutes: 60 })).toBe(
    'When a customer is added in the Shop counter, which is checked every hour, as soon as it meets the conditions, from now on.',
  );
  expect(brief({ kind: 'times', at: ['13:00', '06:00'], days: [5, 1, 3, 2, 4] })).toBe(
    'When a customer is added in the Shop counter, which is checked at 06:00 and 13:00 on Monday to Friday, as soon as it meets the conditions, from now on.',
  );
  expect(brief({ kind: 'hand' })).toContain('which is checked by hand');
  expect(brief({ kind: 'event', alsoEvery: 1440 })).toMatch(
    /^When a customer comes in at .*, looked at as soon as it comes and once a day,/,
  );
  expect(brief({ kind: 'event' })).toMatch(/^When a customer comes in at [^,]*, as soon as/);
  expect(whenText({ kind: 'times', at: ['06:00'], days: [1, 7] })).toBe('at 06:00 on Monday and Sunday');
  const [before, after] = [
    contentWith([writeToList()]),
    contentWith([writeToList()], { trigger: { kind: 'times', at: ['06:00'], days: [1, 2, 3, 4, 5, 6, 7] } }),
  ];
  expect(describeChanges(before, after, {}, { zone: 'UTC', country: 'GB' }).map(({ text }) => text)).toEqual([
    'The start: “checked every 5 minutes” is now “checked at 06:00 every day”.',
  ]);
});

test('set times without a time or a day keep a draft from running', () => {
  const said = checkReadiness(contentWith([writeToList()], { trigger: { kind: 'times', at: [], days: [] } }));
  expect(said.filter((one) => one.sentence === 'start').map((one) => one.message)).toEqual([
    'Choose the times.',
    'Choose the days.',
  ]);
});

test('a content from before there were triggers is read as it was meant; one of today stays as it is', () => {
  const today = contentWith([writeToList()], { trigger: { kind: 'every', minutes: 15 }, source: shop });
  const { trigger: _trigger, ...start } = today.start;
  const earlier = { ...today, start: { ...start, everyMinutes: 15 } };
  expect(WorkflowContentSchema.parse(ofToday(earlier))).toEqual(today);
  expect(ofToday(today)).toBe(today);
  for (const strange of [null, 7, 'x', [], { start: null }, { start: [] }]) expect(ofToday(strange)).toBe(strange);
});

import fc from 'fast-check';
import { DateTime } from 'luxon';
import { officeWeek, openHours, type WorkingCalendar, WorkingCalendarSchema, wholeWeekdays } from './calendar.ts';
import { type Duration, durationText, earlierBy, laterBy, readDuration, waitUnits } from './duration.ts';
import { holidayRegions, holidaysIn } from './holidays.ts';
import { addOpenTime, addWorkingDays, lastOpen, NeverOpen, nextOpen, openOn, takeOpenTime } from './working-time.ts';

const calendar = (more: Partial<WorkingCalendar> = {}): WorkingCalendar => ({
  id: 'c',
  name: 'Shop hours',
  week: officeWeek(),
  country: 'GB',
  region: 'ENG',
  daysOff: [],
  ...more,
});
const inLondon = 'Europe/London';
const hoursOf = (given: WorkingCalendar) => openHours(given, holidaysIn(given.country, given.region, [2025, 2029]));
const english = hoursOf(calendar());
const at = (local: string, zone = inLondon): number => DateTime.fromISO(local, { zone }).toMillis();
const local = (instant: number, zone = inLondon): string =>
  DateTime.fromMillis(instant, { zone }).toFormat("ccc yyyy-MM-dd'T'HH:mm");
const waits = (from: string, text: string, hours = english, zone = inLondon): string =>
  local(laterBy(at(from, zone), readDuration(text) as Duration, hours, zone), zone);

// GOV.UK, UK bank holidays, as published for 2026 (from memory).
test('bank holidays of England and Scotland as they are published', () => {
  expect(Object.keys(holidaysIn('GB', 'ENG', [2026, 2026])).sort()).toEqual([
    '2026-01-01',
    '2026-04-03',
    '2026-04-06',
    '2026-05-04',
    '2026-05-25',
    '2026-08-31',
    '2026-12-25',
    '2026-12-26',
    '2026-12-28',
  ]);
  const scottish = holidaysIn('GB', 'SCT', [2026, 2026]);
  expect([scottish['2026-11-30'], scottish['2026-04-06'], scottish['2026-01-02']]).toEqual([
    'St Andrew’s Day',
    undefined,
    'January 2nd',
  ]);
  expect(Object.keys(holidayRegions('DE'))).toHaveLength(16);
  expect([holidaysIn('', '', [2026, 2027]), holidaysIn('XX', '', [2026, 2027])]).toEqual([{}, {}]);
});

// Common practice, no source: how working days are counted.
test.each([
  ['steps at 1, 2 and 4 working days from a Thursday', '2026-11-26T10:42', '1 working day', 'Fri 2026-11-27T10:42'],
  ['', '2026-11-26T10:42', '2 working days', 'Mon 2026-11-30T10:42'],
  ['', '2026-11-26T10:42', '4 working days', 'Wed 2026-12-02T10:42'],
  ['Christmas, Boxing Day and its substitute', '2026-12-24T16:30', '2 working days', 'Wed 2026-12-30T16:30'],
  ['after hours is the next morning', '2026-11-25T18:20', '1 working day', 'Fri 2026-11-27T09:00'],
  ['a weekend is Monday morning', '2026-11-28T10:00', '1 working day', 'Tue 2026-12-01T09:00'],
  ['half an hour of Friday, half of Monday', '2026-11-27T16:30', '1 working hour', 'Mon 2026-11-30T09:30'],
  ['what ends as it closes ends then', '2026-11-27T09:00', '8 working hours', 'Fri 2026-11-27T17:00'],
  ['a night in which the clock goes back has an hour more', '2026-10-24T12:00', '24 hours', 'Sun 2026-10-25T11:00'],
  ['but a day is a day', '2026-10-24T12:00', '1 day', 'Sun 2026-10-25T12:00'],
  ['in spring likewise', '2026-03-28T12:00', '24 hours', 'Sun 2026-03-29T13:00'],
  ['a time of day that the clock skips', '2026-03-28T01:30', '1 day', 'Sun 2026-03-29T02:30'],
  ['weeks', '2026-03-25T12:00', '1 week', 'Wed 2026-04-01T12:00'],
])('%s: from %s, %s', (_what, from, wait, to) => {
  expect(waits(from, wait)).toBe(to);
});

test('twenty-four hours on five days: Friday and one is Monday', () => {
  const whole = hoursOf(calendar({ week: wholeWeekdays(), country: '' }));
  expect(waits('2026-11-27T23:15', '1 working day', whole)).toBe('Mon 2026-11-30T23:15');
  expect(waits('2026-11-27T23:15', '1 working hour', whole)).toBe('Mon 2026-11-30T00:15');
  expect(waits('2026-10-23T12:00', '24 working hours', whole)).toBe('Mon 2026-10-26T12:00');
  // In zones of a half and a quarter of an hour too.
  for (const zone of ['Asia/Kolkata', 'Asia/Kathmandu', 'Australia/Lord_Howe'])
    expect(waits('2026-11-27T23:15', '1 working day', whole, zone)).toBe('Mon 2026-11-30T23:15');
});

test('own days off, a shorter day and a break at noon', () => {
  const week = officeWeek().map((day, weekday) => {
    if (weekday === 4) return [{ from: '09:00', to: '13:00' }];
    return day.length > 0
      ? [
          { from: '09:00', to: '12:00' },
          { from: '13:00', to: '17:00' },
        ]
      : [];
  });
  const own = hoursOf(calendar({ week, daysOff: [{ from: '2026-11-30', to: '2026-12-01', name: 'Stocktaking' }] }));
  expect(own.off['2026-12-01']).toBe('Stocktaking');
  expect(waits('2026-11-26T15:00', '1 working day', own)).toBe('Fri 2026-11-27T13:00');
  expect(waits('2026-11-27T10:00', '1 working day', own)).toBe('Wed 2026-12-02T10:00');
  expect(waits('2026-11-26T11:30', '1 working hour', own)).toBe('Thu 2026-11-26T13:30');
});

test('before a date: the working day before Tuesday, the day before that a holiday', () => {
  const before = (text: string, to: string): string =>
    local(earlierBy(at(to), readDuration(text) as Duration, english, inLondon));
  expect(before('1 working day', '2026-12-29T14:00')).toBe('Thu 2026-12-24T14:00');
  expect(before('2 working hours', '2026-12-29T10:00')).toBe('Thu 2026-12-24T16:00');
  expect(before('1 day', '2026-03-30T01:30')).toBe('Sun 2026-03-29T02:30');
  expect(before('90 minutes', '2026-12-29T10:00')).toBe('Tue 2026-12-29T08:30');
});

test('where it is never open nothing can be counted, and that is said', () => {
  const never = hoursOf(calendar({ week: officeWeek().map(() => []) }));
  for (const count of [addOpenTime, addWorkingDays, takeOpenTime])
    expect(() => count(at('2026-11-26T10:42'), 2, never, inLondon)).toThrow(NeverOpen);
  expect(() => nextOpen(0, never, inLondon)).toThrow('By “Shop hours” it is never open.');
});

test('durations are read as they are written, and nothing else is', () => {
  for (const unit of waitUnits)
    for (const amount of [1, 2, 30])
      expect(readDuration(` ${durationText({ amount, unit }).toUpperCase()} `)).toEqual({ amount, unit });
  for (const text of ['', 'days', '2', '-1 day', '2 fortnights', '0.5 working days', '1.5 weeks', '2 working'])
    expect(readDuration(text)).toBeUndefined();
});

test.each([
  [{ name: '' }, 'Give the calendar a name.'],
  [{ week: [[{ from: '17:00', to: '09:00' }], [], [], [], [], [], []] }, 'close later than it opens'],
  [{ week: [[{ from: '9', to: '17:00' }], [], [], [], [], [], []] }, 'like 09:00'],
  [{ daysOff: [{ from: '2026-12-24', to: '2026-12-20', name: '' }] }, 'can’t be before the first'],
  [{ daysOff: [{ from: '2026-13-24', to: '2026-13-24', name: '' }] }, 'like 2026-12-24'],
])('a calendar of %j is told what is wrong', (more, said) => {
  const read = WorkingCalendarSchema.safeParse(calendar(more));
  expect(read.error?.issues.map(({ message }) => message).join()).toContain(said);
});

// Laws over any calendar, any zone and any moment of four years.

const someTime = fc.tuple(fc.integer({ min: 0, max: 23 }), fc.constantFrom(0, 15, 30, 45));
const clock = ([hour, minute]: [number, number]): string =>
  `${String(hour).padStart(2, '0')}:${String(minute).padStart(2, '0')}`;
const someDay = fc
  .array(someTime, { maxLength: 4 })
  .map((times) => [...new Set(times.map(clock))].sort())
  .map((times) =>
    times.flatMap((from, nth) => (nth % 2 === 0 && times[nth + 1] ? [{ from, to: times[nth + 1] as string }] : [])),
  );
const someWeek = fc.array(someDay, { minLength: 7, maxLength: 7 }).filter((week) => week.some((day) => day.length > 0));
const someHours = fc
  .oneof(fc.constant(officeWeek()), fc.constant(wholeWeekdays()), someWeek)
  .map((week) => hoursOf(calendar({ week })));
const someZone = fc.constantFrom(inLondon, 'America/Los_Angeles', 'Australia/Lord_Howe', 'Asia/Kathmandu', 'UTC');
const instant = fc.integer({ min: at('2026-01-01T00:00') / 60_000, max: at('2029-06-01T00:00') / 60_000 });
const inMs = (minutes: number): number => minutes * 60_000;
const someWait = fc.record({ amount: fc.integer({ min: 0, max: 60 }), unit: fc.constantFrom(...waitUnits) });

test('adding time is monotone: who begins later is never earlier, and a longer wait never ends earlier', () => {
  fc.assert(
    fc.property(
      instant,
      fc.nat(20_000),
      someWait,
      fc.nat(30),
      someHours,
      someZone,
      (from, on, wait, more, hours, zone) => {
        const end = laterBy(inMs(from), wait, hours, zone);
        expect(end).toBeGreaterThanOrEqual(inMs(from));
        expect(laterBy(inMs(from + on), wait, hours, zone)).toBeGreaterThanOrEqual(end);
        expect(laterBy(inMs(from), { ...wait, amount: wait.amount + more }, hours, zone)).toBeGreaterThanOrEqual(end);
      },
    ),
    { numRuns: 60, seed: 2026 },
  );
});

test('open time is additive, ends while it is open, and the way back leads to where it began', () => {
  fc.assert(
    fc.property(instant, fc.nat(3000), fc.nat(3000), someHours, someZone, (from, one, other, hours, zone) => {
      const first = addOpenTime(inMs(from), inMs(one), hours, zone);
      expect(addOpenTime(first, inMs(other), hours, zone)).toBe(
        addOpenTime(inMs(from), inMs(one + other), hours, zone),
      );
      if (one === 0) return;
      expect(lastOpen(first, hours, zone)).toBe(first);
      const back = takeOpenTime(first, inMs(one), hours, zone);
      expect(addOpenTime(back, inMs(one), hours, zone)).toBe(first);
      // Measured another way: what is open between the two is as long as what was added.
      let open = 0;
      for (
        let day = DateTime.fromMillis(inMs(from), { zone }).startOf('day');
        day.toMillis() <= first;
        day = day.plus({ days: 1 })
      )
        for (const span of openOn(day.toFormat('yyyy-MM-dd'), hours, zone))
          open += Math.max(0, Math.min(span.to, first) - Math.max(span.from, inMs(from)));
      expect(open).toBe(inMs(one));
    }),
    { numRuns: 40, seed: 2027 },
  );
});

test('working days are additive where all days have the same hours, and end on a day that is open', () => {
  const alike = fc.constantFrom(english, hoursOf(calendar({ week: wholeWeekdays(), region: 'SCT' })));
  // A zone without clock changes: in the hour that is skipped no day has the same hours.
  fc.assert(
    fc.property(
      instant,
      fc.nat(12),
      fc.nat(12),
      alike,
      fc.constantFrom('UTC', 'Asia/Kathmandu'),
      (from, one, other, hours, zone) => {
        const first = addWorkingDays(inMs(from), one, hours, zone);
        expect(addWorkingDays(first, other, hours, zone)).toBe(addWorkingDays(inMs(from), one + other, hours, zone));
        expect(nextOpen(first, hours, zone)).toBe(first);
      },
    ),
    { numRuns: 150, seed: 2028 },
  );
});

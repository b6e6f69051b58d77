import { DateTime } from 'luxon';
import { missing, type Phrase, setting, words } from '../../workflow/phrase.ts';
import type { TriggerDefinition } from '../definition.ts';
import { type MonthDay, monthNumbers, type TimesTrigger, weekdays } from './schema.ts';

/** At set times of the day, on set days of the week or of the month. */
export const times: TriggerDefinition<TimesTrigger> = {
  kind: 'times',
  isMadeUpFor: true,
  make: () => ({ kind: 'times', at: ['06:00'], days: [1, 2, 3, 4, 5] }),
  sentence: ({ at, days, month, missed }): Phrase[] => [
    words('checked at '),
    at.length > 0 ? setting(listed([...new Set(at)].sort())) : missing('a time'),
    ...(month ? [words(' on '), setting(monthLabel(month))] : onDays(days)),
    ...(missed ? [words(', '), setting('what was missed left out')] : []),
  ],
  problems: ({ at, days, month }) => [
    ...(at.length === 0 ? ['Choose the times.'] : []),
    ...(!month && days.length === 0 ? ['Choose the days.'] : []),
    ...(month && !isEver(month)
      ? [`${monthLabel(month)} never comes. Choose another day, or the last of the month.`]
      : []),
  ],
  firstAt: (trigger, now, zone) => nextAfter(trigger, now, zone),
  nextAfter,
  isLeftOut: ({ missed }, at, now) => missed === 'skip' && Date.parse(now) - Date.parse(at) > lateness,
};

/** Milliseconds after which a time counts as missed: nobody was there to look. */
const lateness = 10 * 60_000;

const onDays = (days: readonly number[]): Phrase[] => [
  words(days.length === 7 ? ' ' : ' on '),
  days.length > 0 ? setting(daysLabel(days)) : missing('a day'),
];

/** Months that are looked through for the next time: a 29 February may be eight years off. */
const mostMonths = 12 * 8 + 1;

/**
 * The next of the times. When the clock is put forth a time that doesn't exist that day comes as much
 * later as the clock was put; when it is put back, a time that comes twice counts the first time. So
 * each of them comes once on each of its days.
 */
function nextAfter({ at, days, month }: TimesTrigger, instant: string, zone: string): string | null {
  const from = DateTime.fromISO(instant, { zone });
  if (at.length === 0 || !from.isValid) return null;
  for (const day of month ? daysOfMonths(month, from) : daysOfWeek(days, from)) {
    const moments = at.map((time) => onDay(day, time)).sort((one, other) => one.toMillis() - other.toMillis());
    const next = moments.find((moment) => moment.toMillis() > from.toMillis());
    if (next) return next.toUTC().toISO();
  }
  return null;
}

/**
 * Days of the week from the day before an instant on, which counts too: a time that was put later by the clock may
 * have come to lie after midnight. A week on is the same day again: its times may all have passed today.
 */
function* daysOfWeek(days: readonly number[], from: DateTime): Generator<DateTime> {
  for (let ahead = -1; ahead <= 8; ahead++) {
    const day = from.startOf('day').plus({ days: ahead });
    if (days.some((one) => one === day.weekday)) yield day;
  }
}

function* daysOfMonths({ on, months }: NonNullable<TimesTrigger['month']>, from: DateTime): Generator<DateTime> {
  for (let ahead = -1; ahead <= mostMonths; ahead++) {
    const first = from.startOf('month').plus({ months: ahead });
    if (months && !months.some((one) => one === first.month)) continue;
    const day = dayOfMonth(on, first);
    if (day) yield day;
  }
}

/** The day that is meant in a month; undefined where it has none. */
function dayOfMonth(on: MonthDay, first: DateTime): DateTime | undefined {
  const last = first.endOf('month').startOf('day');
  switch (on.kind) {
    case 'day':
      return on.day <= last.day ? first.set({ day: on.day }) : undefined;
    case 'last':
      return last;
    case 'last_working':
      return last.minus({ days: Math.max(0, last.weekday - 5) });
    case 'weekday':
      if (on.which === -1) return last.minus({ days: (last.weekday - on.weekday + 7) % 7 });
      return first.plus({ days: ((on.weekday - first.weekday + 7) % 7) + 7 * (on.which - 1) });
  }
}

/** The longest that each month ever is, by its number. */
const longest = [31, 29, 31, 30, 31, 30, 31, 31, 30, 31, 30, 31];

const isEver = ({ on, months }: NonNullable<TimesTrigger['month']>): boolean =>
  on.kind !== 'day' || (months ?? monthNumbers).some((month) => on.day <= (longest[month - 1] ?? 0));

function onDay(day: DateTime, time: string): DateTime {
  const [hour, minute] = time.split(':').map(Number) as [number, number];
  const moment = DateTime.fromObject(
    { year: day.year, month: day.month, day: day.day, hour, minute },
    { zone: day.zone },
  );
  const [first = moment] = moment.getPossibleOffsets().sort((one, other) => one.toMillis() - other.toMillis());
  return first;
}

const names = ['Monday', 'Tuesday', 'Wednesday', 'Thursday', 'Friday', 'Saturday', 'Sunday'];
const monthNames = 'January,February,March,April,May,June,July,August,September,October,November,December'.split(',');
const whichNames: Readonly<Record<number, string>> = { 1: 'first', 2: 'second', 3: 'third', 4: 'fourth', [-1]: 'last' };

/** "every day", "Monday to Friday", "Monday and Thursday". */
export function daysLabel(days: readonly number[]): string {
  const on = weekdays.filter((day) => days.includes(day));
  if (on.length === 7) return 'every day';
  const [first, last] = [on[0] ?? 1, on.at(-1) ?? 1];
  const name = (day: number): string => names[day - 1] ?? '';
  if (on.length > 2 && last - first === on.length - 1) return `${name(first)} to ${name(last)}`;
  return listed(on.map(name));
}

/** "the last working day of each month", "the first Monday of March and September", "30 February". */
export function monthLabel({ on, months }: NonNullable<TimesTrigger['month']>): string {
  const all = months && months.length < 12 ? monthNumbers.filter((one) => months.includes(one)) : undefined;
  const of = all ? listed(all.map((one) => monthNames[one - 1] ?? '')) : 'each month';
  switch (on.kind) {
    case 'day':
      return all ? `${on.day} ${of}` : `the ${ordinal(on.day)} of each month`;
    case 'last':
      return `the last day of ${of}`;
    case 'last_working':
      return `the last working day of ${of}`;
    case 'weekday':
      return `the ${whichNames[on.which]} ${names[on.weekday - 1]} of ${of}`;
  }
}

function ordinal(number: number): string {
  const endings: Readonly<Record<string, string>> = { one: 'st', two: 'nd', few: 'rd' };
  return `${number}${endings[ordinals.select(number)] ?? 'th'}`;
}
const ordinals = new Intl.PluralRules('en', { type: 'ordinal' });

const listed = (all: readonly string[]): string =>
  all.length < 2 ? all.join('') : `${all.slice(0, -1).join(', ')} and ${all.at(-1)}`;

import { DateTime } from 'luxon';
import { missing, type Phrase, setting, words } from '../../workflow/phrase.ts';
import type { TriggerDefinition } from '../definition.ts';
import { type TimesTrigger, weekdays } from './schema.ts';

/** At set times of the day, on set days of the week. */
export const times: TriggerDefinition<TimesTrigger> = {
  kind: 'times',
  make: () => ({ kind: 'times', at: ['06:00'], days: [1, 2, 3, 4, 5] }),
  sentence: ({ at, days }): Phrase[] => [
    words('checked at '),
    at.length > 0 ? setting(listed([...new Set(at)].sort())) : missing('a time'),
    words(days.length === 7 ? ' ' : ' on '),
    days.length > 0 ? setting(daysLabel(days)) : missing('a day'),
  ],
  problems: ({ at, days }) => [
    ...(at.length === 0 ? ['Choose the times.'] : []),
    ...(days.length === 0 ? ['Choose the days.'] : []),
  ],
  firstAt: (trigger, now, zone) => nextAfter(trigger, now, zone),
  nextAfter,
};

/**
 * The next of the times. When the clock is put forth a time that doesn't exist that day comes as much
 * later as the clock was put; when it is put back, a time that comes twice counts the first time. So
 * each of them comes once on each of its days.
 */
function nextAfter({ at, days }: TimesTrigger, instant: string, zone: string): string | null {
  const from = DateTime.fromISO(instant, { zone });
  if (at.length === 0 || days.length === 0 || !from.isValid) return null;
  // A week on is the same day again: its times may all have passed today. The day before counts too,
  // as a time that was put later by the clock may have come to lie after midnight.
  for (let ahead = -1; ahead <= 8; ahead++) {
    const day = from.startOf('day').plus({ days: ahead });
    if (!days.some((one) => one === day.weekday)) continue;
    const moments = at.map((time) => onDay(day, time)).sort((one, other) => one.toMillis() - other.toMillis());
    const next = moments.find((moment) => moment.toMillis() > from.toMillis());
    if (next) return next.toUTC().toISO();
  }
  return null;
}

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

/** "every day", "Monday to Friday", "Monday and Thursday". */
export function daysLabel(days: readonly number[]): string {
  const on = weekdays.filter((day) => days.includes(day));
  if (on.length === 7) return 'every day';
  const [first, last] = [on[0] ?? 1, on.at(-1) ?? 1];
  const name = (day: number): string => names[day - 1] ?? '';
  if (on.length > 2 && last - first === on.length - 1) return `${name(first)} to ${name(last)}`;
  return listed(on.map(name));
}

const listed = (all: readonly string[]): string =>
  all.length < 2 ? all.join('') : `${all.slice(0, -1).join(', ')} and ${all.at(-1)}`;

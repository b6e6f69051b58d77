import { DateTime } from 'luxon';
import { dayAfter, type OpenHours } from './calendar.ts';

// Counting by working time. All instants are UTC milliseconds; what a calendar says is local to a zone, so a
// day's opening is looked for anew for each day: clock changes move it.

/** A calendar that never opens again within ten years: nothing can be counted by it. */
export class NeverOpen extends Error {
  override readonly name = 'NeverOpen';
  constructor(calendar: string) {
    super(`By “${calendar}” it is never open. Set opening hours for at least one weekday.`);
  }
}

const mostDays = 3660;

interface Span {
  readonly from: number;
  readonly to: number;
}

/** The local date of an instant. */
export const dateOf = (instant: number, zone: string): string =>
  DateTime.fromMillis(instant, { zone }).toFormat('yyyy-MM-dd');

/** An instant of a local day. What the clock skips in spring is as much later (the rule of ISO 8601 libraries, luxon's too). */
export function atLocal(date: string, time: string, zone: string): number {
  const [hour = 0, minute = 0] = time.split(':').map(Number);
  if (hour === 24) return atLocal(dayAfter(date), '00:00', zone);
  return DateTime.fromISO(date, { zone }).set({ hour, minute }).toMillis();
}

/** The opening hours that count on a day; none on a day off. */
function spansOf(date: string, hours: OpenHours): OpenHours['week'][number] {
  if (hours.off[date] !== undefined) return [];
  return hours.week[(new Date(`${date}T12:00:00Z`).getUTCDay() + 6) % 7] ?? [];
}

/** When it is open on a local day; nothing on a day off. */
export function openOn(date: string, hours: OpenHours, zone: string): readonly Span[] {
  return spansOf(date, hours)
    .map(({ from, to }) => ({ from: atLocal(date, from, zone), to: atLocal(date, to, zone) }))
    .filter(({ from, to }) => from < to);
}

/** The instant itself where it is open then, else the next opening. */
export function nextOpen(instant: number, hours: OpenHours, zone: string): number {
  for (const { from, to } of openFrom(instant, hours, zone)) if (instant < to) return Math.max(instant, from);
  throw new NeverOpen(hours.name);
}

function* openFrom(instant: number, hours: OpenHours, zone: string): Generator<Span> {
  let date = dateOf(instant, zone);
  for (let days = 0; days < mostDays; days++, date = dayAfter(date)) yield* openOn(date, hours, zone);
}

/**
 * So much time during which it is open, after an instant. What ends just as it closes ends then, not at the
 * next opening. Law: it never falls as `instant` or `ms` grows, and one part after the other is the whole.
 *
 * @throws NeverOpen
 */
export function addOpenTime(instant: number, ms: number, hours: OpenHours, zone: string): number {
  let left = ms;
  if (left <= 0) return instant;
  for (const { from, to } of openFrom(instant, hours, zone)) {
    const begin = Math.max(from, instant);
    if (begin >= to) continue;
    if (left <= to - begin) return begin + left;
    left -= to - begin;
  }
  throw new NeverOpen(hours.name);
}

/**
 * The same time of day so many working days later; what begins while it is closed begins at the next opening.
 * Where that day is shorter, its opening or its closing. Law: it never falls as `instant` or `days` grows; where all
 * days have the same hours, one part after the other is the whole.
 *
 * @throws NeverOpen
 */
export function addWorkingDays(instant: number, days: number, hours: OpenHours, zone: string): number {
  const begin = nextOpen(instant, hours, zone);
  let date = dateOf(begin, zone);
  let left = days;
  for (let passed = 0; left > 0; passed++) {
    if (passed > mostDays) throw new NeverOpen(hours.name);
    date = dayAfter(date);
    if (spansOf(date, hours).length > 0) left -= 1;
  }
  if (days <= 0) return begin;
  return withinHours(atLocal(date, timeOf(begin, zone), zone), openOn(date, hours, zone));
}

/** The instant itself where it is open then, else the last closing before it. */
export function lastOpen(instant: number, hours: OpenHours, zone: string): number {
  for (const { from, to } of openBefore(instant, hours, zone)) if (from <= instant) return Math.min(instant, to);
  throw new NeverOpen(hours.name);
}

function* openBefore(instant: number, hours: OpenHours, zone: string): Generator<Span> {
  let date = dateOf(instant, zone);
  for (let days = 0; days < mostDays; days++, date = dayAfter(date, -1))
    yield* [...openOn(date, hours, zone)].reverse();
}

/** So much time during which it is open, before an instant. */
export function takeOpenTime(instant: number, ms: number, hours: OpenHours, zone: string): number {
  let left = ms;
  if (left <= 0) return instant;
  for (const { from, to } of openBefore(instant, hours, zone)) {
    const end = Math.min(to, instant);
    if (end <= from) continue;
    if (left <= end - from) return end - left;
    left -= end - from;
  }
  throw new NeverOpen(hours.name);
}

/** The same time of day so many working days earlier; what ends while it is closed ends at the last closing. */
export function takeWorkingDays(instant: number, days: number, hours: OpenHours, zone: string): number {
  const end = lastOpen(instant, hours, zone);
  let date = dateOf(end, zone);
  // Midnight, at which a day closes that is open to its end, belongs to that day.
  const isMidnight = timeOf(end, zone) === '00:00' && !openOn(date, hours, zone).some(({ from }) => from === end);
  if (isMidnight) date = dayAfter(date, -1);
  let left = days;
  for (let passed = 0; left > 0; passed++) {
    if (passed > mostDays) throw new NeverOpen(hours.name);
    date = dayAfter(date, -1);
    if (spansOf(date, hours).length > 0) left -= 1;
  }
  if (days <= 0) return end;
  return withinHours(atLocal(date, isMidnight ? '24:00' : timeOf(end, zone), zone), openOn(date, hours, zone));
}

/** An instant of a day that is open, moved into its hours: to its opening or its closing; a break ends at the next opening. */
function withinHours(instant: number, spans: readonly Span[]): number {
  for (const { from, to } of spans) {
    if (instant < from) return from;
    if (instant <= to) return instant;
  }
  return spans.at(-1)?.to ?? instant;
}

/** The local time of the day, to the minute. */
const timeOf = (instant: number, zone: string): string => DateTime.fromMillis(instant, { zone }).toFormat('HH:mm');

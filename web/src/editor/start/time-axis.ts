import type { FromWhen, Start } from '@golden/core';
import { DateTime } from 'luxon';

/** How many records there are, and on which day each was added or changed (`2026-11-03`). */
export interface Counts {
  readonly all: number;
  /** What beginning with everything would send. */
  readonly startable: number;
  readonly today: string;
  readonly days: readonly { readonly day: string; readonly count: number }[];
}

/** Names what is counted: the source, and what has to happen to a record. */
export const startKey = (sourceKey: string, { on, becomes }: Start): string =>
  `${sourceKey}|${on}|${JSON.stringify(becomes ?? null)}`;

/** How many of the records that are there a beginning sends; the others are already known. */
export function sentFrom(counts: Counts, fromWhen: FromWhen): number {
  if (fromWhen.kind === 'now') return 0;
  if (fromWhen.kind === 'all') return counts.startable;
  const from = fromWhen.at.slice(0, 10);
  return counts.days.reduce((sum, one) => (one.day >= from ? sum + one.count : sum), 0);
}

/**
 * The axis: one stop a day. Stop 0 lies before the first record and means everything, stop `n` the
 * beginning of the n-th day, and the last one now.
 */
export interface Axis {
  readonly first: string;
  readonly stops: number;
}

const at = (day: string): DateTime => DateTime.fromISO(day, { zone: 'utc' });

/** The axis from the first record with a date to today; one step where no record has a date. */
export function axisOf({ days, today }: Counts): Axis {
  const first = days[0]?.day;
  if (first === undefined || first > today) return { first: today, stops: 1 };
  return { first, stops: Math.round(at(today).diff(at(first), 'days').days) + 1 };
}

/** Where the line stands; a date outside of the axis stands at its end. */
export function stopOf(axis: Axis, fromWhen: FromWhen): number {
  if (fromWhen.kind === 'now') return axis.stops;
  if (fromWhen.kind === 'all') return 0;
  const days = Math.round(at(fromWhen.at.slice(0, 10)).diff(at(axis.first), 'days').days);
  return Math.min(axis.stops, Math.max(0, days));
}

/** What a place of the line means. */
export function fromWhenAt(axis: Axis, stop: number): FromWhen {
  if (stop <= 0) return { kind: 'all' };
  if (stop >= axis.stops) return { kind: 'now' };
  return { kind: 'since', at: at(axis.first).plus({ days: stop }).toISODate() as string };
}

/** Records of some days together. */
export interface Bar {
  /** The first of its days. */
  readonly day: string;
  readonly count: number;
}

const mostBars = 90;

/** The days in their order, empty ones too; so many of them to a bar that no more than ninety stand side by side. */
export function barsOf(axis: Axis, days: Counts['days']): readonly Bar[] {
  const daysEach = Math.max(1, Math.ceil(axis.stops / mostBars));
  const counts = new Map<number, number>();
  for (const { day, count } of days) {
    const bar = Math.floor(Math.round(at(day).diff(at(axis.first), 'days').days) / daysEach);
    counts.set(bar, (counts.get(bar) ?? 0) + count);
  }
  return Array.from({ length: Math.ceil(axis.stops / daysEach) }, (_, index) => ({
    day: at(axis.first)
      .plus({ days: index * daysEach })
      .toISODate() as string,
    count: counts.get(index) ?? 0,
  }));
}

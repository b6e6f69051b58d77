import { DateTime } from 'luxon';

const numbers = new Intl.NumberFormat('en-GB');

/** 1318 as "1,318". */
export const formatNumber = (value: number): string => numbers.format(value);

/** "1 record", "3 records". */
export const counted = (count: number, one: string, many = `${one}s`): string =>
  `${formatNumber(count)} ${count === 1 ? one : many}`;

/** "90 %", rounded down: a match is never said to be surer than it is. */
export const percentText = (sure: number): string => `${Math.floor(sure * 100 + 1e-9)} %`;

/** An instant as people say it today: "12:04", "yesterday 16:20", "3 Nov 16:21". */
export function formatInstant(instant: string, zone: string, now = DateTime.now()): string {
  const at = DateTime.fromISO(instant, { zone });
  if (!at.isValid) return instant;
  const today = now.setZone(zone);
  if (at.hasSame(today, 'day')) return at.toFormat('HH:mm');
  if (at.hasSame(today.minus({ days: 1 }), 'day')) return `yesterday ${at.toFormat('HH:mm')}`;
  return at.toFormat(at.year === today.year ? 'd LLL HH:mm' : 'd LLL yyyy');
}

/** An instant ahead, with its day: "Mon 30 Nov 06:00". */
export const formatDayAndTime = (instant: string, zone: string): string =>
  DateTime.fromISO(instant, { zone }).setLocale('en-GB').toFormat('ccc d LLL HH:mm');

/** How far off: "in 4 minutes", "in a few seconds". */
export function formatAhead(instant: string, now = DateTime.now()): string {
  const minutes = Math.round(DateTime.fromISO(instant).diff(now, 'minutes').minutes);
  if (minutes < 1) return 'in a moment';
  return minutes < 90 ? `in ${counted(minutes, 'minute')}` : `in ${counted(Math.round(minutes / 60), 'hour')}`;
}

/** How long ago: "in this minute", "6 hours ago", "2 days ago". */
export function formatAgo(instant: string, now = DateTime.now()): string {
  const minutes = Math.round(now.diff(DateTime.fromISO(instant), 'minutes').minutes);
  if (minutes < 1) return 'just now';
  if (minutes < 90) return `${counted(minutes, 'minute')} ago`;
  const hours = Math.round(minutes / 60);
  return hours < 48 ? `${counted(hours, 'hour')} ago` : `${counted(Math.round(hours / 24), 'day')} ago`;
}

/** Seconds as "0.8 s" or "2 min 5 s". */
export function formatSeconds(seconds: number): string {
  if (seconds < 100) return `${seconds.toFixed(1)} s`;
  return `${Math.floor(seconds / 60)} min ${Math.round(seconds % 60)} s`;
}

/** A size as people say it: 12 MB, 3.4 GB; thousand by thousand (ISO/IEC 80000-13). */
export function formatBytes(bytes: number): string {
  const names = ['kilobyte', 'megabyte', 'gigabyte'] as const;
  const at = Math.min(names.length - 1, Math.max(0, Math.floor(Math.log10(Math.max(1, bytes)) / 3) - 1));
  const value = bytes / 1000 ** (at + 1);
  const digits = value < 10 ? 1 : 0;
  return new Intl.NumberFormat('en', { style: 'unit', unit: names[at], maximumFractionDigits: digits }).format(value);
}

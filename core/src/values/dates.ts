import { DateTime, IANAZone } from 'luxon';

/** Which comes first when a date is written in figures. */
export type DayMonthOrder = 'day_first' | 'month_first';

/** What a text says as a date, or a sentence why it says none. */
export type DateReading =
  | { readonly ok: true; readonly date: string; readonly note?: string }
  | { readonly ok: false; readonly message: string };

/** Countries that write the month first in everyday figures (common practice). */
const monthFirstCountries = new Set(['US', 'FM', 'MH', 'PW', 'PH', 'BZ']);

/** The order of day and month that is usual in a country (ISO 3166-1 alpha-2). */
export function usualOrder(country: string): DayMonthOrder {
  return monthFirstCountries.has(country) ? 'month_first' : 'day_first';
}

/** True when the IANA zone is known to the library whose data is pinned with the product. */
export function isZone(zone: string): boolean {
  return IANAZone.isValidZone(zone);
}

const isoDate = /^\d{4}-\d{2}-\d{2}$/;
const isoInstant = /^\d{4}-\d{2}-\d{2}[T ]\d{2}:\d{2}(:\d{2}(\.\d+)?)?(Z|[+-]\d{2}:?\d{2})?$/i;
const inFigures = /^(\d{1,4})[./\-\s](\d{1,2})[./\-\s](\d{1,4})\.?$/;
const named = ['d LLL yyyy', 'd LLLL yyyy', 'LLL d yyyy', 'LLLL d yyyy'];

/**
 * Reads a date as people and apps write it, and gives it as ISO 8601 (`2026-03-04`).
 * An instant is a date only in a zone: `zone` says which. Figures whose order can't be told are
 * read in the given order and noted.
 */
export function readDate(text: string, zone: string, order: DayMonthOrder): DateReading {
  const given = text.trim();
  if (/^(19|20)\d{6}$/.test(given)) return checked(DateTime.fromFormat(given, 'yyyyMMdd'), given);
  if (isoDate.test(given)) return isDay(given) ? { ok: true, date: given } : unreadable(given);
  if (isoInstant.test(given)) {
    const instant = DateTime.fromISO(given.replace(' ', 'T'), { zone });
    if (!instant.isValid) return unreadable(given);
    return { ok: true, date: instant.toISODate() };
  }
  const figures = inFigures.exec(given);
  if (figures) return fromFigures(given, figures, order);
  const words = given
    .replace(/[,.]/g, ' ')
    .replace(/(\d)(st|nd|rd|th)\b/i, '$1')
    .replace(/\s+/g, ' ');
  for (const format of named) {
    const read = DateTime.fromFormat(words, format, { locale: 'en-GB' });
    if (read.isValid) return { ok: true, date: read.toISODate() };
  }
  return unreadable(given);
}

function fromFigures(given: string, figures: RegExpExecArray, order: DayMonthOrder): DateReading {
  const [first, second, third] = figures.slice(1, 4).map(Number) as [number, number, number];
  if (figures[1]?.length === 4) return checked(DateTime.fromObject({ year: first, month: second, day: third }), given);
  if (figures[1]?.length === 3 || ![2, 4].includes(figures[3]?.length ?? 0)) return unreadable(given);
  // Two figures for the year: a hundred years ending twenty years from the turn (00–68 and 69–99, POSIX strptime).
  const year = figures[3]?.length === 2 ? third + (third < 69 ? 2000 : 1900) : third;
  const dayFirst = first > 12 ? true : second > 12 ? false : order === 'day_first';
  const date = DateTime.fromObject({ year, month: dayFirst ? second : first, day: dayFirst ? first : second });
  const isUnclear = first <= 12 && second <= 12 && first !== second;
  const read = checked(date, given);
  return read.ok && isUnclear
    ? { ...read, note: dayFirst ? 'read with the day first' : 'read with the month first' }
    : read;
}

/** The date behind a day number of a spreadsheet (day 1 is 1899-12-31; counted from 1899-12-30), or undefined. */
export function readSerial(days: number): string | undefined {
  if (!(days >= 1 && days < 2_958_466)) return undefined;
  return DateTime.fromISO('1899-12-30', { zone: 'utc' })
    .plus({ days: Math.floor(days) })
    .toISODate() as string;
}

/** A date (`2026-11-06`) in words: “6 November 2026”; a text that is no date as it is. */
export function dateInWords(date: string): string {
  const read = DateTime.fromISO(date, { zone: 'utc' });
  return read.isValid ? read.setLocale('en-GB').toFormat('d LLLL yyyy') : date;
}

/** The order of day and month that a date in figures has by itself; undefined when it can't be told or is no such date. */
export function orderTold(text: string): DayMonthOrder | 'either' | undefined {
  const figures = inFigures.exec(text.trim());
  if (!figures || figures[1]?.length === 4) return undefined;
  const [first, second] = [Number(figures[1]), Number(figures[2])];
  if (first > 12 && second <= 12) return 'day_first';
  if (second > 12 && first <= 12) return 'month_first';
  return first <= 12 && second <= 12 && first !== second ? 'either' : undefined;
}

/** Whether there is such a day: one that is written so is that day in every zone, whose clocks needn't be asked. */
function isDay(iso: string): boolean {
  const day = new Date(`${iso}T00:00:00Z`);
  return !Number.isNaN(day.getTime()) && day.toISOString().startsWith(iso);
}

function checked(date: DateTime, given: string): DateReading {
  return date.isValid ? { ok: true, date: date.toISODate() as string } : unreadable(given);
}

function unreadable(given: string): DateReading {
  return { ok: false, message: `“${given}” can’t be read as a date.` };
}

/** What a text says as an instant, in UTC (`2026-03-04T09:00:00.000Z`), or undefined. A text without an offset is in `zone`. */
export function readInstant(text: string, zone: string): string | undefined {
  const given = text.trim();
  if (!isoInstant.test(given) && !isoDate.test(given)) return undefined;
  const read = DateTime.fromISO(given.replace(' ', 'T'), { zone });
  return read.isValid ? (read.toUTC().toISO() ?? undefined) : undefined;
}

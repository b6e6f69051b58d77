import { type DayMonthOrder, usualOrder } from '@golden/core';

/** The language tag by which dates are written in a country (ISO 3166-1), in English words. */
export const localeFor = (country: string): string => `en-${country}`;

/** A date (`2026-11-03`) in figures as people write it in a country, such as 03/11/2026 or 11/03/2026. */
export function dateInFigures(date: string, country: string): string {
  const [year, month, day] = date.split('-').map(Number) as [number, number, number];
  // Noon in UTC is the same day for a formatter that is told UTC.
  const instant = new Date(Date.UTC(year, month - 1, day, 12));
  return new Intl.DateTimeFormat(localeFor(country), {
    year: 'numeric',
    month: '2-digit',
    day: '2-digit',
    timeZone: 'UTC',
  }).format(instant);
}

/** Which of day and month is written first there. */
export const orderIn = (country: string): DayMonthOrder => usualOrder(country);

type WeekDay = 0 | 1 | 2 | 3 | 4 | 5 | 6;

/** The day a week begins with in a country: 0 is Sunday, as calendars count (Unicode CLDR, by the browser). */
export function firstDayOfWeek(country: string): WeekDay {
  const locale = new Intl.Locale(localeFor(country)) as Intl.Locale & {
    getWeekInfo?(): { firstDay: number };
    weekInfo?: { firstDay: number };
  };
  const day = (locale.getWeekInfo?.() ?? locale.weekInfo)?.firstDay ?? 1;
  return (day % 7) as WeekDay;
}

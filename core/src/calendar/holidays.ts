import Holidays from 'date-holidays';
import { dayAfter } from './calendar.ts';

// Apart from the rest of core: the table of all countries is large, and the browser is given what it needs of it.

const day = 24 * 3_600_000;

/**
 * The public holidays of a country, and of a region of it, by their dates; nothing for a country that isn't known.
 * Substitute days are among them; what only shops, banks or schools keep isn't. Source: the date-holidays package.
 *
 * @param years - both included
 */
export function holidaysIn(country: string, region: string, years: readonly [number, number]): Record<string, string> {
  if (country === '') return {};
  const table = region ? new Holidays(country, region) : new Holidays(country);
  const found: Record<string, string> = {};
  for (let year = years[0]; year <= years[1]; year++)
    for (const { date, start, end, type, name } of table.getHolidays(year) ?? []) {
      if (type !== 'public') continue;
      const first = date.slice(0, 10);
      const lasts = Math.max(1, Math.round((end.getTime() - start.getTime()) / day));
      for (let at = 0; at < lasts; at++) found[dayAfter(first, at)] ??= name;
    }
  return found;
}

/** The countries whose holidays are known, with their names in English. */
export const holidayCountries = (): Record<string, string> => new Holidays().getCountries('en');

/** The regions of a country that have holidays of their own, by the names that `holidaysIn` takes. */
export const holidayRegions = (country: string): Record<string, string> =>
  country === '' ? {} : (new Holidays().getStates(country, 'en') ?? {});

import { parseArgs } from 'node:util';
import {
  isZone,
  laterBy,
  NeverOpen,
  type OpenSpan,
  officeWeek,
  openHours,
  readDuration,
  unitText,
  WorkingCalendarSchema,
  waitUnits,
} from '@golden/core';
import { holidayCountries, holidayRegions, holidaysIn } from '@golden/core/holidays';
import { DateTime } from 'luxon';
import type { CommandResult } from './formula.ts';

const usage = `golden when --from 2026-12-24T16:30 --wait '2 working days' [--zone Europe/London] [--country GB] [--region ENG] [--hours 'Mon-Thu 09:00-17:00, Fri 09:00-15:00']`;

const weekdays = ['mon', 'tue', 'wed', 'thu', 'fri', 'sat', 'sun'];

/** Opening hours as a person writes them; the sentence why not, where they can't be read. */
function readHours(text: string): OpenSpan[][] | string {
  const week: OpenSpan[][] = Array.from({ length: 7 }, () => []);
  for (const part of text.split(/[,;]/)) {
    const [, first = '', last = first, from = '', to = ''] =
      /^\s*([a-z]{3})[a-z]*(?:\s*[-–]\s*([a-z]{3})[a-z]*)?\s+(\d{1,2}:\d{2})\s*[-–]\s*(\d{1,2}:\d{2})\s*$/i.exec(
        part,
      ) ?? [];
    const begin = weekdays.indexOf(first.toLowerCase());
    const end = weekdays.indexOf(last.toLowerCase());
    if (begin < 0 || end < 0)
      return `“${part.trim()}” can’t be read as opening hours. They are like Mon-Fri 09:00-17:00.`;
    for (let at = begin; ; at = (at + 1) % 7) {
      week[at]?.push({ from: from.padStart(5, '0'), to: to.padStart(5, '0') });
      if (at === end) break;
    }
  }
  for (const day of week) day.sort((x, y) => (x.from < y.from ? -1 : 1));
  return week;
}

/**
 * `golden when`: the instant at which a wait ends, as ISO 8601 in UTC; the sentence of an error on the other
 * stream.
 */
export function whenCommand(args: readonly string[]): CommandResult {
  const fail = (error: string): CommandResult => ({ error, code: 1 });
  const text = { type: 'string' } as const;
  const options = { from: text, wait: text, zone: text, country: text, region: text, hours: text };
  let given: Partial<Record<keyof typeof options, string>>;
  try {
    given = parseArgs({ args: [...args], options }).values;
  } catch (error) {
    return fail(`${(error as Error).message}\n${usage}`);
  }
  const { from = '', wait = '', zone = 'UTC', country = '', region = '', hours } = given;
  if (from === '' || wait === '') return fail(`Say from when, and how long.\n${usage}`);
  if (!isZone(zone)) return fail(`“${zone}” is no time zone. Zones are like Europe/London.`);
  const begin = DateTime.fromISO(from, { zone });
  if (!begin.isValid) return fail(`“${from}” is no moment. Moments are like 2026-12-24T16:30.`);
  const duration = readDuration(wait);
  if (!duration)
    return fail(`“${wait}” is no wait. Waits are a number and one of ${waitUnits.map(unitText).join(', ')}.`);
  if (country !== '' && holidayCountries()[country] === undefined)
    return fail(`Holidays of “${country}” aren’t known. A country is two capital letters, such as GB.`);
  const regions = holidayRegions(country);
  if (region !== '' && regions[region] === undefined)
    return fail(`${country} has no region “${region}”. It has ${Object.keys(regions).join(', ') || 'none'}.`);
  const week = hours === undefined ? officeWeek() : readHours(hours);
  if (typeof week === 'string') return fail(week);
  const read = WorkingCalendarSchema.safeParse({ id: 'given', name: 'given', week, country, region, daysOff: [] });
  if (!read.success) return fail(read.error.issues[0]?.message ?? 'These opening hours can’t be read.');
  const holidays = holidaysIn(country, region, [begin.year - 1, begin.year + yearsAhead]);
  try {
    const end = laterBy(begin.toMillis(), duration, openHours(read.data, holidays), zone);
    return { out: new Date(end).toISOString(), code: 0 };
  } catch (error) {
    if (!(error instanceof NeverOpen) && !(error instanceof RangeError)) throw error;
    return fail(error instanceof NeverOpen ? error.message : 'That is too far away to be counted.');
  }
}

/** Holidays are looked up so far. */
const yearsAhead = 11;

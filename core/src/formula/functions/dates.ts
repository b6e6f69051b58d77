import { DateTime } from 'luxon';
import { type DayMonthOrder, isZone, readDate, usualOrder } from '../../values/dates.ts';
import type { Evaluation } from '../function.ts';
import {
  asDate,
  CalendarDate,
  Decimal,
  dateValue,
  FormulaError,
  type FormulaValue,
  Instant,
  isError,
  isNumber,
  named,
  valueError,
} from '../values.ts';
import { definer } from './define.ts';

const date = definer('date');
const whole = (number: Decimal): number => number.trunc().toNumber();
const of = (value: number): Decimal => new Decimal(value);
const noSuchDate = new FormulaError('#NUM!', 'There is no such date.');

/** A moment in the workflow's zone. */
function local(value: FormulaValue, env: Evaluation): DateTime | FormulaError {
  if (isError(value)) return value;
  if (value instanceof Instant) return DateTime.fromISO(value.iso, { zone: env.around.zone });
  return asDate(value, env.around);
}

/** The first day of the month, so many months on. */
function addMonths(start: DateTime, months: Decimal): DateTime | FormulaError {
  if (months.abs().greaterThan(120_000)) return noSuchDate;
  return start.plus({ months: whole(months) });
}

/** Days on which nobody works, as ISO dates. */
function holidaySet(list: readonly FormulaValue[] | undefined, env: Evaluation): Set<string> | FormulaError {
  const days = new Set<string>();
  for (const one of list ?? []) {
    if (one === null) continue;
    const read = asDate(one, env.around);
    if (isError(read)) return read;
    days.add(read.toISODate() as string);
  }
  return days;
}

const isWorkday = (day: DateTime, holidays: ReadonlySet<string>): boolean =>
  day.weekday < 6 && !holidays.has(day.toISODate() as string);

/** Spans longer than this aren't counted day by day. */
const mostDays = 40_000;

function networkDays(start: DateTime, end: DateTime, holidays: ReadonlySet<string>): FormulaValue {
  const [from, to, sign] = start <= end ? [start, end, 1] : [end, start, -1];
  if (to.diff(from, 'days').days > mostDays) return new FormulaError('#NUM!', 'The two dates lie too far apart.');
  let count = 0;
  for (let day = from; day <= to; day = day.plus({ days: 1 })) if (isWorkday(day, holidays)) count += 1;
  return of(sign * count);
}

function workday(start: DateTime, days: Decimal, holidays: ReadonlySet<string>): FormulaValue {
  let left = Math.abs(whole(days));
  if (left > mostDays) return noSuchDate;
  const step = days.isNegative() ? -1 : 1;
  let day = start;
  while (left > 0) {
    day = day.plus({ days: step });
    if (isWorkday(day, holidays)) left -= 1;
  }
  return dateValue(day);
}

function readHere(given: FormulaValue, env: Evaluation, wanted?: string): FormulaValue {
  if (given instanceof CalendarDate) return given;
  if (given instanceof Instant) {
    const day = asDate(given, env.around);
    return isError(day) ? day : dateValue(day);
  }
  if (typeof given !== 'string')
    return valueError(`A text is needed, and ${named(given)} came. SERIALDATE reads numbers as days.`);
  const read = readDate(
    given,
    env.around.zone,
    orderWanted(wanted) ?? env.around.order ?? usualOrder(env.around.country),
  );
  return read.ok ? new CalendarDate(read.date) : valueError(read.message);
}

const orderWanted = (wanted: string | undefined): DayMonthOrder | undefined =>
  wanted === undefined ? undefined : /^month/i.test(wanted.trim()) ? 'month_first' : 'day_first';

const nowOf = (env: Evaluation): Instant | FormulaError =>
  env.around.takenAt
    ? new Instant(env.around.takenAt)
    : new FormulaError('#N/A', 'No record was taken in, so there is no “now”.');

const clock = (name: 'hour' | 'minute' | 'second', summary: string) =>
  date(name.toUpperCase(), 'moment:any', 'number', summary, ([given]: [FormulaValue], env) => {
    const read = isNumber(given)
      ? DateTime.fromISO('1899-12-30', { zone: 'utc' }).plus({
          milliseconds: given.times(86_400_000).round().toNumber(),
        })
      : local(given, env);
    return isError(read) ? read : of(read[name]);
  });

/** Functions on dates. A date is a value of its own here, not a number of days. */
export const dateFunctions = [
  date(
    'DATE',
    'year:number month:number day:number',
    'date',
    'The date of year, month and day; what is too many goes on into the next.',
    ([year, month, day]: [Decimal, Decimal, Decimal]) => {
      if ([year, month, day].some((one) => one.abs().greaterThan(100_000))) return noSuchDate;
      const first = DateTime.fromObject({ year: whole(year), month: 1, day: 1 }, { zone: 'utc' });
      return dateValue(first.plus({ months: whole(month) - 1 }).plus({ days: whole(day) - 1 }));
    },
  ),
  date(
    'DATEVALUE',
    'text:any order:text?',
    'date',
    'The date that a text says, as people write dates; "day first" or "month first" says how to read figures.',
    ([given, order]: [FormulaValue, string?], env) => readHere(given, env, order),
  ),
  date(
    'TIME',
    'hours:number minutes:number seconds:number',
    'number',
    'A time as a part of a day, to be added to a date.',
    ([hours, minutes, seconds]: [Decimal, Decimal, Decimal]) => {
      const total = hours.trunc().times(3600).plus(minutes.trunc().times(60)).plus(seconds.trunc());
      const part = total.dividedBy(86_400);
      return part.isNegative() ? new FormulaError('#NUM!', 'A time can’t be negative.') : part.minus(part.floor());
    },
  ),
  date('TODAY', '', 'date', 'The day on which the record was taken in.', (_: [], env) => {
    const now = nowOf(env);
    return isError(now) ? now : readHere(now, env);
  }),
  date('NOW', '', 'instant', 'The moment at which the record was taken in.', (_: [], env) => nowOf(env)),
  date('YEAR', 'date:any', 'number', 'The year of a date.', ([given]: [FormulaValue], env) => part(given, env, 'year')),
  date('MONTH', 'date:any', 'number', 'The month of a date, 1 to 12.', ([given]: [FormulaValue], env) =>
    part(given, env, 'month'),
  ),
  date('DAY', 'date:any', 'number', 'The day of a date, 1 to 31.', ([given]: [FormulaValue], env) =>
    part(given, env, 'day'),
  ),
  clock('hour', 'The hour, 0 to 23, in the workflow’s time zone.'),
  clock('minute', 'The minute, 0 to 59.'),
  clock('second', 'The second, 0 to 59.'),
  date(
    'WEEKDAY',
    'date:date kind:number?',
    'number',
    'The day of the week: 1 is Sunday; with kind 2, 1 is Monday; with kind 3, 0 is Monday.',
    ([day, kind]: [DateTime, Decimal?]) => {
      const monday = day.weekday;
      switch (kind === undefined ? 1 : whole(kind)) {
        case 1:
          return of((monday % 7) + 1);
        case 2:
          return of(monday);
        case 3:
          return of(monday - 1);
        default:
          return new FormulaError('#NUM!', 'The kind is 1, 2 or 3.');
      }
    },
  ),
  date(
    'EDATE',
    'date:date months:number',
    'date',
    'The same day so many months on; the last day where the month is shorter.',
    ([start, months]: [DateTime, Decimal]) => {
      const moved = addMonths(start, months);
      return isError(moved) ? moved : dateValue(moved);
    },
  ),
  date(
    'EOMONTH',
    'date:date months:number',
    'date',
    'The last day of the month, so many months on.',
    ([start, months]: [DateTime, Decimal]) => {
      const moved = addMonths(start.startOf('month'), months);
      return isError(moved) ? moved : dateValue(moved.endOf('month').startOf('day'));
    },
  ),
  date(
    'DAYS',
    'end:date start:date',
    'number',
    'The days from one date to another.',
    ([end, start]: [DateTime, DateTime]) => of(Math.round(end.diff(start, 'days').days)),
  ),
  date(
    'NETWORKDAYS',
    'start:date end:date holidays:list?',
    'number',
    'The working days from one date to another, both counted; Saturdays, Sundays and the holidays given don’t count.',
    ([start, end, list]: [DateTime, DateTime, FormulaValue[]?], env) => {
      const holidays = holidaySet(list, env);
      return isError(holidays) ? holidays : networkDays(start, end, holidays);
    },
  ),
  date(
    'WORKDAY',
    'start:date days:number holidays:list?',
    'date',
    'The date so many working days on.',
    ([start, days, list]: [DateTime, Decimal, FormulaValue[]?], env) => {
      const holidays = holidaySet(list, env);
      return isError(holidays) ? holidays : workday(start, days, holidays);
    },
  ),
  date(
    'SERIALDATE',
    'number:number',
    'date',
    'The date that a spreadsheet means by a number of days.',
    ([days]: [Decimal]) =>
      days.abs().greaterThan(3_000_000)
        ? noSuchDate
        : dateValue(DateTime.fromISO('1899-12-30', { zone: 'utc' }).plus({ days: days.floor().toNumber() })),
    { isExtra: true },
  ),
  date(
    'DATEIN',
    'moment:any zone:text',
    'date',
    'The day of a moment in a time zone, such as "Europe/London".',
    ([given, zone]: [FormulaValue, string]) => {
      if (!isZone(zone)) return valueError(`“${zone}” is no time zone, such as Europe/London.`);
      if (given instanceof CalendarDate) return given;
      if (!(given instanceof Instant)) return valueError(`A date with time is needed, and ${named(given)} came.`);
      return new CalendarDate(DateTime.fromISO(given.iso, { zone }).toISODate() as string);
    },
    { isExtra: true },
  ),
];

function part(given: FormulaValue, env: Evaluation, name: 'year' | 'month' | 'day'): FormulaValue {
  const read = local(given, env);
  return isError(read) ? read : of(read[name]);
}

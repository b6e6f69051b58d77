import { DateTime } from 'luxon';
import type { OpenHours } from '../../calendar/calendar.ts';
import { earlierBy, laterBy } from '../../calendar/duration.ts';
import { atLocal, dateOf, NeverOpen, nextOpen, openOn } from '../../calendar/working-time.ts';
import type { EvaluationContext } from '../../mapping/evaluation-context.ts';
import { readRef, type Scope } from '../../mapping/filling.ts';
import type { Ref } from '../../mapping/refs.ts';
import { readDate, readInstant, readSerial, usualOrder } from '../../values/dates.ts';
import { isEmpty, toText, type Value } from '../../values/value.ts';
import type { WaitUntil } from './schema.ts';

/** When a wait ends (UTC milliseconds), or the sentence why that can't be told. */
export type Due = { readonly at: number } | { readonly problem: string; readonly given?: string };

/** What is known where a wait begins. */
export interface DueContext {
  /** The instant the record was taken in, and that at which the step was reached. */
  readonly takenAt: string;
  readonly reachedAt: string;
  readonly scope: Scope;
  readonly evaluation: EvaluationContext;
  readonly hours: OpenHours;
  /** The date as a person has set it, in place of the record's. */
  readonly set?: Value;
}

/** The time of a day that is given without one. */
const usualTime = '09:00';

/** When a wait ends: pure, so that a rehearsal, a list of what is due and the run say the same. */
export function dueAt(until: WaitUntil, context: DueContext): Due {
  const { hours, evaluation } = context;
  const { zone } = evaluation;
  try {
    switch (until.kind) {
      case 'time': {
        const from = until.from === 'start' ? context.takenAt : context.reachedAt;
        return inRange(laterBy(Date.parse(from), until, hours, zone));
      }
      case 'time_of_day':
        return inRange(nextTimeOfDay(Date.parse(context.reachedAt), until, hours, zone));
      case 'date':
        return dueByDate(until, context);
    }
  } catch (error) {
    if (error instanceof NeverOpen) return { problem: error.message };
    throw error;
  }
}

/** Instants that texts and databases hold: to the year 9999. */
function inRange(at: number): Due {
  return at < Date.parse('9999-01-01') ? { at } : { problem: 'That is too far away to be counted.' };
}

function nextTimeOfDay(
  from: number,
  { at, onWorkingDays }: Extract<WaitUntil, { kind: 'time_of_day' }>,
  hours: OpenHours,
  zone: string,
): number {
  let day = from;
  if (onWorkingDays) nextOpen(from, hours, zone);
  for (;;) {
    const date = dateOf(day, zone);
    const instant = atLocal(date, at, zone);
    if (instant >= from && (!onWorkingDays || openOn(date, hours, zone).length > 0)) return instant;
    day = DateTime.fromMillis(day, { zone }).plus({ days: 1 }).toMillis();
  }
}

function dueByDate(until: Extract<WaitUntil, { kind: 'date' }>, { scope, evaluation, hours, set }: DueContext): Due {
  const { zone } = evaluation;
  if (!until.ref) return { problem: 'The field with the date isn’t chosen.' };
  const value = set ?? readRef(scope, until.ref);
  if (isEmpty(value)) return { problem: 'There is no date to wait for: the field is empty.', given: '' };
  const text = toText(value);
  const read = readMoment(text, until.ref, evaluation);
  if (read === undefined) return { problem: `“${text}” can’t be read as a date.`, given: text };
  const moved = until.side === 'before' ? earlierBy(read, until, hours, zone) : laterBy(read, until, hours, zone);
  return inRange(until.at === undefined ? moved : atLocal(dateOf(moved, zone), until.at, zone));
}

/** A date or a moment as its field is read; a date alone is the morning of that day. */
function readMoment(text: string, ref: Ref, evaluation: EvaluationContext): number | undefined {
  const { zone, country, order } = evaluation;
  const reading = ref.step === 'start' ? evaluation.readings?.[ref.path] : undefined;
  const isDay = /^\d{4}-\d{2}-\d{2}$/.test(text.trim());
  const instant = isDay ? undefined : readInstant(text, zone);
  if (instant !== undefined) return Date.parse(instant);
  const serial = reading?.serial ? readSerial(Number(text)) : undefined;
  const date = serial ?? readDateIn(text, zone, reading?.dates ?? order ?? usualOrder(country));
  return date === undefined ? undefined : atLocal(date, usualTime, zone);
}

function readDateIn(text: string, zone: string, order: 'day_first' | 'month_first'): string | undefined {
  const read = readDate(text, zone, order);
  return read.ok ? read.date : undefined;
}

import { DateTime } from 'luxon';
import { z } from 'zod';
import type { OpenHours } from './calendar.ts';
import { addOpenTime, addWorkingDays, takeOpenTime, takeWorkingDays } from './working-time.ts';

/** What waits are counted in. */
export const waitUnits = ['minutes', 'hours', 'days', 'weeks', 'working_hours', 'working_days'] as const;
export type WaitUnit = (typeof waitUnits)[number];

/** "09:00". */
export const TimeOfDaySchema = z.string().regex(/^(?:[01]\d|2[0-3]):[0-5]\d$/, 'A time of the day is like 09:00.');

export interface Duration {
  readonly amount: number;
  readonly unit: WaitUnit;
}

const ms = { minutes: 60_000, hours: 3_600_000 } as const;

const unitNames: Readonly<Record<WaitUnit, readonly [string, string]>> = {
  minutes: ['minute', 'minutes'],
  hours: ['hour', 'hours'],
  days: ['day', 'days'],
  weeks: ['week', 'weeks'],
  working_hours: ['working hour', 'working hours'],
  working_days: ['working day', 'working days'],
};

/** "2 working days". */
export const durationText = ({ amount, unit }: Duration): string =>
  `${amount} ${unitNames[unit][amount === 1 ? 0 : 1]}`;

/** What a unit is called when several are meant. */
export const unitText = (unit: WaitUnit): string => unitNames[unit][1];

/** True of what is counted by a calendar. */
export const isWorking = (unit: WaitUnit): boolean => unit === 'working_hours' || unit === 'working_days';

/** A duration as a person writes it: "2 working days"; undefined where it isn't one. */
export function readDuration(text: string): Duration | undefined {
  const [, figure = '', name = ''] = /^\s*(\d+(?:\.\d+)?)\s+([a-z]+(?:\s+[a-z]+)?)\s*$/i.exec(text) ?? [];
  const word = name.toLowerCase().replace(/\s+/g, ' ');
  const unit = waitUnits.find((one) => unitNames[one].includes(word));
  const amount = Number(figure);
  if (unit === undefined || figure === '') return undefined;
  return Number.isInteger(amount) || unit in ms || unit === 'working_hours' ? { amount, unit } : undefined;
}

/**
 * So much later than an instant (UTC milliseconds), to the minute through clock changes: days and weeks keep the
 * time of the day in `zone`, minutes and hours are as long as they are.
 *
 * @throws NeverOpen where it is counted by a calendar that never opens
 */
export function laterBy(instant: number, { amount, unit }: Duration, hours: OpenHours, zone: string): number {
  switch (unit) {
    case 'minutes':
    case 'hours':
      return instant + amount * ms[unit];
    case 'working_hours':
      return addOpenTime(instant, amount * ms.hours, hours, zone);
    case 'working_days':
      return addWorkingDays(instant, amount, hours, zone);
    case 'days':
    case 'weeks':
      return DateTime.fromMillis(instant, { zone })
        .plus({ [unit]: amount })
        .toMillis();
  }
}

/**
 * So much earlier than an instant, likewise.
 *
 * @throws NeverOpen
 */
export function earlierBy(instant: number, { amount, unit }: Duration, hours: OpenHours, zone: string): number {
  switch (unit) {
    case 'minutes':
    case 'hours':
      return instant - amount * ms[unit];
    case 'working_hours':
      return takeOpenTime(instant, amount * ms.hours, hours, zone);
    case 'working_days':
      return takeWorkingDays(instant, amount, hours, zone);
    case 'days':
    case 'weeks':
      return DateTime.fromMillis(instant, { zone })
        .minus({ [unit]: amount })
        .toMillis();
  }
}

import { setting, words } from '../../workflow/phrase.ts';
import { minutesLater } from '../clock.ts';
import type { TriggerDefinition } from '../definition.ts';
import type { EveryTrigger } from './schema.ts';

/** Every so many minutes; five where nothing else is said (common practice). */
export const every: TriggerDefinition<EveryTrigger> = {
  kind: 'every',
  make: () => ({ kind: 'every', minutes: 5 }),
  sentence: ({ minutes }) => [words('checked '), setting(everyLabel(minutes))],
  problems: () => [],
  // What is off for a while is looked at as soon as it is on again.
  firstAt: (_trigger, now) => now,
  nextAfter: ({ minutes }, instant) => minutesLater(instant, minutes),
};

/** How often, in words: "every 5 minutes", "every hour". */
export function everyLabel(minutes: number): string {
  if (minutes === 1) return 'every minute';
  if (minutes === 60) return 'every hour';
  if (minutes === 1440) return 'once a day';
  return minutes % 60 === 0 ? `every ${minutes / 60} hours` : `every ${minutes} minutes`;
}

import { setting, words } from '../../workflow/phrase.ts';
import { minutesLater } from '../clock.ts';
import type { TriggerDefinition } from '../definition.ts';
import { everyLabel } from '../every/definition.ts';
import type { EventTrigger } from './schema.ts';

/** As soon as something comes. */
export const event: TriggerDefinition<EventTrigger> = {
  kind: 'event',
  make: () => ({ kind: 'event' }),
  sentence: ({ alsoEvery }) => [
    words('looked at '),
    setting('as soon as it comes'),
    ...(alsoEvery === undefined ? [] : [words(' and '), setting(everyLabel(alsoEvery))]),
  ],
  problems: () => [],
  // What came meanwhile is looked at once.
  firstAt: (_trigger, now) => now,
  nextAfter: ({ alsoEvery }, instant) => (alsoEvery === undefined ? null : minutesLater(instant, alsoEvery)),
};

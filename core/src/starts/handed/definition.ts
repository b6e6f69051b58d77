import { setting, words } from '../../workflow/phrase.ts';
import type { TriggerDefinition } from '../definition.ts';
import type { HandedTrigger } from './schema.ts';

/** As soon as another workflow hands something over. */
export const handed: TriggerDefinition<HandedTrigger> = {
  kind: 'handed',
  isTold: true,
  make: () => ({ kind: 'handed' }),
  sentence: () => [words('taken in '), setting('as soon as it is handed over')],
  problems: () => [],
  // What was handed over meanwhile is taken in at once.
  firstAt: (_trigger, now) => now,
  nextAfter: () => null,
};

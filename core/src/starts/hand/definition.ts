import { setting, words } from '../../workflow/phrase.ts';
import type { TriggerDefinition } from '../definition.ts';
import type { HandTrigger } from './schema.ts';

/** Only by hand. */
export const hand: TriggerDefinition<HandTrigger> = {
  kind: 'hand',
  make: () => ({ kind: 'hand' }),
  sentence: () => [words('checked '), setting('by hand')],
  problems: () => [],
  firstAt: () => null,
  nextAfter: () => null,
};

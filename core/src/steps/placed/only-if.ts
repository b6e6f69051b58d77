import { asksSomething } from '../../conditions/condition.ts';
import { type Phrase, words } from '../../workflow/phrase.ts';
import { asked } from '../condition/definition.ts';
import type { Around } from '../definition.ts';
import type { PlacedStep } from '../schemas.ts';

/** Whether a step is done for some records only. */
export const asksOnlyIf = ({ onlyIf }: Pick<PlacedStep, 'onlyIf'>): boolean =>
  onlyIf !== undefined && asksSomething(onlyIf);

/** "Only for those whose company is not empty: ", where a step is done for some records only. */
export function onlyIfPhrases({ onlyIf }: PlacedStep, around: Around): Phrase[] {
  return onlyIf && asksOnlyIf({ onlyIf })
    ? [words('Only for those '), ...asked(onlyIf, around, true), words(': ')]
    : [];
}

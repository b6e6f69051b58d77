import { asksSomething } from '../../conditions/condition.ts';
import { evaluate } from '../../conditions/evaluate.ts';
import { type Phrase, words } from '../../workflow/phrase.ts';
import { asked } from '../condition/definition.ts';
import type { Around, Doing } from '../definition.ts';
import { itemsHanded } from '../hand-over/handed.ts';
import type { AnyStepResult } from '../results.ts';
import { isPlaced, type PlacedStep } from '../schemas.ts';

/** Whether a step is done for some records only. */
export const asksOnlyIf = ({ onlyIf }: Pick<PlacedStep, 'onlyIf'>): boolean =>
  onlyIf !== undefined && asksSomething(onlyIf);

/** "Only for those whose company is not empty: ", where a step is done for some records only. */
export function onlyIfPhrases({ onlyIf }: PlacedStep, around: Around): Phrase[] {
  return onlyIf && asksOnlyIf({ onlyIf })
    ? [words('Only for those '), ...asked(onlyIf, around, true), words(': ')]
    : [];
}

/** What a step comes to for a record that doesn't meet its “only if”; undefined where it is done. */
export function passedOverBy(doing: Doing): AnyStepResult | undefined {
  const { step, scope, evaluation, around } = doing;
  if (!isPlaced(step) || !step.onlyIf) return undefined;
  // Of a list that is handed over as a whole each item is judged by itself.
  if (step.kind === 'hand_over' && itemsHanded({ ...doing, step })) return undefined;
  const { isKept, why } = evaluate(step.onlyIf, scope, evaluation, around.nameOf);
  return isKept ? undefined : { kind: 'passed_over', why };
}

import { missing, setting, words } from '../../workflow/phrase.ts';
import { blocks, type ReadinessProblem, warns } from '../../workflow/problem.ts';
import type { AroundHere, StepDefinition } from '../definition.ts';
import { handsOverAlone } from '../hand-over/whole-list.ts';
import { done, needsPerson } from '../move.ts';
import { withinOf } from '../schemas.ts';
import { itemsOf, mostTurns } from '../turn.ts';
import { usesByRefs } from '../uses.ts';
import type { EachStep } from './schema.ts';

/** Holds steps that are done for every item of a list. */
export const each: StepDefinition<EachStep> = {
  kind: 'each',
  make: (id) => ({ id, kind: 'each', over: null }),
  alias: () => 'each',
  refs: (step) => (step.over ? [step.over] : []),
  gives: (step, around) => {
    const list = step.over ? around.fieldOf(step.over) : undefined;
    const fields = list?.fields ?? [{ path: '/value', label: 'value', type: 'any' as const }];
    return { fields, from: `one of ${list?.label ?? 'the list'}` };
  },
  problems,
  sentence: (step, around) => [
    words('For each of '),
    step.over ? setting(around.nameOf(step.over)) : missing('a list'),
    words(':'),
  ],
  changes: () => [],
  uses: (step, sentence) => usesByRefs(each.refs(step), sentence, 'what is done for each'),
  renamed: (step, { ref }) => ({ ...step, over: step.over && ref(step.over) }),
  over: (step) => step.over,
  enter: ({ step, scope, version }, state) => {
    const count = itemsOf(step.over, scope).length;
    // Handing them over says itself how many are too many.
    if (count <= mostTurns || handsOverAlone(version.content, step.id)) return done(state, { kind: 'each', count });
    const message = `The list has ${count} items, and at most ${mostTurns} are done for one record.`;
    return needsPerson(state, 'value', message);
  },
};

function problems(step: EachStep, around: AroundHere): ReadinessProblem[] {
  if (!step.over) return [blocks(step.id, 'Choose the list whose items it is done for.')];
  if (!around.isKnown(step.over)) return [blocks(step.id, 'The list doesn’t exist here.')];
  if (around.fieldOf(step.over)?.type !== 'list') return [blocks(step.id, 'The chosen field is not a list.')];
  const isEmpty = !around.content.steps.some((one) => withinOf(one) === step.id);
  return isEmpty ? [warns(step.id, 'There is no step inside it yet, so nothing is done for each item.')] : [];
}

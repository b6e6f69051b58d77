import { arity, type Condition, operatorLabel, testsOf } from '../../conditions/condition.ts';
import { evaluate } from '../../conditions/evaluate.ts';
import type { Ref } from '../../mapping/filling.ts';
import { missing, type Phrase, setting, words } from '../../workflow/phrase.ts';
import { blocks, type ReadinessProblem, warns } from '../../workflow/problem.ts';
import type { Around, AroundHere, StepDefinition } from '../definition.ts';
import { done, leaveOut } from '../move.ts';
import { usesByRefs } from '../uses.ts';
import type { ConditionStep } from './schema.ts';

/** Keeps the records that fit. */
export const condition: StepDefinition<ConditionStep> = {
  kind: 'condition',
  guards: true,
  comesFirst: true,
  make: (id) => ({ id, kind: 'condition', condition: { kind: 'all', items: [] } }),
  refs: (step) => testsOf(step.condition).map((test) => test.ref),
  gives: () => undefined,
  problems,
  sentence: (step, around) => {
    if (testsOf(step.condition).length === 0)
      return [words('Keep those of which '), missing('a test is met'), words('.')];
    return [words('Keep those '), ...asked(step.condition, around, true), words('.')];
  },
  changes: () => [],
  uses: (step, sentence) => usesByRefs(condition.refs(step), sentence, 'a condition'),
  renamed: (step, { ref }) => ({ ...step, condition: withRefs(step.condition, ref) }),
  enter: ({ step, scope, version, around }, state) => {
    const verdict = evaluate(step.condition, scope, version.locale, around.nameOf);
    return verdict.isKept ? done(state, { kind: 'kept', why: verdict.why }) : leaveOut(state, verdict.why);
  },
};

function problems(step: ConditionStep, around: AroundHere): ReadinessProblem[] {
  const tests = testsOf(step.condition);
  if (tests.length === 0) return [warns(step.id, 'There is no test yet, so everything is kept.')];
  return tests.flatMap((test) => {
    if (!around.isKnown(test.ref))
      return [blocks(step.id, `The field “${test.ref.path.slice(1)}” doesn’t exist here.`)];
    const isUnsaid = arity(test.operator) !== 'none' && test.values.every((value) => value.trim() === '');
    return isUnsaid ? [blocks(step.id, `Give the value to compare “${around.fieldOf(test.ref)?.label}” with.`)] : [];
  });
}

function asked(given: Condition, around: Around, isOuter: boolean): Phrase[] {
  if (given.kind === 'test') {
    const values = given.values.filter((value) => value !== '');
    return [
      words('whose '),
      setting(around.nameOf(given.ref)),
      words(` ${operatorLabel(given.operator)}`),
      ...(values.length > 0 ? [words(' '), setting(values.join(', '))] : []),
    ];
  }
  const inner = given.items
    .filter((item) => testsOf(item).length > 0)
    .flatMap((item, at) => [
      ...(at > 0 ? [words(given.kind === 'all' ? ' and ' : ' or ')] : []),
      ...asked(item, around, false),
    ]);
  return isOuter ? inner : [words('('), ...inner, words(')')];
}

function withRefs(given: Condition, ref: (one: Ref) => Ref): Condition {
  if (given.kind === 'test') return { ...given, ref: ref(given.ref) };
  return { ...given, items: given.items.map((item) => withRefs(item, ref)) };
}

import {
  arity,
  asksSomething,
  type Condition,
  formulasOf,
  mapConditionRefs,
  operatorLabel,
  refsOfCondition,
  testsOf,
} from '../../conditions/condition.ts';
import { evaluate } from '../../conditions/evaluate.ts';
import { missing, type Phrase, setting, words } from '../../workflow/phrase.ts';
import { blocks, type ReadinessProblem, warns } from '../../workflow/problem.ts';
import type { Around, AroundHere, StepDefinition } from '../definition.ts';
import { formulaIssues } from '../formula-issues.ts';
import { done, leaveOut } from '../move.ts';
import { usesByRefs } from '../uses.ts';
import type { ConditionStep } from './schema.ts';

/** Keeps the records that fit. */
export const condition: StepDefinition<ConditionStep> = {
  kind: 'condition',
  guards: true,
  comesFirst: true,
  make: (id) => ({ id, kind: 'condition', condition: { kind: 'all', items: [] } }),
  refs: (step) => refsOfCondition(step.condition),
  gives: () => undefined,
  problems,
  sentence: (step, around) => {
    if (!asksSomething(step.condition)) return [words('Keep those of which '), missing('a test is met'), words('.')];
    return [words('Keep those '), ...asked(step.condition, around, true), words('.')];
  },
  changes: () => [],
  uses: (step, sentence) => usesByRefs(condition.refs(step), sentence, 'a condition'),
  renamed: (step, { ref }) => ({ ...step, condition: mapConditionRefs(step.condition, ref) }),
  enter: ({ step, scope, evaluation, around }, state) => {
    const verdict = evaluate(step.condition, scope, evaluation, around.nameOf);
    return verdict.isKept ? done(state, { kind: 'kept', why: verdict.why }) : leaveOut(state, verdict.why);
  },
};

function problems(step: ConditionStep, around: AroundHere): ReadinessProblem[] {
  if (!asksSomething(step.condition)) return [warns(step.id, 'There is no test yet, so everything is kept.')];
  return [...conditionProblems(step.id, step.condition, around), ...unproven(step, around)];
}

/** Who wrote a mail is easily feigned: what rests on it says so, unless the workflow asks whether that was checked. */
function unproven({ id, condition }: ConditionStep, around: AroundHere): ReadinessProblem[] {
  const tested = around.content.steps.flatMap((step) =>
    step.kind === 'condition' ? refsOfCondition(step.condition).map(({ path }) => path) : [],
  );
  for (const { ref } of testsOf(condition)) {
    const field = around.fieldOf(ref);
    if (field?.provenBy === undefined || tested.includes(field.provenBy)) continue;
    const proof = around.fieldOf({ step: 'start', path: field.provenBy })?.label ?? 'it is proven';
    const said = `Anybody can write any “${field.label}” into a mail. Ask as well whether “${proof}”, where that matters.`;
    return [warns(id, said)];
  }
  return [];
}

/** What isn’t ready in a condition: fields that aren’t there, values that weren’t given, formulas that can’t be read. */
export function conditionProblems(id: string, given: Condition, around: AroundHere): ReadinessProblem[] {
  const formulas = formulasOf(given).flatMap((formula) =>
    formulaIssues(around, formula).map((issue) => blocks(id, `The formula: ${issue.message}`)),
  );
  const tests = testsOf(given).flatMap((test) => {
    if (!around.isKnown(test.ref)) return [blocks(id, `The field “${test.ref.path.slice(1)}” doesn’t exist here.`)];
    const isUnsaid = arity(test.operator) !== 'none' && test.values.every((value) => value.trim() === '');
    return isUnsaid ? [blocks(id, `Give the value to compare “${around.fieldOf(test.ref)?.label}” with.`)] : [];
  });
  return [...tests, ...formulas];
}

/** A condition in a sentence: "whose status is paid and (…)". */
export function asked(given: Condition, around: Around, isOuter: boolean): Phrase[] {
  if (given.kind === 'formula') return [words('for which '), setting(given.formula.text.trim()), words(' holds')];
  if (given.kind === 'test') {
    const options = around.fieldOf(given.ref)?.options;
    const values = given.values
      .filter((value) => value !== '')
      .map((value) => options?.find((option) => option.value === value)?.label ?? value);
    // One of one is that one.
    const alone = values.length === 1 ? ({ is_one_of: 'is', is_none_of: 'is_not' } as const) : undefined;
    const operator =
      (alone && given.operator in alone && alone[given.operator as keyof typeof alone]) || given.operator;
    return [
      words('whose '),
      setting(around.nameOf(given.ref)),
      words(` ${operatorLabel(operator)}`),
      ...(values.length > 0 ? [words(' '), setting(values.join(', '))] : []),
    ];
  }
  const inner = given.items
    .filter(asksSomething)
    .flatMap((item, at) => [
      ...(at > 0 ? [words(given.kind === 'all' ? ' and ' : ' or ')] : []),
      ...asked(item, around, false),
    ]);
  return isOuter ? inner : [words('('), ...inner, words(')')];
}

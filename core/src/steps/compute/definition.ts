import { checkFormula, staticTypeOf } from '../../formula/check.ts';
import { evaluateFormula } from '../../formula/formula.ts';
import { fieldTypeOf } from '../../formula/function.ts';
import { FormulaError, type FormulaValue, toValue } from '../../formula/values.ts';
import type { ItemState } from '../../run/state.ts';
import type { Field, FieldType } from '../../values/field.ts';
import { splitAtList } from '../../values/paths.ts';
import { formatPointer } from '../../values/pointer.ts';
import type { JsonRecord } from '../../values/value.ts';
import { changed } from '../../workflow/change.ts';
import { missing, setting, words } from '../../workflow/phrase.ts';
import { blocks, type ReadinessProblem } from '../../workflow/problem.ts';
import type { Around, AroundHere, Doing, StepDefinition } from '../definition.ts';
import { formulaIssues } from '../formula-issues.ts';
import { done, type Move, needsPerson } from '../move.ts';
import { renamedRefs, usesByRefs } from '../uses.ts';
import type { ComputeStep } from './schema.ts';

/** Works named values out, once for all later steps. */
export const compute: StepDefinition<ComputeStep> = {
  kind: 'compute',
  make: (id) => ({ id, kind: 'compute', values: [{ name: '', text: '', refs: {} }] }),
  alias: (step) => step.name ?? 'computed',
  refs: (step) => step.values.flatMap((value) => Object.values(value.refs)).filter((ref) => ref.step !== step.id),
  gives: (step, around) => ({
    fields: named(step).map((value) => fieldOf(value, around)),
    from: step.name ?? 'what is calculated',
  }),
  problems,
  sentence: (step) => {
    const values = named(step);
    if (values.length === 0) return [words('Work out '), missing('a value'), words('.')];
    return [
      words('Work out '),
      ...values.flatMap((value, at) => [
        ...(at > 0 ? [words(at === values.length - 1 ? ' and ' : ', ')] : []),
        setting(value.name),
      ]),
      words('.'),
    ];
  },
  changes: (before, after) =>
    after.values.flatMap((value) => {
      const was = before.values.find((one) => one.name === value.name);
      return was && was.text !== value.text
        ? [changed(`“${value.name}” was calculated as ${was.text}, now as ${value.text}.`)]
        : [];
    }),
  uses: (step, sentence) => usesByRefs(compute.refs(step), sentence, 'what is calculated'),
  renamed: (step, { ref }) => ({
    ...step,
    values: step.values.map((value) => ({ ...value, refs: renamedRefs(value.refs, ref) })),
  }),
  enter,
};

const named = (step: ComputeStep): ComputeStep['values'] => step.values.filter((value) => value.name.trim() !== '');

function fieldOf(value: ComputeStep['values'][number], around: Around): Field {
  const names = Object.entries(value.refs).map(([name, ref]) => {
    // What another one works out: its type isn't needed to know this one's well enough.
    const isComputed = around.content.steps.some((step) => step.id === ref.step && step.kind === 'compute');
    const field = isComputed ? undefined : around.fieldOf(ref);
    return { name, type: splitAtList(ref.path) ? ('list' as const) : staticTypeOf(field) };
  });
  const type: FieldType = fieldTypeOf(checkFormula(value.text, names).type);
  return { path: formatPointer([value.name]), label: value.name, type };
}

function problems(step: ComputeStep, around: AroundHere): ReadinessProblem[] {
  if (step.values.length === 0) return [blocks(step.id, 'Name a value and give its formula.')];
  const above = new Set<string>();
  return step.values.flatMap((value): ReadinessProblem[] => {
    const name = value.name.trim();
    if (name === '') return [blocks(step.id, 'A value has no name yet.')];
    if (above.has(name)) return [blocks(step.id, `Two values are called “${name}”.`)];
    const unknown = Object.values(value.refs).find((ref) =>
      ref.step === step.id ? !above.has(ref.path.slice(1)) : !around.isKnown(ref),
    );
    above.add(name);
    if (unknown) {
      const why =
        unknown.step === step.id ? 'a value that is calculated only after it' : 'a field that doesn’t exist here';
      return [blocks(step.id, `“${name}” uses ${why}.`)];
    }
    const [issue] = formulaIssues(around, value);
    return issue ? [blocks(step.id, `“${name}”: ${issue.message}`)] : [];
  });
}

/** Works the values out, each with those above it; a value set by hand wins. */
function enter({ step, id, scope, evaluation }: Doing<ComputeStep>, state: ItemState): Move {
  let made: JsonRecord = {};
  for (const { name, text, refs } of step.values) {
    const path = formatPointer([name]);
    const given = state.overrides[id]?.[path];
    const value = given ?? evaluateFormula({ text, refs }, { ...scope, [step.id]: made }, evaluation);
    if (value instanceof FormulaError)
      return needsPerson(state, 'value', `${name}: ${value.message}`, {
        fields: [{ path, label: name, message: value.message }],
      });
    made = { ...made, [name]: given === undefined ? toValue(value as FormulaValue) : given };
  }
  return done({ ...state, values: { ...state.values, [id]: made } }, { kind: 'computed', values: made });
}

import type { EvaluationContext, FieldOf } from '../mapping/evaluation-context.ts';
import { refNamed } from '../mapping/refs.ts';
import type { Field } from '../values/field.ts';
import { currencyFor } from '../values/money.ts';
import { readPath } from '../values/paths.ts';
import type { JsonRecord, Value } from '../values/value.ts';
import { type Compiled, compile, mostWork } from './evaluate.ts';
import { parseFormula } from './syntax.ts';
import { FormulaError, type FormulaValue, fromValue } from './values.ts';

/** Which field a name in a formula stands for. */
export interface NameBinding {
  readonly step: string;
  readonly path: string;
}

/** A stored formula with what its names stand for. */
export interface BoundFormula {
  readonly text: string;
  readonly refs: Readonly<Record<string, NameBinding>>;
}

type Scope = Readonly<Record<string, JsonRecord>>;

const compiled = new Map<string, Compiled>();
const mostCompiled = 2000;

function compiledOf(text: string): Compiled {
  const known = compiled.get(text);
  if (known) return known;
  const { expression, issues } = parseFormula(text);
  const broken = new FormulaError('#VALUE!', issues[0]?.message ?? 'The formula can’t be read.');
  const made = expression ? compile(expression) : () => broken;
  if (compiled.size >= mostCompiled) compiled.clear();
  compiled.set(text, made);
  return made;
}

/** What a formula gives for one record. Never throws, always ends; an error is a value. */
export function evaluateFormula(formula: BoundFormula, scope: Scope, around: EvaluationContext): FormulaValue {
  const read = (name: string): FormulaValue => {
    const ref = refNamed(formula.refs, name) ?? refNamed(formula.refs, name.toLowerCase());
    if (!ref) return new FormulaError('#NAME?', `There is no field “${name}” here.`);
    return readField(scope, ref, around.fieldOf);
  };
  return compiledOf(formula.text)({ around: withReading(formula, around), read, work: { left: mostWork } });
}

/** The reading that a person fixed for the fields a formula reads: dates and numbers in it are read that way. */
function withReading(formula: BoundFormula, around: EvaluationContext): EvaluationContext {
  if (!around.readings) return around;
  for (const ref of Object.values(formula.refs)) {
    const reading = ref.step === 'start' ? around.readings[ref.path] : undefined;
    if (reading) return { ...around, order: reading.dates ?? around.order, decimal: reading.decimal ?? around.decimal };
  }
  return around;
}

function readField(scope: Scope, ref: NameBinding, fieldOf: FieldOf | undefined): FormulaValue {
  const record = scope[ref.step];
  if (!record) return null;
  const field: Field | undefined = fieldOf?.(ref);
  const value: Value | undefined = readPath(record, ref.path);
  return fromValue(value, field, field?.type === 'money' ? currencyFor(field, record) : '');
}

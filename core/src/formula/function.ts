import type { EvaluationContext } from '../mapping/evaluation-context.ts';
import type { FieldType } from '../values/field.ts';
import type { FormulaValue } from './values.ts';

/** The types that are known before a formula runs. `any` is what only the record can tell. */
export type StaticType =
  | 'any'
  | 'text'
  | 'number'
  | 'money'
  | 'boolean'
  | 'date'
  | 'instant'
  | 'list'
  | 'record'
  | 'nothing';

/** The field type of a formula's result. */
export function fieldTypeOf(type: StaticType): FieldType {
  if (type === 'number') return 'decimal';
  return type === 'nothing' ? 'any' : type;
}

/** What a parameter takes. `raw` takes anything, lists included, and errors only where it says so. */
export type ParameterType = 'text' | 'number' | 'quantity' | 'boolean' | 'date' | 'any' | 'raw' | 'list';

export interface Parameter {
  readonly name: string;
  readonly type: ParameterType;
  readonly isOptional?: boolean;
}

/** What an evaluation has at hand; `work` bounds it. */
export interface Evaluation {
  readonly around: EvaluationContext;
  readonly read: (name: string) => FormulaValue;
  readonly work: { left: number };
}

export type Thunk = () => FormulaValue;

/** A function of the language: pure, total, and known to checker and editor by the same entry. */
export interface FormulaFunction {
  readonly name: string;
  readonly group: 'text' | 'logic' | 'number' | 'date' | 'list' | 'pattern' | 'table' | 'business';
  readonly parameters: readonly Parameter[];
  /** So many of the last parameters may come again and again. */
  readonly repeats?: number;
  readonly returns: StaticType | ((args: readonly StaticType[]) => StaticType);
  readonly summary: string;
  /** Not in OpenFormula. */
  readonly isExtra?: boolean;
  /** Takes error values as what they are, instead of handing them on. */
  readonly takesErrors?: boolean;
  /** Looks at its arguments only when it needs them. */
  readonly lazy?: (args: readonly Thunk[], env: Evaluation) => FormulaValue;
  readonly run?: (args: readonly never[], env: Evaluation) => FormulaValue;
}

/** How a function is called: `ROUND(number; [digits])`. */
export function signatureOf(fn: FormulaFunction, separator = ';'): string {
  const shown = fn.parameters.map(({ name, isOptional }) => (isOptional ? `[${name}]` : name));
  return `${fn.name}(${shown.join(`${separator} `)}${fn.repeats ? `${separator} …` : ''})`;
}

/** Fewest and most arguments; most is undefined without a limit. */
export function argumentCounts(fn: FormulaFunction): { least: number; most: number | undefined } {
  const least = fn.parameters.filter((one) => !one.isOptional).length;
  return { least, most: fn.repeats ? undefined : fn.parameters.length };
}

/** The parameter that the argument at this place is for. */
export function parameterAt(fn: FormulaFunction, at: number): Parameter | undefined {
  const { parameters, repeats = 0 } = fn;
  if (at < parameters.length || repeats === 0) return parameters[at];
  return parameters[parameters.length - repeats + ((at - parameters.length) % repeats)];
}

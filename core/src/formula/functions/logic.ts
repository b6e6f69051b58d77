import type { Evaluation, FormulaFunction, StaticType, Thunk } from '../function.ts';
import { compare } from '../operators.ts';
import {
  asBoolean,
  type FormulaValue,
  flatten,
  isError,
  isNumber,
  Money,
  notAvailable,
  valueError,
} from '../values.ts';
import { definer, parameters } from './define.ts';

const logic = definer('logic');

const lazyLogic = (
  name: string,
  line: string,
  returns: FormulaFunction['returns'],
  summary: string,
  lazy: (args: readonly Thunk[], env: Evaluation) => FormulaValue,
  rest: Partial<FormulaFunction> = {},
): FormulaFunction => ({ name, group: 'logic', parameters: parameters(line), returns, summary, lazy, ...rest });

/** The one type that all branches have, or `any`. */
export function commonType(types: readonly StaticType[]): StaticType {
  const known = [...new Set(types.filter((type) => type !== 'nothing'))];
  if (known.length === 2 && known.includes('money') && known.includes('number')) return 'money';
  return known.length === 1 ? (known[0] as StaticType) : known.length === 0 ? 'nothing' : 'any';
}

const conditionals: FormulaFunction[] = [
  lazyLogic(
    'IF',
    'condition:boolean then:raw otherwise:raw?',
    (types) => commonType(types.slice(1)),
    'One value when the condition holds, else another.',
    ([condition, yes, no]) => {
      const holds = asBoolean(condition?.() ?? null);
      if (isError(holds)) return holds;
      if (holds) return yes ? yes() : true;
      return no ? no() : false;
    },
  ),
  lazyLogic(
    'IFS',
    'condition:boolean value:raw',
    (types) => commonType(types.filter((_, at) => at % 2 === 1)),
    'The value after the first condition that holds.',
    (args) => {
      for (let at = 0; at + 1 < args.length; at += 2) {
        const holds = asBoolean(args[at]?.() ?? null);
        if (isError(holds)) return holds;
        if (holds) return args[at + 1]?.() ?? null;
      }
      return notAvailable('None of the conditions holds.');
    },
    { repeats: 2, isExtra: true },
  ),
  lazyLogic(
    'SWITCH',
    'value:any case:any result:raw',
    (types) =>
      commonType(
        types.slice(1).filter((_, at, all) => at % 2 === 1 || (at === all.length - 1 && all.length % 2 === 1)),
      ),
    'The result beside the case that the value is; the last one, alone, for all others.',
    (args) => {
      const value = args[0]?.() ?? null;
      if (isError(value)) return value;
      let at = 1;
      for (; at + 1 < args.length; at += 2) {
        const one = args[at]?.() ?? null;
        if (isError(one)) return one;
        if (compare('=', value, one) === true) return args[at + 1]?.() ?? null;
      }
      return at < args.length ? (args[at]?.() ?? null) : notAvailable('The value is none of the cases.');
    },
    { repeats: 2, isExtra: true },
  ),
  lazyLogic(
    'IFERROR',
    'value:raw otherwise:raw',
    commonType,
    'The value, or another when it is an error.',
    ([value, otherwise]) => {
      const result = value?.() ?? null;
      return isError(result) ? (otherwise?.() ?? null) : result;
    },
  ),
  lazyLogic(
    'IFEMPTY',
    'value:raw otherwise:raw',
    commonType,
    'The value, or another when it is empty or only spaces.',
    ([value, otherwise]) => {
      const result = value?.() ?? null;
      const isNothing = result === null || (typeof result === 'string' && result.trim() === '');
      return isNothing || (Array.isArray(result) && result.length === 0) ? (otherwise?.() ?? null) : result;
    },
    { isExtra: true },
  ),
  lazyLogic(
    'IFNA',
    'value:raw otherwise:raw',
    commonType,
    'The value, or another when none is available.',
    ([value, otherwise]) => {
      const result = value?.() ?? null;
      return isError(result) && result.code === '#N/A' ? (otherwise?.() ?? null) : result;
    },
  ),
];

function all(lists: FormulaValue[][], combine: (values: boolean[]) => boolean): FormulaValue {
  const values: boolean[] = [];
  for (const item of lists.flat()) {
    const one = asBoolean(item);
    if (isError(one)) return one;
    values.push(one);
  }
  return values.length === 0 ? valueError('There is nothing to judge.') : combine(values);
}

/** Logical functions. */
export const logicFunctions = [
  ...conditionals,
  logic(
    'AND',
    'condition:list',
    'boolean',
    'Whether all conditions hold.',
    (lists: FormulaValue[][]) => all(lists, (values) => values.every(Boolean)),
    { repeats: 1 },
  ),
  logic(
    'OR',
    'condition:list',
    'boolean',
    'Whether at least one condition holds.',
    (lists: FormulaValue[][]) => all(lists, (values) => values.some(Boolean)),
    { repeats: 1 },
  ),
  logic('NOT', 'condition:boolean', 'boolean', 'Yes when the condition doesn’t hold.', ([one]: [boolean]) => !one),
  logic('TRUE', '', 'boolean', 'Yes.', () => true),
  logic('FALSE', '', 'boolean', 'No.', () => false),
  logic('NA', '', 'any', 'An error that says: no value is available.', () =>
    notAvailable('The formula says that no value is available.'),
  ),
  logic(
    'ISBLANK',
    'value:raw',
    'boolean',
    'Whether the record has nothing there.',
    ([value]: [FormulaValue]) => value === null || (Array.isArray(value) && value.length === 0),
    { takesErrors: true },
  ),
  logic(
    'ISNUMBER',
    'value:raw',
    'boolean',
    'Whether it is a number or an amount.',
    ([value]: [FormulaValue]) => isNumber(value) || value instanceof Money,
    { takesErrors: true },
  ),
  logic(
    'ISTEXT',
    'value:raw',
    'boolean',
    'Whether it is a text.',
    ([value]: [FormulaValue]) => typeof value === 'string',
    { takesErrors: true },
  ),
  logic(
    'ISERROR',
    'value:raw',
    'boolean',
    'Whether it is an error.',
    ([value]: [FormulaValue]) => flatten(value).some(isError),
    { takesErrors: true },
  ),
];

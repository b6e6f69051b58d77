import {
  argumentCounts,
  type Evaluation,
  type FormulaFunction,
  type Parameter,
  parameterAt,
  signatureOf,
} from './function.ts';
import { functionNamed } from './functions/index.ts';
import { apply, arithmetic, longestText, negate, tooMuch } from './operators.ts';
import type { Expression } from './syntax.ts';
import {
  asBoolean,
  asDate,
  asNumber,
  asQuantity,
  asText,
  Decimal,
  FormulaError,
  type FormulaValue,
  flatten,
  isError,
  isList,
  isNumber,
  valueError,
} from './values.ts';

/** Operations after which a formula is given up: no formula on a business record comes near. */
export const mostWork = 200_000;
/** Items that a list may have while computing. */
export const longestList = 20_000;

/** A formula ready to run again and again. */
export type Compiled = (env: Evaluation) => FormulaValue;

/** Makes a function of an expression. Running it never throws and always ends. */
export function compile(expression: Expression): Compiled {
  const inner = compileNode(expression);
  return (env) => {
    try {
      const result = inner(env);
      // One bad item spoils a list that comes out: nobody should have to look for it there.
      return (isList(result) && firstError(result)) || result;
    } catch (error) {
      // Numbers beyond what decimals hold are the one thing that the library tells by throwing.
      if (error instanceof Error && error.message.includes('[DecimalError]'))
        return new FormulaError('#NUM!', 'The number is too large or has no value.');
      throw error;
    }
  };
}

function compileNode(expression: Expression): Compiled {
  switch (expression.kind) {
    case 'number': {
      const value = new Decimal(expression.text);
      return () => value;
    }
    case 'text': {
      const { text } = expression;
      return () => text;
    }
    case 'error': {
      const error = new FormulaError('#N/A', `The formula says ${expression.code} itself.`);
      return () => error;
    }
    case 'missing':
      return () => null;
    case 'name': {
      const { name } = expression;
      if (/^true$/i.test(name)) return () => true;
      if (/^false$/i.test(name)) return () => false;
      return (env) => env.read(name);
    }
    case 'list': {
      const items = expression.items.map(compileNode);
      return (env) => items.map((item) => item(env));
    }
    case 'prefix': {
      const of = compileNode(expression.of);
      const { operator } = expression;
      return (env) => itemwise(of(env), (value) => (operator === '-' ? negate(value) : value));
    }
    case 'percent': {
      const of = compileNode(expression.of);
      const hundred = new Decimal(100);
      return (env) => itemwise(of(env), (value) => arithmetic('/', value, hundred));
    }
    case 'binary':
      return compileBinary(expression);
    case 'call':
      return compileCall(expression);
  }
}

function compileBinary({ operator, left, right }: Extract<Expression, { kind: 'binary' }>): Compiled {
  const [one, other] = [compileNode(left), compileNode(right)];
  return (env) => {
    if (--env.work.left < 0) return tooMuch;
    const [a, b] = [one(env), other(env)];
    if (!isList(a) && !isList(b)) return apply(operator, a, b, env);
    return pairwise(a, b, (x, y) => (--env.work.left < 0 ? tooMuch : apply(operator, x, y, env)));
  };
}

function itemwise(value: FormulaValue, change: (value: FormulaValue) => FormulaValue): FormulaValue {
  return isList(value) ? value.map((item) => itemwise(item, change)) : change(value);
}

/** Two lists item by item, or a list with one value again and again. */
function pairwise(
  a: FormulaValue,
  b: FormulaValue,
  join: (a: FormulaValue, b: FormulaValue) => FormulaValue,
): FormulaValue {
  if (isList(a) && isList(b)) {
    if (a.length !== b.length) return valueError(`One list has ${a.length} items and the other ${b.length}.`);
    return a.map((item, at) => pairwise(item, b[at] ?? null, join));
  }
  if (isList(a)) return a.map((item) => pairwise(item, b, join));
  if (isList(b)) return b.map((item) => pairwise(a, item, join));
  return join(a, b);
}

function compileCall(call: Extract<Expression, { kind: 'call' }>): Compiled {
  const fn = functionNamed(call.name);
  const args = call.args.map(compileNode);
  if (!fn) {
    const error = new FormulaError('#NAME?', `There is no function ${call.name}.`);
    return () => error;
  }
  const { least, most } = argumentCounts(fn);
  if (args.length < least || (most !== undefined && args.length > most)) {
    const error = valueError(`${fn.name} is called as ${signatureOf(fn)}.`);
    return () => error;
  }
  if (fn.lazy) {
    const { lazy } = fn;
    return (env) => {
      if (--env.work.left < 0) return tooMuch;
      return lazy(
        args.map((arg) => () => arg(env)),
        env,
      );
    };
  }
  const parameters = args.map((_, at) => parameterAt(fn, at));
  return (env) => {
    if (--env.work.left < 0) return tooMuch;
    const values = args.map((arg) => arg(env));
    return callWith(fn, parameters, values, env);
  };
}

/** Calls with what came; a list where one value is wanted makes a list of results. */
function callWith(
  fn: FormulaFunction,
  parameters: readonly (Parameter | undefined)[],
  values: readonly FormulaValue[],
  env: Evaluation,
): FormulaValue {
  const isSpread = values.map((value, at) => isList(value) && !takesList(parameters[at]));
  if (isSpread.includes(true)) return callItemwise(fn, parameters, values, isSpread, env);
  const fitted: unknown[] = [];
  for (const [at, value] of values.entries()) {
    const error = fn.takesErrors ? undefined : firstError(value);
    if (error) return error;
    const made = fit(value, parameters[at], env);
    if (made instanceof FormulaError && !fn.takesErrors) return made;
    fitted.push(made);
  }
  return bounded(fn.run?.(fitted as never[], env) ?? null);
}

function callItemwise(
  fn: FormulaFunction,
  parameters: readonly (Parameter | undefined)[],
  values: readonly FormulaValue[],
  isSpread: readonly boolean[],
  env: Evaluation,
): FormulaValue {
  const lists = values.filter((value, at): value is readonly FormulaValue[] => isSpread[at] === true && isList(value));
  const length = lists[0]?.length ?? 0;
  env.work.left -= length;
  if (env.work.left < 0) return tooMuch;
  if (lists.some((list) => list.length !== length)) return valueError('The lists have different lengths.');
  return Array.from({ length }, (_, item) =>
    callWith(
      fn,
      parameters,
      values.map((value, at) => (isSpread[at] && isList(value) ? (value[item] ?? null) : value)),
      env,
    ),
  );
}

function firstError(value: FormulaValue): FormulaError | undefined {
  if (isError(value)) return value;
  return isList(value) ? flatten(value).find(isError) : undefined;
}

/** A result within the bounds, or the error that says it isn't. */
function bounded(result: FormulaValue): FormulaValue {
  if (typeof result === 'string' && result.length > longestText) return tooMuch;
  if (isList(result) && result.length > longestList) return tooMuch;
  if (isNumber(result) && !result.isFinite())
    return new FormulaError('#NUM!', 'The number is too large or has no value.');
  return result;
}

const takesList = (parameter: Parameter | undefined): boolean =>
  parameter?.type === 'list' || parameter?.type === 'raw';

function fit(value: FormulaValue, parameter: Parameter | undefined, env: Evaluation): unknown {
  // An optional argument that was left out stays away; the function knows its default.
  if (value === null && parameter?.isOptional) return undefined;
  switch (parameter?.type) {
    case 'text':
      return asText(value);
    case 'number':
      return asNumber(value);
    case 'quantity':
      return asQuantity(value);
    case 'boolean':
      return asBoolean(value);
    case 'date':
      return asDate(value, env.around);
    case 'list':
      return flatten(value);
    default:
      return value;
  }
}

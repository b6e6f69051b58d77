import type { Field, FieldType } from '../values/field.ts';
import { argumentCounts, type FormulaFunction, parameterAt, type StaticType, signatureOf } from './function.ts';
import { formulaFunctions, functionNamed } from './functions/index.ts';
import { patternProblem } from './functions/patterns.ts';
import { nearest } from './nearest.ts';
import { type Expression, type FormulaIssue, parseFormula, quoteName, type Span } from './syntax.ts';
import { isPlainNumber } from './values.ts';

/** What a name stands for, as far as it is known before a record comes. */
export interface KnownName {
  readonly name: string;
  readonly type: StaticType;
}

export interface CheckedFormula {
  /** The type of what it gives. */
  readonly type: StaticType;
  readonly issues: readonly FormulaIssue[];
}

/** The type that a field's values have in formulas. */
export function staticTypeOf(field: Pick<Field, 'type'> | undefined): StaticType {
  return field ? staticTypes[field.type] : 'any';
}

const staticTypes: Readonly<Record<FieldType, StaticType>> = {
  text: 'text',
  integer: 'number',
  decimal: 'number',
  money: 'money',
  boolean: 'boolean',
  date: 'date',
  instant: 'instant',
  choice: 'text',
  email: 'text',
  phone: 'text',
  url: 'text',
  country: 'text',
  id: 'any',
  record: 'record',
  list: 'list',
  any: 'any',
};

interface Checking {
  readonly names: ReadonlyMap<string, StaticType>;
  readonly tables: readonly string[] | undefined;
  readonly issues: FormulaIssue[];
}

/**
 * Checks a stored formula against the names that are known where it stands: unknown fields and
 * functions, wrong counts and types of arguments, each where it stands.
 */
export function checkFormula(text: string, known: readonly KnownName[], tables?: readonly string[]): CheckedFormula {
  const parsed = parseFormula(text);
  if (!parsed.expression) return { type: 'any', issues: parsed.issues };
  const checking: Checking = {
    names: new Map(known.map((one) => [one.name.toLowerCase(), one.type])),
    tables,
    issues: [],
  };
  const type = typeOf(parsed.expression, checking, known);
  if (type === 'record') report(checking, parsed.expression, 'A whole record comes out. Choose one of its fields.');
  return { type, issues: checking.issues };
}

function report(checking: Checking, { from, to }: Span, message: string, suggestion?: string): void {
  checking.issues.push({ from, to, severity: 'error', message, ...(suggestion && { suggestion }) });
}

function typeOf(expression: Expression, checking: Checking, known: readonly KnownName[]): StaticType {
  switch (expression.kind) {
    case 'number':
      return 'number';
    case 'text':
      return 'text';
    case 'error':
      return 'any';
    case 'missing':
      return 'nothing';
    case 'name':
      return typeOfName(expression, checking, known);
    case 'list':
      for (const item of expression.items) typeOf(item, checking, known);
      return 'list';
    case 'prefix':
    case 'percent': {
      const type = typeOf(expression.of, checking, known);
      wantNumber(expression.of, type, checking);
      return type === 'list' || type === 'money' ? type : 'number';
    }
    case 'binary':
      return typeOfBinary(expression, checking, known);
    case 'call':
      return typeOfCall(expression, checking, known);
  }
}

function typeOfName(
  expression: Extract<Expression, { kind: 'name' }>,
  checking: Checking,
  known: readonly KnownName[],
): StaticType {
  const { name } = expression;
  if (/^(true|false)$/i.test(name)) return 'boolean';
  const type = checking.names.get(name.toLowerCase());
  if (type) return type;
  const near = nearest(
    name,
    known.map((one) => one.name),
  );
  const meant = near && quoteName(near);
  report(
    checking,
    expression,
    meant ? `There is no field “${name}” here. Did you mean ${meant}?` : `There is no field “${name}” here.`,
    meant,
  );
  return 'any';
}

function wantNumber(expression: Expression, type: StaticType, checking: Checking): void {
  if (type === 'date' || type === 'instant') report(checking, expression, 'A number is needed here, not a date.');
  if (type === 'record') report(checking, expression, 'A number is needed here, not a whole record.');
  if (expression.kind === 'text' && !isPlainNumber(expression.text))
    report(checking, expression, `A number is needed here; “${expression.text}” is not one.`);
}

const isCalendar = (type: StaticType): boolean => type === 'date' || type === 'instant';

function typeOfBinary(
  expression: Extract<Expression, { kind: 'binary' }>,
  checking: Checking,
  known: readonly KnownName[],
): StaticType {
  const { operator, left, right } = expression;
  const [one, other] = [typeOf(left, checking, known), typeOf(right, checking, known)];
  if (one === 'record')
    report(checking, left, 'A whole record can’t be used in a calculation. Choose one of its fields.');
  if (other === 'record')
    report(checking, right, 'A whole record can’t be used in a calculation. Choose one of its fields.');
  const isList = one === 'list' || other === 'list';
  switch (operator) {
    case '&':
      return isList ? 'list' : 'text';
    case '+':
    case '-':
      if (isCalendar(one) || isCalendar(other)) return calendarType(expression, one, other, checking);
      break;
    case '*':
    case '/':
    case '^':
      break;
    default:
      return isList ? 'list' : 'boolean';
  }
  wantNumber(left, one, checking);
  wantNumber(right, other, checking);
  if (isList) return 'list';
  if (one === 'money' && other === 'money') {
    if (operator === '*') report(checking, expression, 'Two amounts of money can’t be multiplied.');
    return operator === '/' ? 'number' : 'money';
  }
  return one === 'money' || (other === 'money' && operator !== '/') ? 'money' : 'number';
}

function calendarType(
  expression: Extract<Expression, { kind: 'binary' }>,
  one: StaticType,
  other: StaticType,
  checking: Checking,
): StaticType {
  const { operator, left, right } = expression;
  if (isCalendar(one) && isCalendar(other)) {
    if (operator === '-') return 'number';
    report(checking, expression, 'Two dates can’t be added. Add a number of days to a date.');
    return 'any';
  }
  if (isCalendar(other) && operator === '-') report(checking, expression, 'A date can’t be subtracted from a number.');
  const [days, type] = isCalendar(one) ? [right, other] : [left, one];
  wantNumber(days, type, checking);
  if (type === 'list') return 'list';
  const calendar = isCalendar(one) ? one : other;
  // A part of a day, as TIME gives it, makes a moment of a date.
  return days.kind === 'number' || calendar === 'instant' ? calendar : 'any';
}

function typeOfCall(
  call: Extract<Expression, { kind: 'call' }>,
  checking: Checking,
  known: readonly KnownName[],
): StaticType {
  const types = call.args.map((arg) => typeOf(arg, checking, known));
  const fn = functionNamed(call.name);
  if (!fn) {
    const near = nearest(
      call.name,
      formulaFunctions.map((one) => one.name),
    );
    const question = near ? ` Did you mean ${near}?` : '';
    report(checking, call.at, `There is no function ${call.name}.${question}`, near);
    return 'any';
  }
  checkCount(fn, call, checking);
  let isItemwise = false;
  for (const [at, arg] of call.args.entries()) {
    const type = types[at] as StaticType;
    const wanted = parameterAt(fn, at)?.type;
    if (wanted === undefined) continue;
    if (type === 'list' && wanted !== 'list' && wanted !== 'raw' && !fn.lazy) isItemwise = true;
    else checkArgument(fn, at, arg, type, checking);
  }
  checkLiterals(call, checking);
  const result = typeof fn.returns === 'function' ? fn.returns(types) : fn.returns;
  return isItemwise ? 'list' : result;
}

function checkCount(fn: FormulaFunction, call: Extract<Expression, { kind: 'call' }>, checking: Checking): void {
  const { least, most } = argumentCounts(fn);
  const count = call.args.length;
  if (count >= least && (most === undefined || count <= most)) return;
  const wanted = most === undefined ? `at least ${least}` : least === most ? `${least}` : `${least} to ${most}`;
  report(
    checking,
    call.at,
    `${fn.name} takes ${wanted} ${wanted === '1' ? 'argument' : 'arguments'}, not ${count}: ${signatureOf(fn)}.`,
  );
}

function checkArgument(fn: FormulaFunction, at: number, arg: Expression, type: StaticType, checking: Checking): void {
  const parameter = parameterAt(fn, at);
  if (
    arg.kind === 'missing' &&
    parameter &&
    !parameter.isOptional &&
    parameter.type !== 'raw' &&
    parameter.type !== 'any'
  )
    report(
      checking,
      { from: Math.max(0, arg.from - 1), to: arg.to + 1 },
      `${fn.name} needs its ${parameter.name} here.`,
    );
  switch (parameter?.type) {
    case 'number':
    case 'quantity':
      wantNumber(arg, type, checking);
      return;
    case 'date':
      if (type === 'number' || type === 'money' || type === 'boolean')
        report(
          checking,
          arg,
          `${fn.name} needs a date here, not a number. SERIALDATE makes a date of a number of days.`,
        );
      if (arg.kind === 'text' && !/^\d{4}-\d{2}-\d{2}$/.test(arg.text.trim()))
        report(checking, arg, `${fn.name} needs a date here. DATEVALUE reads dates as people write them.`);
      return;
    case 'text':
      if (type === 'record') report(checking, arg, `${fn.name} needs a text here, not a whole record.`);
      return;
    case 'boolean':
      if (isCalendar(type) || type === 'record' || (arg.kind === 'text' && !/^(true|false)$/i.test(arg.text)))
        report(checking, arg, `${fn.name} needs a condition here, something that is true or false.`);
      return;
    default:
      return;
  }
}

/** What literal arguments give away before any record comes: patterns and names of tables. */
function checkLiterals(call: Extract<Expression, { kind: 'call' }>, checking: Checking): void {
  const second = call.args[1];
  if (second?.kind !== 'text') return;
  if (call.name.startsWith('REGEX.')) {
    const problem = patternProblem(second.text);
    if (problem) report(checking, second, problem);
  }
  if (call.name === 'FROM.TABLE' && checking.tables) {
    const isThere = checking.tables.some((name) => name.toLowerCase() === second.text.trim().toLowerCase());
    const near = nearest(second.text, checking.tables);
    if (!isThere)
      report(
        checking,
        second,
        `This workflow has no table “${second.text}”.${near ? ` Did you mean “${near}”?` : ''}`,
        near && `"${near}"`,
      );
  }
}

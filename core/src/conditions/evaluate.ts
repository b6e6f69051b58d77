import Decimal from 'decimal.js';
import { evaluateFormula } from '../formula/formula.ts';
import { FormulaError, toValue } from '../formula/values.ts';
import type { EvaluationContext } from '../mapping/evaluation-context.ts';
import { type Ref, readRef, type Scope } from '../mapping/filling.ts';
import type { Locale } from '../values/coerce.ts';
import { readDate, usualOrder } from '../values/dates.ts';
import { pointerLabel } from '../values/pointer.ts';
import { foldCase } from '../values/text.ts';
import { isEmpty, toText, type Value } from '../values/value.ts';
import { asksSomething, type Condition, type FormulaTest, operatorLabel, type Test } from './condition.ts';

/** Whether a record is kept, and the sentence that says why. */
export interface Verdict {
  readonly isKept: boolean;
  readonly why: string;
}

/** How a field is called in sentences. */
export type NameOf = (ref: Ref) => string;

const plainName: NameOf = (ref) => pointerLabel(ref.path);

/**
 * Decides a condition for one record. Text is compared ignoring case and outer white space (common
 * practice). An empty group keeps everything: an incomplete draft never blocks. A value that can't
 * be compared (a word where a number is asked for) doesn't meet the test, and the reason says so.
 */
export function evaluate(
  condition: Condition,
  scope: Scope,
  locale: EvaluationContext,
  nameOf: NameOf = plainName,
): Verdict {
  if (condition.kind === 'formula') return evaluateTestFormula(condition, scope, locale);
  if (condition.kind === 'test') {
    if (condition.isOff) return { isKept: true, why: 'no test' };
    return evaluateTest(condition, scope, locale, nameOf);
  }
  const asked = condition.items.filter(asksSomething);
  if (asked.length === 0) return { isKept: true, why: 'no test' };
  const verdicts = asked.map((item) => evaluate(item, scope, locale, nameOf));
  const isKept = condition.kind === 'all' ? verdicts.every((one) => one.isKept) : verdicts.some((one) => one.isKept);
  const telling = verdicts.filter((one) => one.isKept === isKept);
  const said = condition.kind === 'any' && isKept ? telling.slice(0, 1) : telling;
  return { isKept, why: said.map((one) => one.why).join(' and ') };
}

/** A formula's verdict; what is neither yes nor no, and an error, doesn't meet it, and the reason says so. */
function evaluateTestFormula({ formula }: FormulaTest, scope: Scope, around: EvaluationContext): Verdict {
  if (formula.text.trim() === '') return { isKept: true, why: 'no test' };
  const result = evaluateFormula(formula, scope, around);
  if (result instanceof FormulaError) return { isKept: false, why: `the formula can’t be told: ${result.message}` };
  const value = toValue(result);
  if (typeof value === 'boolean')
    return { isKept: value, why: value ? 'the formula holds' : 'the formula doesn’t hold' };
  return { isKept: false, why: `the formula gives “${shorten(toText(value))}”, which is neither yes nor no` };
}

function evaluateTest(test: Test, scope: Scope, locale: Locale, nameOf: NameOf): Verdict {
  const value = readRef(scope, test.ref);
  const name = nameOf(test.ref);
  const shown = isEmpty(value) ? 'empty' : `“${shorten(toText(value))}”`;
  if (test.operator === 'is_empty') return { isKept: isEmpty(value), why: `${name} is ${shown}` };
  if (test.operator === 'is_not_empty') return { isKept: !isEmpty(value), why: `${name} is ${shown}` };
  if (test.values.every((wanted) => wanted.trim() === '') && !['is_yes', 'is_no'].includes(test.operator)) {
    return { isKept: true, why: `no test of ${name}` };
  }
  const isMet = meets(value, test, locale);
  if (isMet === undefined) return { isKept: false, why: `${name} is ${shown}, which can’t be compared` };
  const asked = [operatorLabel(test.operator), test.values.join(', ')].filter(Boolean).join(' ');
  return { isKept: isMet, why: isMet ? `${name} is ${shown}` : `${name} is ${shown}; it must be: ${asked}` };
}

const shorten = (text: string): string => (text.length > 40 ? `${text.slice(0, 39)}…` : text);

/** Whether the value meets the test; undefined when it can't be compared. */
function meets(value: Value, test: Test, locale: Locale): boolean | undefined {
  const wanted = test.values;
  switch (test.operator) {
    case 'is_yes':
    case 'is_no': {
      const text = foldCase(toText(value).trim());
      if (!['true', 'false', 'yes', 'no', '1', '0'].includes(text)) return undefined;
      return ['true', 'yes', '1'].includes(text) === (test.operator === 'is_yes');
    }
    case 'equals':
    case 'differs':
    case 'less':
    case 'at_most':
    case 'more':
    case 'at_least':
      return compareNumbers(value, wanted[0] ?? '', test.operator);
    case 'on':
    case 'before':
    case 'after':
      return compareDates(value, wanted[0] ?? '', test.operator, locale);
    default:
      return compareTexts(value, wanted, test.operator);
  }
}

function compareTexts(value: Value, wanted: readonly string[], operator: Test['operator']): boolean {
  const fold = (text: string): string => foldCase(text.trim());
  const texts = (Array.isArray(value) ? value : [value]).map((one) => fold(toText(one)));
  const values = wanted.map(fold).filter((one) => one !== '');
  const first = values[0] ?? '';
  const some = (check: (text: string) => boolean): boolean => texts.some(check);
  switch (operator) {
    case 'is':
      return some((text) => text === first);
    case 'is_not':
      return !some((text) => text === first);
    case 'contains':
      return some((text) => text.includes(first));
    case 'contains_not':
      return !some((text) => text.includes(first));
    case 'starts_with':
      return some((text) => text.startsWith(first));
    case 'ends_with':
      return some((text) => text.endsWith(first));
    case 'is_one_of':
      return some((text) => values.includes(text));
    default:
      return !some((text) => values.includes(text));
  }
}

function compareNumbers(value: Value, wanted: string, operator: Test['operator']): boolean | undefined {
  const [left, right] = [readNumber(toText(value)), readNumber(wanted)];
  if (!left || !right) return undefined;
  const order = left.comparedTo(right);
  switch (operator) {
    case 'equals':
      return order === 0;
    case 'differs':
      return order !== 0;
    case 'less':
      return order < 0;
    case 'at_most':
      return order <= 0;
    case 'more':
      return order > 0;
    default:
      return order >= 0;
  }
}

function readNumber(text: string): Decimal | undefined {
  try {
    return text.trim() === '' ? undefined : new Decimal(text.trim());
  } catch {
    return undefined;
  }
}

function compareDates(value: Value, wanted: string, operator: Test['operator'], locale: Locale): boolean | undefined {
  const order = usualOrder(locale.country);
  const [left, right] = [readDate(toText(value), locale.zone, order), readDate(wanted, locale.zone, order)];
  if (!left.ok || !right.ok) return undefined;
  if (operator === 'on') return left.date === right.date;
  return operator === 'before' ? left.date < right.date : left.date > right.date;
}

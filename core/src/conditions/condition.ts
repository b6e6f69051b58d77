import { z } from 'zod';
import { type Formula, FormulaSchema, type Ref, RefSchema } from '../mapping/filling.ts';
import type { FieldType } from '../values/field.ts';

/** What a test asks of a field. */
export const operators = [
  'is',
  'is_not',
  'contains',
  'contains_not',
  'starts_with',
  'ends_with',
  'is_one_of',
  'is_none_of',
  'is_empty',
  'is_not_empty',
  'equals',
  'differs',
  'less',
  'at_most',
  'more',
  'at_least',
  'on',
  'before',
  'after',
  'is_yes',
  'is_no',
] as const;
export type Operator = (typeof operators)[number];

export const TestSchema = z.object({
  kind: z.literal('test'),
  ref: RefSchema,
  operator: z.enum(operators),
  /** What the field is compared with; a list for "one of". */
  values: z.array(z.string()),
  /** Left aside without being thrown away. */
  isOff: z.boolean().optional(),
});
export type Test = z.infer<typeof TestSchema>;

export interface Group {
  kind: 'all' | 'any';
  items: Condition[];
}

/** A formula that holds or doesn't. */
export const FormulaTestSchema = z.object({ kind: z.literal('formula'), formula: FormulaSchema });
export type FormulaTest = z.infer<typeof FormulaTestSchema>;

/** What a record must meet: one test, a formula, or a group of which all or any must hold. */
export type Condition = Test | FormulaTest | Group;

const GroupSchema: z.ZodType<Group> = z.object({
  kind: z.enum(['all', 'any']),
  get items() {
    return z.array(ConditionSchema);
  },
});
export const ConditionSchema: z.ZodType<Condition> = z.union([TestSchema, FormulaTestSchema, GroupSchema]);

const words: Record<Operator, string> = {
  is: 'is',
  is_not: 'is not',
  contains: 'contains',
  contains_not: 'does not contain',
  starts_with: 'starts with',
  ends_with: 'ends with',
  is_one_of: 'is one of',
  is_none_of: 'is none of',
  is_empty: 'is empty',
  is_not_empty: 'is not empty',
  equals: 'equals',
  differs: 'differs from',
  less: 'is less than',
  at_most: 'is at most',
  more: 'is more than',
  at_least: 'is at least',
  on: 'is on',
  before: 'is before',
  after: 'is after',
  is_yes: 'is yes',
  is_no: 'is no',
};

/** The operator as it stands in a sentence: "is one of". */
export function operatorLabel(operator: Operator): string {
  return words[operator];
}

const forText: Operator[] = [
  'is',
  'is_not',
  'contains',
  'contains_not',
  'starts_with',
  'ends_with',
  'is_one_of',
  'is_none_of',
  'is_empty',
  'is_not_empty',
];
const forNumbers: Operator[] = ['equals', 'differs', 'less', 'at_most', 'more', 'at_least', 'is_empty', 'is_not_empty'];
const forDates: Operator[] = ['on', 'before', 'after', 'is_empty', 'is_not_empty'];

/** The operators that fit a field's type, the usual ones first. */
export function operatorsFor(type: FieldType): Operator[] {
  if (type === 'integer' || type === 'decimal') return forNumbers;
  if (type === 'date' || type === 'instant') return forDates;
  if (type === 'boolean') return ['is_yes', 'is_no', 'is_empty', 'is_not_empty'];
  if (type === 'record') return ['is_empty', 'is_not_empty'];
  if (type === 'choice' || type === 'country')
    return ['is_one_of', 'is_none_of', ...forText.filter((one) => !one.endsWith('_of'))];
  return forText;
}

/** How many values an operator wants: none, one, or a list. */
export function arity(operator: Operator): 'none' | 'one' | 'list' {
  if (operator === 'is_empty' || operator === 'is_not_empty' || operator === 'is_yes' || operator === 'is_no')
    return 'none';
  return operator === 'is_one_of' || operator === 'is_none_of' ? 'list' : 'one';
}

/** Every test inside a condition, save those that are switched off. */
export function testsOf(condition: Condition): Test[] {
  if (condition.kind === 'test') return condition.isOff ? [] : [condition];
  return condition.kind === 'formula' ? [] : condition.items.flatMap(testsOf);
}

/** Every formula inside a condition that says something. */
export function formulasOf(condition: Condition): Formula[] {
  if (condition.kind === 'test') return [];
  if (condition.kind === 'formula') return condition.formula.text.trim() === '' ? [] : [condition.formula];
  return condition.items.flatMap(formulasOf);
}

/** Whether a condition asks anything. */
export const asksSomething = (condition: Condition): boolean =>
  testsOf(condition).length > 0 || formulasOf(condition).length > 0;

/** The fields that a condition reads. */
export const refsOfCondition = (condition: Condition): Ref[] => [
  ...testsOf(condition).map((test) => test.ref),
  ...formulasOf(condition).flatMap((formula) => Object.values(formula.refs)),
];

/** A condition with each of its references replaced. */
export function mapConditionRefs(condition: Condition, change: (ref: Ref) => Ref): Condition {
  switch (condition.kind) {
    case 'test':
      return { ...condition, ref: change(condition.ref) };
    case 'formula': {
      const refs = Object.entries(condition.formula.refs).map(([name, ref]) => [name, change(ref)] as const);
      return { ...condition, formula: { ...condition.formula, refs: Object.fromEntries(refs) } };
    }
    default:
      return { ...condition, items: condition.items.map((item) => mapConditionRefs(item, change)) };
  }
}

import { z } from 'zod';
import { RefSchema } from '../mapping/filling.ts';
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

/** What a record must meet: one test, or a group of which all or any must hold. */
export type Condition = Test | Group;

const GroupSchema: z.ZodType<Group> = z.object({
  kind: z.enum(['all', 'any']),
  get items() {
    return z.array(ConditionSchema);
  },
});
export const ConditionSchema: z.ZodType<Condition> = z.union([TestSchema, GroupSchema]);

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
  return condition.items.flatMap(testsOf);
}

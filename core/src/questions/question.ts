import { z } from 'zod';
import { coerce, type Locale } from '../values/coerce.ts';
import type { Field } from '../values/field.ts';
import { formatPointer } from '../values/pointer.ts';
import { textLength } from '../values/text.ts';
import { isEmpty, type JsonRecord, type Value } from '../values/value.ts';

// What a person is asked: by a form, by a step, or when they begin a workflow by hand. Each answer is a typed field.

/** The kinds of question. */
export const questionTypes = [
  'text',
  'long_text',
  'choice',
  'choices',
  'integer',
  'decimal',
  'date',
  'boolean',
  'email',
  'phone',
  'file',
] as const;
export type QuestionType = (typeof questionTypes)[number];

/** One question. */
export const QuestionSchema = z.object({
  /** Under which its answer stands in the record, so that other words for the question leave it where it is; the label when absent. */
  key: z
    .string()
    .min(1)
    .max(60)
    .regex(/^[\w-]+$/)
    .optional(),
  label: z.string().trim().min(1, 'Each question needs a name.').max(200),
  type: z.enum(questionTypes),
  options: z.array(z.string().trim().min(1).max(120)).max(100).optional(),
  isRequired: z.boolean(),
  /** What helps to answer it. */
  help: z.string().max(500).optional(),
});
export type Question = z.infer<typeof QuestionSchema>;

const folded = (text: string): string => text.trim().toLowerCase();

/** The questions of one form. */
export const QuestionsSchema = z
  .array(QuestionSchema)
  .max(60)
  .refine(
    (questions) => new Set(questions.map(({ label }) => folded(label))).size === questions.length,
    'Two questions have the same name. Give each its own.',
  )
  .refine(
    (questions) => new Set(questions.map(keyOf)).size === questions.length,
    'Two questions keep their answers in the same place. Remove one of them.',
  );

/** The name under which an answer stands in the record. */
export const keyOf = ({ key, label }: Pick<Question, 'key' | 'label'>): string => key ?? label;

/** A key that no question has yet. */
export function newQuestionKey(questions: readonly Pick<Question, 'key' | 'label'>[]): string {
  const known = new Set(questions.map(keyOf));
  for (let number = questions.length + 1; ; number++) if (!known.has(`q${number}`)) return `q${number}`;
}

/** The fields that an answer becomes: one, or for a file its address and its name. */
export function fieldsOfQuestion(question: Question): Field[] {
  const { label, type, options = [], isRequired } = question;
  const key = keyOf(question);
  const path = formatPointer([key]);
  const said = { path, label, ...(isRequired && { required: true }) };
  const offered = options.map((value) => ({ value, label: value }));
  switch (type) {
    case 'long_text':
      return [{ ...said, type: 'text', isLong: true }];
    case 'choice':
      return [{ ...said, type, options: offered }];
    case 'choices':
      return [{ ...said, type: 'list', options: offered }];
    case 'file':
      return [
        { ...said, path: formatPointer([key, 'link']), label: `${label} (link)`, type: 'url' },
        { ...said, path: formatPointer([key, 'name']), label: `${label} (name)`, type: 'text' },
      ];
    default:
      return [{ ...said, type }];
  }
}

/** What keeps an answer from being taken, beside its question. */
export interface AnswerProblem {
  readonly key: string;
  readonly label: string;
  readonly message: string;
}

/** Answers as a record, or what is wrong with each of them. */
export type ReadAnswers =
  | { readonly ok: true; readonly record: JsonRecord }
  | { readonly ok: false; readonly problems: readonly AnswerProblem[] };

const longest: Partial<Record<QuestionType, number>> = { text: 1000, long_text: 10_000 };

/**
 * Reads what a person has answered: each answer as its field has it (ISO 8601 dates, decimals with a point), null where
 * nothing was said, and false where a yes was asked for and isn't there.
 *
 * @param given - by each question's key; a file as a record of its name and link
 */
export function readAnswers(
  questions: readonly Question[],
  given: Readonly<Record<string, Value | undefined>>,
  locale: Locale,
): ReadAnswers {
  const record: Record<string, Value> = {};
  const problems: AnswerProblem[] = [];
  for (const question of questions) {
    const key = keyOf(question);
    const value = Object.hasOwn(given, key) ? given[key] : undefined;
    const read = readAnswer(question, value, locale);
    if (read.ok) record[key] = read.value;
    else problems.push({ key, label: question.label, message: read.message });
  }
  return problems.length > 0 ? { ok: false, problems } : { ok: true, record };
}

function readAnswer(
  question: Question,
  given: Value | undefined,
  locale: Locale,
): { readonly ok: true; readonly value: Value } | { readonly ok: false; readonly message: string } {
  const { type, options = [], isRequired } = question;
  const value = typeof given === 'string' ? given.trim() : given;
  if (type === 'boolean' && isEmpty(value))
    return isRequired ? { ok: false, message: 'This has to be answered with yes.' } : { ok: true, value: false };
  if (isEmpty(value)) return isRequired ? { ok: false, message: 'This is missing.' } : { ok: true, value: null };
  const said = value as Value;
  if (type === 'choices') {
    const chosen = [...new Set((Array.isArray(said) ? said : [said]).map(String))];
    const strange = chosen.find((one) => !options.includes(one));
    return strange === undefined
      ? { ok: true, value: options.filter((one) => chosen.includes(one)) }
      : { ok: false, message: `“${strange}” isn’t offered.` };
  }
  if (type === 'choice' && !options.includes(String(said)))
    return { ok: false, message: `“${String(said)}” isn’t offered.` };
  if (type === 'file') return { ok: true, value: said };
  const [field] = fieldsOfQuestion(question) as [Field];
  const fitted = coerce(said, { ...field, required: undefined }, locale);
  if (!fitted.ok) return fitted;
  if (type === 'boolean' && isRequired && fitted.value !== true)
    return { ok: false, message: 'This has to be answered with yes.' };
  const most = longest[type];
  if (most !== undefined && typeof fitted.value === 'string' && textLength(fitted.value) > most)
    return { ok: false, message: `At most ${most.toLocaleString('en-GB')} characters fit.` };
  return { ok: true, value: fitted.value };
}

import { type Field, formatPointer, type JsonRecord } from '@golden/core';
import { z } from 'zod';
import { NotPossible } from '../engine/errors.ts';

/** One thing that somebody who begins by hand is asked for. */
export const AskSchema = z.object({
  label: z.string().trim().min(1, 'Each question needs a name.').max(60),
  type: z.enum(['text', 'decimal', 'date', 'boolean', 'choice']),
  options: z.array(z.string().trim().min(1).max(80)).max(50).optional(),
  isRequired: z.boolean(),
});
export type Ask = z.infer<typeof AskSchema>;

export const AsksSchema = z
  .array(AskSchema)
  .max(30)
  .refine(
    (asks) => new Set(asks.map(({ label }) => label.toLowerCase())).size === asks.length,
    'Two questions have the same name. Give each its own.',
  );

/** The field that an answer becomes. */
export const fieldOfAsk = ({ label, type, options, isRequired }: Ask): Field => ({
  path: formatPointer([label]),
  label,
  type,
  ...(isRequired && { required: true }),
  ...(type === 'choice' && options && { options: options.map((value) => ({ value, label: value })) }),
});

/**
 * The answers of somebody who begins by hand, as a record.
 * @throws NotPossible where one is missing, or is none that was offered
 */
export function recordOfAnswers(asks: readonly Ask[], answers: Readonly<Record<string, unknown>>): JsonRecord {
  const record: Record<string, string | boolean | null> = {};
  for (const { label, type, options, isRequired } of asks) {
    const given = answers[label];
    const isEmpty = given === undefined || given === null || given === '';
    if (isEmpty && isRequired) throw new NotPossible(`“${label}” is missing.`);
    if (type === 'boolean') record[label] = given === true;
    else if (isEmpty) record[label] = null;
    else {
      if (type === 'choice' && !(options ?? []).includes(String(given)))
        throw new NotPossible(`“${String(given)}” isn’t offered for “${label}”.`);
      record[label] = String(given).slice(0, 10_000);
    }
  }
  return record;
}

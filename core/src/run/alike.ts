import { z } from 'zod';
import type { UnsettledResult } from '../steps/results.ts';
import { plainStepId } from '../steps/turn.ts';
import type { Value } from '../values/value.ts';
import type { FieldProblem } from './outcome.ts';
import type { Decision } from './state.ts';

/**
 * What cases have in common that one answer settles, as a text: the cause, the sentence, and the fields that
 * are asked about.
 */
export const alikeAs = (step: string, { cause, fields }: UnsettledResult): string =>
  JSON.stringify([plainStepId(step), cause, fields.map(({ path }) => path).sort()]);

/** One answer for many cases that are alike. */
export const ManyAnswerSchema = z.discriminatedUnion('kind', [
  /** Each field gets this text; "" leaves it empty. */
  z.object({ kind: z.literal('set'), values: z.record(z.string(), z.string()) }),
  /** Each field keeps what stands there, or gets what the source has. */
  z.object({ kind: z.literal('whose'), whose: z.enum(['source', 'there']) }),
  z.object({ kind: z.literal('new') }),
  z.object({ kind: z.literal('remove') }),
  z.object({ kind: z.literal('retry') }),
  z.object({ kind: z.literal('dismiss'), reason: z.string().min(1, 'Say why they are dismissed.').max(500) }),
]);
export type ManyAnswer = z.infer<typeof ManyAnswerSchema>;

/** What a field of one case would be after an answer. */
export const afterAnswer = (answer: ManyAnswer, { path, given, there }: FieldProblem): Value => {
  if (answer.kind === 'set') return answer.values[path] ?? '';
  return (answer.kind === 'whose' && answer.whose === 'there' ? there : given) ?? null;
};

/** What an answer means for one of the cases, whose step and result these are. */
export function decisionFor(answer: ManyAnswer, step: string, { fields }: UnsettledResult): Decision {
  switch (answer.kind) {
    case 'set':
    case 'whose':
      return {
        kind: 'set',
        step,
        values: Object.fromEntries(fields.map((field) => [field.path, afterAnswer(answer, field)])),
      };
    case 'new':
    case 'remove':
      return { kind: answer.kind, step };
    default:
      return answer;
  }
}

import { z } from 'zod';
import { waitUnits } from '../../calendar/duration.ts';
import { TextPartSchema } from '../../mapping/filling.ts';
import { QuestionsSchema } from '../../questions/question.ts';
import { IdSchema } from '../../values/id.ts';
import type { Pointer } from '../../values/pointer.ts';
import type { Value } from '../../values/value.ts';
import { anyStep } from '../common.ts';
import type { ShownWrite } from './shown.ts';

const TimeSchema = z.object({ amount: z.number().min(1).max(10_000), unit: z.enum(waitUnits) });

/** What a person is asked for: their yes to a write, or answers. */
export const AskWhatSchema = z.discriminatedUnion('kind', [
  z.object({ kind: z.literal('approval'), write: IdSchema.nullable() }),
  z.object({ kind: z.literal('questions'), questions: QuestionsSchema }),
]);

/** What happens when nobody has answered in time; none of it is a yes. */
export const silences = ['reminds', 'goes_on', 'leaves_out'] as const;
export type Silence = (typeof silences)[number];

/** Asks a person before the steps after it are done. */
export const AskStepSchema = z.object({
  ...anyStep,
  kind: z.literal('ask'),
  what: AskWhatSchema,
  /** What is said to whoever is asked. */
  words: z.array(TextPartSchema).max(200),
  /** Their addresses, with commas between them. Whoever opens the product can answer in any case. */
  to: z.array(TextPartSchema).max(60),
  /** The mail connection by which they are asked; nobody is written to where there is none. */
  through: IdSchema.nullable(),
  /** How long they have. */
  by: TimeSchema,
  /** When they are reminded before that. */
  remind: TimeSchema.optional(),
  silence: z.enum(silences),
  /** What becomes of a record that was refused: it goes no further when absent. */
  refusal: z.enum(['leaves_out', 'goes_on']).optional(),
  /** A code sent beside the link is asked for in any case; only for money and mails to many when absent. */
  alwaysCode: z.boolean().optional(),
  calendar: IdSchema.optional(),
});
export type AskStep = z.infer<typeof AskStepSchema>;

/** What a person has said. */
export type AskVerdict =
  | {
      readonly kind: 'yes';
      /** What they saw. */
      readonly shown: ShownWrite;
      /** What they have changed of it, as the destination's fields have it. */
      readonly changes: Readonly<Record<Pointer, Value>>;
    }
  | { readonly kind: 'no'; readonly reason: string }
  | { readonly kind: 'answers'; readonly answers: Readonly<Record<string, Value>> };

/** A yes, to exactly this. */
export interface ApprovedResult {
  readonly kind: 'approved';
  readonly who: string;
  readonly shown: ShownWrite;
  readonly changes: Readonly<Record<Pointer, Value>>;
}

/** Questions that were answered; the answers stand among the item's values. */
export interface AnsweredResult {
  readonly kind: 'answered';
  readonly who: string;
}

/** In a rehearsal nobody is asked: what is asked about goes on as after a yes, and examples stand for answers. */
export interface WouldAskResult {
  readonly kind: 'would_ask';
  readonly what: 'approval' | 'questions';
}

/** A no, or no answer: what was asked about isn't done. */
export interface DeniedResult {
  readonly kind: 'denied';
  readonly why: string;
}

/** There was nothing to ask about. */
export interface NotAskedResult {
  readonly kind: 'not_asked';
  readonly why: string;
}

import type { Question } from '../../questions/question.ts';
import type { ShownWrite } from './shown.ts';

/** What a person is asked about one record: plain data, kept as they see it. */
export interface Asked {
  /** The step that asks. */
  readonly step: string;
  /** What is said to them. */
  readonly words: string;
  readonly to: readonly string[];
  /** The mail connection by which they are asked. */
  readonly through: string | null;
  /** When they are reminded, before their time is over (UTC, ISO 8601). */
  readonly remindAt?: string;
  /** True where a link alone isn't enough: a code is sent beside it. */
  readonly needsCode: boolean;
  /** Why it is asked once more. */
  readonly again?: string;
  /** True where nobody had answered the first time. */
  readonly isReminder?: boolean;
  readonly what:
    | { readonly kind: 'approval'; readonly shown: ShownWrite }
    | { readonly kind: 'questions'; readonly questions: readonly Question[] };
}

/** From so many recipients on, a yes to mails needs a code beside the link. */
export const manyMails = 10;

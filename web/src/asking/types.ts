import type { Api } from '@golden/server/api';

/** One record that somebody is asked about. */
export type AskRow = Api['GET /api/workflows/:id/asks/:step']['response']['rows'][number];

/** Answers as they are sent. */
export type AnswerBody = Api['POST /api/asks']['body'];

/** What tables and cards of what is asked have in common. */
export interface AnswerProps {
  readonly rows: readonly AskRow[];
  /** What is wrong with what was sent, by record and field. */
  readonly problems: Readonly<Record<string, Readonly<Record<string, string>>>>;
  readonly isBusy: boolean;
  /** Where each record is asked about in words of its own. */
  readonly showsWords: boolean;
  readonly onAnswer: (answers: AnswerBody['answers']) => void;
}

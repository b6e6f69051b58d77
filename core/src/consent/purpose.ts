/**
 * What a message is for. An unsubscribe stops news, never what somebody waits for: an order, an invoice, an answer.
 * Common practice, and the law in many countries.
 */
export const purposes = ['service', 'news'] as const;
export type Purpose = (typeof purposes)[number];

/** A message as it is judged before it leaves. */
export interface MessageMark {
  readonly purpose: Purpose;
  /** To whom it goes, each as `contactKey` gives it. */
  readonly to: readonly string[];
  /** The address at which its recipient unsubscribes; for news. */
  readonly unsubscribe?: string;
}

/** What stands before the link at the end of news, where a workflow doesn't say it otherwise. */
export const unsubscribeWords = 'If you don’t want mails like this any more';

/** The same at the end of a text message, where a link would cost more than the message: its recipient answers. */
export const answerStopWords = 'Answer STOP to get no more of these.';

/** The longest that this may be. */
export const longestUnsubscribeWords = 200;

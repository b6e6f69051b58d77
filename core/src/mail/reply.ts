import type { MailKind } from './kind-of-mail.ts';

/** The headers that put an answer into the thread of the mail it answers. */
export interface ThreadHeaders {
  readonly inReplyTo: string;
  /** Message-IDs with spaces between them. */
  readonly references: string;
  readonly subject: string;
}

/** The mail that is answered, as far as its thread goes. Message-IDs are in angle brackets. */
export interface Answered {
  readonly messageId: string;
  readonly references?: string | undefined;
  readonly inReplyTo?: string | undefined;
  readonly subject: string;
}

/** Message-IDs that are carried along: a thread of years needs no more. */
const mostReferences = 30;

/**
 * How an answer is put into its thread: RFC 5322 section 3.6.4 (References is the parent's, else its In-Reply-To where that
 * names one mail, and then the parent's own Message-ID) and 3.6.5 ("Re: " once).
 */
export function threadOf({ messageId, references, inReplyTo, subject }: Answered): ThreadHeaders {
  const before = messageIds(references ?? '');
  const only = messageIds(inReplyTo ?? '');
  const parents = before.length > 0 ? before : only.length === 1 ? only : [];
  const all = [...new Set([...parents, ...(messageId === '' ? [] : [messageId])])];
  // The first one names the thread and is kept; so are the last.
  const kept = all.length > mostReferences ? [all[0] as string, ...all.slice(1 - mostReferences)] : all;
  return { inReplyTo: messageId, references: kept.join(' '), subject: replySubject(subject) };
}

/** The subject of an answer: the same, with one "Re: " before it whatever the other program calls that. */
export function replySubject(subject: string): string {
  const bare = subject.replace(/^(?:\s*(?:re|aw|antw|sv|rép|ref|rif|r|odp)(?:\[\d+\])?\s*[:：]\s*)+/iu, '').trim();
  return bare === '' ? 'Re:' : `Re: ${bare}`;
}

/** All Message-IDs of a header, in their order (RFC 5322 section 3.6.4). */
export const messageIds = (text: string): string[] => text.match(/<[^<>\s]+>/g) ?? [];

/** The mail that a thread began with: the first that is referred to, else the mail itself. */
export const threadRoot = ({ messageId, references, inReplyTo }: Omit<Answered, 'subject'>): string =>
  messageIds(references ?? '')[0] ?? messageIds(inReplyTo ?? '')[0] ?? messageId;

/** Why a mail isn't answered by a program, in a sentence; undefined where it may be (RFC 3834 section 2). */
export function whyNotAnswered(kind: MailKind): string | undefined {
  if (kind === 'bounce') return 'It says that a mail couldn’t be delivered. Such mails are never answered.';
  if (kind === 'automatic') return 'A program wrote it. Automatic mails are never answered by a workflow.';
  return kind === 'list' ? 'It came over a mailing list. Lists are never answered by a workflow.' : undefined;
}

import type { TextMail } from './mails.ts';

// The mails by which people are asked something: plain text, so that every mail program shows them alike.

/** What a mail asks somebody. */
export interface AskToTell {
  /** The business's name; '' where none is set. */
  readonly business: string;
  readonly workflow: string;
  readonly kind: 'approval' | 'questions';
  /** What was written for whoever is asked. */
  readonly words: string;
  /** The first of what it is about. */
  readonly titles: readonly string[];
  readonly count: number;
  /** Until when they have time, as they read it. */
  readonly until: string;
  readonly link: string;
  readonly isReminder: boolean;
  /** Why it is asked once more. */
  readonly again?: string;
}

/** The mail that asks. */
export function askMail(asked: AskToTell): TextMail {
  const { business, workflow, kind, words, titles, count, until, link, isReminder, again } = asked;
  const [first = ''] = titles;
  const about = count === 1 ? first : `${first} and ${count - 1} more`;
  const subject = `${isReminder ? 'Reminder: ' : ''}${kind === 'approval' ? 'Please approve' : 'A question about'} ${about}`;
  const rest = count - titles.length;
  const lines = [
    ...(words === '' ? [] : [words, '']),
    ...(again === undefined ? [] : [`You are asked once more. ${again}`, '']),
    kind === 'approval' ? `To approve, in “${workflow}”:` : `In “${workflow}” an answer is needed for:`,
    ...titles.map((title) => `- ${title}`),
    ...(rest > 0 ? [`- and ${rest.toLocaleString('en-GB')} more`] : []),
    '',
    'See it and answer here:',
    link,
    '',
    `This link is for you alone, until ${until}. Each answer counts once. Not answering never counts as a yes.`,
    ...(business === '' ? [] : ['', business]),
  ];
  return { subject: subject.replace(/\s+/g, ' ').slice(0, 200), text: `${lines.join('\n')}\n` };
}

/** The mail with a code that is typed beside a link. */
export const codeMail = (business: string, code: string): TextMail => ({
  subject: `Your code is ${code}`,
  text: `Your code is ${code}\n\nType it on the page that asked for it, within 15 minutes. Nobody will ask you for it otherwise.\n${business === '' ? '' : `\n${business}\n`}`,
});

import {
  hopsHeader,
  type JsonRecord,
  mailKinds,
  messageIds,
  replySubject,
  squeezeSpaces,
  threadOf,
  toText,
  whyNotAnswered,
} from '@golden/core';
import type { FileToAttach } from '../app.ts';
import { Refused } from '../errors.ts';
import { type NamedFile, namedFiles } from './attached-files.ts';
import { pictureProblems, withPictures } from './pictures.ts';

/** A mail that is to be sent, as a workflow has filled it in. */
export interface Outgoing {
  readonly from: string;
  readonly to: readonly string[];
  readonly cc: readonly string[];
  readonly bcc: readonly string[];
  readonly replyTo: string;
  readonly subject: string;
  readonly text: string;
  readonly isFormatted: boolean;
  /** The files that go along. */
  readonly attachments: readonly NamedFile[];
  readonly inReplyTo: string;
  readonly references: string;
  /** Who or what wrote the mail that is answered, as the workflow says; '' where it doesn't. */
  readonly answeredKind: string;
}

/** One address as mails bear it (RFC 5321 section 4.1.2, in what is in use): something, an @, a name with a dot. */
const addressLike = /^[^\s@<>()",;:\\[\]]+@[^\s@<>()",;:\\[\]]+\.[^\s@<>()",;:\\[\].]+$/u;

/** True for one address alone, without a name before it. */
export const isMailAddress = (text: string): boolean => addressLike.test(text);

/**
 * Reads what a workflow has filled in.
 * @throws Refused for what can't be sent, naming the field
 */
export function readOutgoing(values: JsonRecord, senders: readonly string[], isAnswer: boolean): Outgoing {
  const text = (name: string): string => toText(values[name]).trim();
  const problems: { path: string; label: string; message: string; given: string }[] = [];
  const addresses = (name: string, label: string): string[] => {
    const all = text(name)
      .split(/[,;\n]/)
      .map((one) => one.trim())
      .filter((one) => one !== '');
    for (const one of all)
      if (!isMailAddress(bareAddress(one)))
        problems.push({ path: `/${name}`, label, message: `“${one}” is no e-mail address.`, given: one });
    return all;
  };
  const from = text('from') || senders[0] || '';
  if (!senders.some((one) => bareAddress(one) === bareAddress(from)))
    problems.push({
      path: '/from',
      label: 'from',
      message: `${from} isn’t one of this connection’s senders.`,
      given: from,
    });
  const to = addresses('to', 'to');
  const cc = addresses('cc', 'copies to');
  const bcc = addresses('bcc', 'hidden copies to');
  if (to.length === 0) problems.push({ path: '/to', label: 'to', message: 'Nobody to send it to.', given: '' });
  const subject = squeezeSpaces(text('subject'));
  const body = toText(values['text']).replace(/\r\n?/g, '\n');
  if (body.trim() === '') problems.push({ path: '/text', label: 'text', message: 'The text is empty.', given: '' });
  const [messageId = ''] = messageIds(text('message_id'));
  if (isAnswer && messageId === '')
    problems.push({
      path: '/message_id',
      label: 'message id',
      message: 'It isn’t said which mail is answered.',
      given: '',
    });
  const isFormatted = text('format') === 'simple';
  const attachments = namedFiles(text);
  if (isFormatted)
    for (const { name, message } of pictureProblems(body, attachments))
      problems.push({ path: '/text', label: 'text', message, given: name });
  if (problems.length > 0) throw new Refused(problems.map(({ message }) => message).join(' '), problems);
  const written = senders.find((one) => bareAddress(one) === bareAddress(from)) ?? from;
  return {
    from: from.includes('<') ? from : written,
    to,
    cc,
    bcc,
    replyTo: text('reply_to'),
    subject: isAnswer ? replySubject(subject) : subject,
    text: body,
    isFormatted,
    attachments,
    inReplyTo: isAnswer ? messageId : '',
    references: isAnswer ? text('references') : '',
    answeredKind: isAnswer ? text('kind') : '',
  };
}

/**
 * An answer in the thread of the mail it answers, as that lies in the mailbox; where it lies elsewhere, as the workflow
 * tells of it.
 * @throws Refused where a program, a list or a mail server wrote it (RFC 3834 section 2), and where nobody can tell
 */
export function inThread(mail: Outgoing, inMailbox: JsonRecord | undefined): Outgoing {
  if (mail.inReplyTo === '') return mail;
  const answered = inMailbox ?? { kind: mail.answeredKind, references: mail.references };
  const of = (name: string): string => toText(answered[name]);
  const kind = mailKinds.find((one) => one === of('kind'));
  if (!kind)
    throw new Refused(
      'The mail that is answered isn’t in this mailbox, and nothing says whether a person wrote it. Fill in “written by” with that field of the mail.',
    );
  const why = whyNotAnswered(kind);
  if (why) throw new Refused(why);
  const { inReplyTo, references } = threadOf({
    messageId: mail.inReplyTo,
    references: of('references'),
    inReplyTo: of('in_reply_to'),
    subject: mail.subject,
  });
  return { ...mail, inReplyTo, references };
}

/** The address alone, of "Ada <ada@clay.example>". */
export const bareAddress = (text: string): string => (/<([^<>]+)>\s*$/.exec(text)?.[1] ?? text).trim().toLowerCase();

/** The Message-ID of a mail: its write's token at the sender's own domain (RFC 5322 section 3.6.4). */
export const messageIdFor = (token: string, from: string): string =>
  `<${token}@${bareAddress(from).split('@')[1] ?? 'localhost'}>`;

/** The mail as it goes over the line. Both kinds of text go along where it is formatted. */
export async function compose(
  mail: Outgoing,
  token: string,
  {
    hops,
    files = [],
    unsubscribe,
  }: {
    readonly hops?: number | undefined;
    readonly files?: readonly FileToAttach[];
    /** Where its recipient unsubscribes, for news. */
    readonly unsubscribe?: string | undefined;
  },
): Promise<Buffer> {
  const { default: MailComposer } = await import('nodemailer/lib/mail-composer');
  const { text, pictures } = mail.isFormatted
    ? withPictures(mail.text, files, token)
    : { text: mail.text, pictures: new Map() };
  const options = {
    from: mail.from,
    to: [...mail.to],
    cc: [...mail.cc],
    ...(mail.replyTo !== '' && { replyTo: mail.replyTo }),
    subject: mail.subject,
    text: mail.isFormatted ? plainOf(text) : text,
    ...(mail.isFormatted && { html: await htmlOf(text) }),
    messageId: messageIdFor(token, mail.from),
    attachments: files.map(({ name, type, content }) => ({
      filename: name,
      contentType: type,
      content: Buffer.from(content),
      ...(pictures.has(name) && { cid: pictures.get(name), contentDisposition: 'inline' as const }),
    })),
    ...(mail.inReplyTo !== '' && { inReplyTo: mail.inReplyTo, references: mail.references }),
    // A program wrote it: other programs mustn't answer (RFC 3834 section 5), nor tell of holidays.
    headers: {
      'Auto-Submitted': mail.inReplyTo === '' ? 'auto-generated' : 'auto-replied',
      ...(hops !== undefined && { [headerName(hopsHeader)]: String(hops) }),
      ...unsubscribeHeaders(unsubscribe),
    },
  };
  return new Promise((resolve, reject) => {
    new MailComposer(options).compile().build((error, raw) => (error ? reject(error) : resolve(raw)));
  });
}

/**
 * By which mail programs offer a button of their own (RFC 2369 section 3.2, RFC 8058 section 3.1). One click works by
 * https only; an address of this machine is no use to them.
 */
function unsubscribeHeaders(link: string | undefined): Record<string, { prepared: boolean; value: string } | string> {
  if (link === undefined || !link.startsWith('https://')) return {};
  return {
    // As it is: a line that is broken up within the address would not be one.
    'List-Unsubscribe': { prepared: true, value: `<${link}>` },
    'List-Unsubscribe-Post': 'List-Unsubscribe=One-Click',
  };
}

const headerName = (name: string): string =>
  name.replace(/(^|-)([a-z])/g, (_, before: string, first: string) => `${before}${first.toUpperCase()}`);

/** A text with headings, lists and links as HTML; what looks like HTML in it is shown as it was typed. */
export async function htmlOf(text: string): Promise<string> {
  const { Marked } = await import('marked');
  const marked = new Marked({ gfm: true, breaks: true, renderer: { html: ({ text: typed }) => escapeHtml(typed) } });
  return `<div style="font-family:sans-serif;line-height:1.45">${await marked.parse(text)}</div>`;
}

/** The same text for those who read mails plainly: links are written out, marks of headings and strength are left out. */
function plainOf(text: string): string {
  return text
    .replace(/^#{1,6}\s+/gm, '')
    .replace(/\*\*([^*\n]+)\*\*/g, '$1')
    .replace(/!\[([^\]]*)\]\([^)]*\)/g, '$1')
    .replace(/\[([^\]]+)\]\(([^)\s]+)\)/g, '$1 <$2>');
}

const escapeHtml = (text: string): string =>
  text.replaceAll('&', '&amp;').replaceAll('<', '&lt;').replaceAll('>', '&gt;');

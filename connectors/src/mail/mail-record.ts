import {
  type Field,
  firstNameOf,
  formatPointer,
  hopsHeader,
  isProven,
  type JsonRecord,
  kindOfMail,
  type LabelledLine,
  labelledLines,
  messageIds,
  type RecordType,
  readDeliveryStatus,
  textParts,
  threadRoot,
} from '@golden/core';
import { digestOf, type Mailbox, type ParsedText, parseMail } from './parse-mail.ts';

/** Larger mails are told of by their head alone. */
export const mostBytes = 25 * 1024 * 1024;

/** What is known of a mail besides its own words. */
export interface MailAt {
  /** When it came into the mailbox. */
  readonly received?: string | undefined;
  readonly folder?: string | undefined;
  readonly isRead?: boolean | undefined;
  /** The server whose checks of senders are believed (RFC 8601 authserv-id). */
  readonly trusted?: string | undefined;
}

/** A mail as a record, with the id by which it is known wherever it lies. */
export interface MailRecord {
  readonly id: string;
  readonly record: JsonRecord;
}

/**
 * Reads a mail as a record: who wrote it, to whom, what is new in it, and what a careful person would look at before
 * answering. One that can't be read is a record too, with the reason: nothing that came is left out.
 */
export async function readMail(raw: Uint8Array, at: MailAt = {}): Promise<MailRecord> {
  let parsed: ParsedText;
  try {
    parsed = await parseMail(raw);
  } catch {
    return {
      id: `#${digestOf(raw)}`,
      record: unreadable(`#${digestOf(raw)}`, 'This mail can’t be read: it doesn’t follow the rules for mails.', at),
    };
  }
  const record = await recordOf(parsed, at);
  const [messageId] = messageIds(parsed.headers['message-id']?.[0] ?? '');
  const id = idOf(messageId, parsed, raw);
  return { id, record: { id, ...record } };
}

/** The id of a mail whose head only was read, as for `readMail`; the digest is of what was read. */
export async function readHead(head: Uint8Array, at: MailAt, why: string): Promise<MailRecord> {
  const read = await readMail(head, at);
  return { ...read, record: { ...read.record, problem: why } };
}

/** Some programs give one Message-ID to several mails: what they say of themselves tells those apart. */
function idOf(messageId: string | undefined, { headers }: ParsedText, raw: Uint8Array): string {
  if (messageId === undefined) return `#${digestOf(raw)}`;
  const of = (name: string): string => (headers[name]?.[0] ?? '').replace(/\s+/g, ' ');
  return `${messageId.slice(1, -1)}#${digestOf(of('from'), of('date'), of('subject'))}`;
}

/** The Message-ID in an id of `readMail`; undefined for a mail that has none. */
export const messageIdIn = (id: string): string | undefined => {
  const at = id.lastIndexOf('#');
  return at > 0 ? id.slice(0, at) : undefined;
};

const unreadable = (id: string, problem: string, { received, folder, isRead }: MailAt): JsonRecord => ({
  id,
  subject: '',
  problem,
  ...(received !== undefined && { received }),
  ...(folder !== undefined && { folder }),
  ...(isRead !== undefined && { read: isRead }),
});

async function recordOf(mail: ParsedText, at: MailAt): Promise<JsonRecord> {
  const { headers } = mail;
  const from = mail.from[0] ?? { name: '', address: '' };
  const kind = kindOfMail(headers, from.address);
  const inner = await attachedMail(mail, kind);
  const { newText, signature, forwarded } = textParts(mail.text, mail.subject);
  const [messageId = ''] = messageIds(headers['message-id']?.[0] ?? '');
  const references = messageIds(headers['references']?.[0] ?? '').join(' ');
  const inReplyTo = messageIds(headers['in-reply-to']?.[0] ?? '')[0] ?? '';
  const sender = trueSender(mail, from, forwarded?.from, inner);
  const body = inner ? textParts(inner.text).newText : '';
  const ownText = [newText, body].filter((one) => one !== '').join('\n\n');
  const bounced = kind === 'bounce' ? bounceOf(mail) : undefined;
  const hops = Number(headers[hopsHeader]?.[0] ?? 0);
  return {
    from: person(from),
    true_sender: person(sender),
    to: addresses(mail.to),
    cc: addresses(mail.cc),
    reply_to: answerTo(mail, from, sender),
    subject: mail.subject,
    date: mail.date ?? null,
    ...(at.received !== undefined && { received: at.received }),
    new_text: ownText,
    text: mail.text,
    signature,
    lines: linesOf([ownText, forwarded?.text ?? '', inner?.text ?? ''].join('\n')),
    has_attachments: mail.attachments.length > 0,
    attachments: mail.attachments.map((one) => ({ ...one })),
    sender_proven: isProven(headers, from.address, at.trusted) ? 'proven' : 'unproven',
    kind,
    message_id: messageId,
    in_reply_to: inReplyTo,
    references,
    thread: threadRoot({ messageId, references, inReplyTo }),
    answers: [...new Set(messageIds(`${references} ${inReplyTo}`))],
    ...(at.isRead !== undefined && { read: at.isRead }),
    ...(at.folder !== undefined && { folder: at.folder }),
    ...(bounced && { bounce: bounced }),
    ...(Number.isInteger(hops) && hops > 0 && { $arrival: { hops } }),
  };
}

const person = ({ name, address }: Mailbox): JsonRecord => ({
  name,
  first_name: firstNameOf(name),
  address: address.toLowerCase(),
});

const addresses = (all: readonly Mailbox[]): string =>
  all
    .map(({ address }) => address.toLowerCase())
    .filter((address) => address !== '')
    .join(', ');

/** Who wrote what was sent on, where it was; else who sent it. */
function trueSender(
  mail: ParsedText,
  from: Mailbox,
  forwarded: string | undefined,
  inner: ParsedText | undefined,
): Mailbox {
  if (inner?.from[0]) return inner.from[0];
  if (forwarded !== undefined) return readMailbox(forwarded) ?? from;
  // A mailbox that sends on by rule may put its own address in From, and the writer's beside it.
  const original = mail.headers['x-original-from']?.[0];
  return (original === undefined ? undefined : readMailbox(original)) ?? from;
}

function readMailbox(text: string): Mailbox | undefined {
  const address = /[^\s<>"'[\](),;:]+@[^\s<>"'[\](),;:]+\.[^\s<>"'[\](),;:]+/.exec(text)?.[0];
  if (address === undefined) return undefined;
  const name = text
    .replace(/[<[(]?(?:mailto:)?[^\s<>[\]()]+@[^\s<>[\]()]+[>\])]?/g, '')
    .replace(/["'“”]/g, '')
    .trim();
  return { name, address };
}

/** Where an answer goes: to who wrote what was sent on, else where the mail asks for, else to its sender. */
function answerTo(mail: ParsedText, from: Mailbox, sender: Mailbox): string {
  if (sender.address !== from.address && sender.address !== '') return sender.address.toLowerCase();
  return (mail.replyTo[0]?.address || from.address).toLowerCase();
}

async function attachedMail(mail: ParsedText, kind: string): Promise<ParsedText | undefined> {
  const [only, second] = mail.attachedMails;
  if (only === undefined || second !== undefined || kind === 'bounce') return undefined;
  return parseMail(only).catch(() => undefined);
}

/** Of a single pair that reads like a sentence nobody wants a field: "One more thing: do you take old kilns back?" */
function formLines(text: string): LabelledLine[] {
  const all = labelledLines(text);
  const [only] = all;
  return all.length === 1 && only && only.value.split(/\s+/).length > 4 ? [] : all;
}

const linesOf = (text: string): JsonRecord =>
  Object.fromEntries(formLines(text).map(({ label, value }) => [label, value]));

function bounceOf(mail: ParsedText): JsonRecord {
  const failed = readDeliveryStatus(mail.text).filter(({ action }) => action === 'failed' || action === 'delayed');
  const [report] = failed;
  const about = mail.attachedMails[0] ?? mail.attachedHeads[0];
  const head = about === undefined ? mail.text : Buffer.from(about).toString('latin1');
  return {
    recipient: failed.map(({ recipient }) => recipient).join(', '),
    is_final: report?.action === 'failed',
    status: report?.status ?? '',
    reason: report?.reason ?? '',
    message_id: /^message-id:\s*(<[^<>\s]+>)/im.exec(head)?.[1] ?? '',
  };
}

const text = (path: string, label: string, more: Partial<Field> = {}): Field => ({
  path,
  label,
  type: 'text',
  ...more,
});

const answeredIds = '/answers';
const proven = { provenBy: '/sender_proven' };

const lineField = (label: string): Field => text(formatPointer(['lines', label]), label, { mayLack: true });

/** The fields of a mail's own labelled lines, such as "Phone: 01632 960 653". */
export const lineFields = (record: JsonRecord): Field[] =>
  Object.keys((record['lines'] as JsonRecord | undefined) ?? {}).map((label) => ({
    ...lineField(label),
    readOnly: true,
  }));

/** What a mail in a folder consists of. `lines` are those that recent mails have; others may come. */
export function mailType(folder: string, lines: readonly string[]): RecordType {
  const seen: Field[] = [
    text('/from/name', 'sender’s name', proven),
    { path: '/from/address', label: 'sender', type: 'email', ...proven },
    text('/subject', 'subject'),
    text('/new_text', 'new text', {
      isLong: true,
      description: 'Without quoted mails, signature and link addresses',
    }),
    { path: '/received', label: 'received', type: 'instant' },
    {
      path: '/kind',
      label: 'written by',
      type: 'choice',
      options: [
        { value: 'person', label: 'a person' },
        { value: 'automatic', label: 'a program' },
        { value: 'list', label: 'a mailing list' },
        { value: 'bounce', label: 'a mail server: not delivered' },
      ],
    },
    { path: '/reply_to', label: 'answer goes to', type: 'email' },
    text('/from/first_name', 'sender’s first name'),
    text('/true_sender/name', 'writer’s name', { description: 'Who wrote it, where somebody sent it on' }),
    text('/true_sender/first_name', 'writer’s first name'),
    { path: '/true_sender/address', label: 'writer', type: 'email', ...proven },
    text('/to', 'to'),
    text('/cc', 'copies to'),
    { path: '/date', label: 'sent on', type: 'instant' },
    text('/text', 'whole text', { isLong: true }),
    text('/signature', 'signature', { isLong: true }),
    { path: '/has_attachments', label: 'has attachments', type: 'boolean' },
    {
      path: '/attachments',
      label: 'attachments',
      type: 'list',
      fields: [text('/name', 'file name'), text('/type', 'kind'), { path: '/size', label: 'bytes', type: 'integer' }],
    },
    {
      path: '/sender_proven',
      label: 'sender is proven',
      type: 'choice',
      options: [
        { value: 'proven', label: 'proven' },
        { value: 'unproven', label: 'unproven' },
      ],
    },
    { path: '/id', label: 'id', type: 'id' },
    text('/problem', 'problem'),
    text('/in_reply_to', 'answers the mail'),
    text('/references', 'mails before it'),
    text('/thread', 'thread'),
    { path: answeredIds, label: 'answers these mails', type: 'list' },
    text('/bounce/recipient', 'not delivered to'),
    text('/bounce/reason', 'why not delivered'),
    text('/bounce/message_id', 'mail that wasn’t delivered'),
  ];
  const labelled = lines.map(lineField);
  return {
    name: folder,
    singular: 'mail',
    plural: 'mails',
    fields: [
      ...[...seen, ...labelled].map((field) => ({ ...field, readOnly: true })),
      text('/message_id', 'message id'),
      { path: '/read', label: 'read', type: 'boolean' },
      text('/folder', 'folder'),
    ],
    can: { list: true, find: true, create: false, update: true, readBack: true },
    findBy: ['/message_id'],
    created: '/received',
    answers: { from: '/from/address', ids: answeredIds, byPerson: { path: '/kind', is: 'person' } },
  };
}

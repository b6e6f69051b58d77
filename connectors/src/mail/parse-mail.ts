import { createHash } from 'node:crypto';
import { type MailHeaders, squeezeSpaces } from '@golden/core';
import type { AddressObject, Attachment, EmailAddress, ParsedMail } from 'mailparser';

/** A mail taken apart by the rules of MIME, its texts readable. */
export interface ParsedText {
  readonly headers: MailHeaders;
  readonly from: readonly Mailbox[];
  readonly to: readonly Mailbox[];
  readonly cc: readonly Mailbox[];
  readonly replyTo: readonly Mailbox[];
  readonly subject: string;
  /** The instant in its Date header; undefined where that can't be read. */
  readonly date?: string;
  /** The whole text; HTML made readable where there is no other. */
  readonly text: string;
  readonly attachments: readonly AttachedFile[];
  /** Mails that are attached whole, as they came. */
  readonly attachedMails: readonly Uint8Array[];
  /** Heads of mails that are attached without their text, as a report of a mail that came back has it (RFC 6522). */
  readonly attachedHeads: readonly Uint8Array[];
}

export interface Mailbox {
  readonly name: string;
  readonly address: string;
}

export interface AttachedFile {
  readonly name: string;
  readonly type: string;
  /** Bytes. */
  readonly size: number;
}

/** Characters of a text that are kept. */
const mostText = 200_000;

/**
 * Reads a mail (RFC 5322, MIME). What is broken is read as far as it goes, as mail programs do.
 * @throws Error when there is nothing that can be read
 */
export async function parseMail(raw: Uint8Array): Promise<ParsedText> {
  const { simpleParser } = await import('mailparser');
  const mail = await simpleParser(Buffer.from(raw), {
    skipHtmlToText: true,
    skipTextToHtml: true,
    skipImageLinks: true,
    maxHtmlLengthToParse: 2_000_000,
  });
  return {
    headers: headersOf(mail),
    from: mailboxes(mail.from),
    to: mailboxes(mail.to),
    cc: mailboxes(mail.cc),
    replyTo: mailboxes(mail.replyTo),
    subject: squeezeSpaces(mail.subject ?? ''),
    ...(mail.date &&
      !Number.isNaN(mail.date.getTime()) &&
      mail.headers.has('date') && { date: mail.date.toISOString() }),
    text: (await readableText(mail)).slice(0, mostText),
    attachments: mail.attachments.filter((one) => !isShownInside(one, mail.html)).map(fileOf),
    attachedHeads: mail.attachments
      .filter((one) => one.contentType === 'text/rfc822-headers')
      .map((one) => one.content),
    attachedMails: mail.attachments.filter((one) => one.contentType === 'message/rfc822').map((one) => one.content),
  };
}

/** The plain text; the HTML made readable where there is none, or where the plain one only says that there is HTML. */
async function readableText(mail: ParsedMail): Promise<string> {
  const plain = unbroken(mail.text ?? '');
  const html = typeof mail.html === 'string' ? mail.html : '';
  if (html === '' || plain.length > mostOfExcuse) return plain;
  const { compile } = await import('html-to-text');
  const read = compile({
    wordwrap: false,
    // Texts come from anybody: one that is nested without end is cut, not followed.
    limits: { maxDepth: 100, maxInputLength: 2_000_000 },
    selectors: [
      { selector: 'img', format: 'skip' },
      { selector: 'a', options: { hideLinkHrefIfSameAsText: true, ignoreHref: false, linkBrackets: ['<', '>'] } },
      { selector: 'table', format: 'dataTable', options: { uppercaseHeaderCells: false } },
      ...['h1', 'h2', 'h3', 'h4', 'h5', 'h6'].map((selector) => ({ selector, options: { uppercase: false } })),
      { selector: 'blockquote', options: { leadingLineBreaks: 1, trailingLineBreaks: 1 } },
    ],
  });
  const readable = unbroken(read(html));
  return plain.trim() === '' || readable.trim().length > plain.trim().length * 3 ? readable : plain;
}

/** True for a picture that the text itself shows. */
const isShownInside = ({ related, cid }: Attachment, html: ParsedMail['html']): boolean =>
  related === true && cid !== undefined && typeof html === 'string' && html.includes(`cid:${cid}`);

/** A plain text that is longer was written to be read. */
const mostOfExcuse = 400;

const unbroken = (text: string): string =>
  text
    .replace(/\r\n?/g, '\n')
    .replace(/\u00a0/g, ' ')
    .replace(/[\u200b\u200c\ufeff\u00ad]/g, '')
    .trimEnd();

function headersOf({ headerLines }: ParsedMail): MailHeaders {
  const headers: Record<string, string[]> = {};
  for (const { key, line } of headerLines) {
    const value = line
      .slice(line.indexOf(':') + 1)
      .replace(/\r?\n[ \t]+/g, ' ')
      .trim();
    const known = headers[key];
    if (known) known.push(value);
    else headers[key] = [value];
  }
  return headers;
}

function mailboxes(of: AddressObject | AddressObject[] | undefined): Mailbox[] {
  const all = of === undefined ? [] : Array.isArray(of) ? of : [of];
  return all
    .flatMap(({ value }) => value.flatMap(inGroup))
    .map(({ name, address }) => ({
      name: squeezeSpaces(name ?? ''),
      address: (address ?? '').trim(),
    }));
}

const inGroup = (one: EmailAddress): EmailAddress[] => one.group ?? [one];

const fileOf = ({ filename, contentType, size }: Attachment): AttachedFile => ({
  name: squeezeSpaces(filename ?? (contentType === 'message/rfc822' ? 'attached mail' : 'unnamed')),
  type: contentType,
  size,
});

/** A digest that tells one mail from another. */
export const digestOf = (...parts: readonly (string | Uint8Array)[]): string => {
  const hash = createHash('sha256');
  for (const part of parts) hash.update(part).update('\n');
  return hash.digest('hex').slice(0, 12);
};

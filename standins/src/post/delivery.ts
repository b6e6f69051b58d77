import { type ParsedMail, simpleParser } from 'mailparser';
import MailComposer from 'nodemailer/lib/mail-composer';
import type { PracticeState } from '../kit/trouble.ts';
import type { ImapHouse } from './imap.ts';
import { Outside } from './outside.ts';
import type { PostStore } from './store.ts';

/** How the Post room calls itself in what it writes about mails. */
export const hostName = 'mx.post-room.example';

/** A mail that somebody in here writes. */
export interface Letter {
  readonly from: string;
  readonly to: readonly string[];
  readonly subject: string;
  readonly text: string;
  readonly cc?: readonly string[];
  readonly replyTo?: string;
  readonly inReplyTo?: string;
  readonly references?: string;
  readonly headers?: Readonly<Record<string, string>>;
  readonly attachments?: readonly { readonly filename: string; readonly content: Buffer }[];
  readonly at?: Date;
}

/** Carries mails from mailbox to mailbox; what can't be delivered is told to who sent it. */
export class Delivery {
  private count = 0;
  readonly outside: Outside;

  constructor(
    private readonly store: PostStore,
    private readonly imap: ImapHouse,
    private readonly state: PracticeState,
    routes: Readonly<Record<string, string>> = {},
  ) {
    this.outside = new Outside(
      store,
      (raw, sender, recipient, said) =>
        sender === '' ? Promise.resolve() : this.bounce(raw, sender, [recipient], said),
      routes,
    );
  }

  /** Somebody in here writes a mail: it goes out, and a copy lies in their Sent folder. */
  async write(letter: Letter): Promise<string> {
    const { from, to, cc = [], at, headers = {}, attachments = [], ...rest } = letter;
    this.count += 1;
    const domain = from.split('@')[1]?.replace('>', '') ?? hostName;
    const messageId = `<${(at ?? new Date()).getTime().toString(36)}.${this.count}@${domain}>`;
    const raw = await build({
      ...rest,
      from,
      to: [...to],
      cc: [...cc],
      messageId,
      headers,
      attachments,
      date: at ?? new Date(),
    });
    const sender = bare(from);
    if (this.store.mailbox(sender)) this.imap.put(sender, 'Sent', raw, { flags: ['\\Seen'], ...(at && { at }) });
    await this.deliver(raw, sender, [...to, ...cc].map(bare), at);
    return messageId;
  }

  /**
   * Brings a mail to each of these addresses. Away notes and bounces follow; neither ever follows a mail without a
   * sender in its envelope, nor an automatic one (RFC 3834).
   */
  async deliver(raw: Buffer, sender: string, recipients: readonly string[], at = new Date()): Promise<void> {
    const unknown: string[] = [];
    const parsed = await simpleParser(raw, { skipHtmlToText: true, skipTextToHtml: true });
    for (const address of new Set(recipients.map((one) => one.toLowerCase()))) {
      const mailbox = this.store.mailbox(address);
      if (!mailbox && this.outside.isFor(address)) {
        this.outside.put(raw, sender, address);
        continue;
      }
      if (!mailbox) {
        unknown.push(address);
        continue;
      }
      const traced = Buffer.concat([trace(sender, address, at), raw]);
      this.imap.put(address, 'INBOX', traced, { at });
      const on = this.store.forwarding(address);
      // Two that send on to each other would go on for ever (RFC 5321 section 6.3).
      if (on?.isOn && receivedTimes(parsed) < mostReceived) await this.deliver(traced, sender, [on.target], at);
      if (mailbox.away !== '' && sender !== '' && !isAutomatic(parsed))
        await this.answerAway(mailbox.address, mailbox.away, parsed, sender);
    }
    if (unknown.length > 0 && sender !== '') await this.bounce(raw, sender, unknown);
  }

  /** Asks an address whether it wants the mails of a mailbox; `link` leads to where that is said. */
  async askForForwarding(mailbox: string, target: string, link: string): Promise<void> {
    const raw = await build({
      from: `Post room <forwarding@${hostName}>`,
      to: [target],
      subject: `Forwarding from ${mailbox}: please confirm`,
      text: `${mailbox} wants to forward its mails to ${target}.\n\nTo allow it, open this page and confirm:\n${link}\n\nIf you know nothing of it, do nothing: no mail is forwarded then.`,
      messageId: `<ask.${Date.now().toString(36)}@${hostName}>`,
      headers: { 'Auto-Submitted': 'auto-generated' },
      date: new Date(),
    });
    await this.deliver(raw, '', [target]);
  }

  private async answerAway(from: string, text: string, to: ParsedMail, sender: string): Promise<void> {
    const raw = await build({
      from,
      to: [sender],
      subject: `Automatic reply: ${to.subject ?? ''}`,
      text,
      headers: { 'Auto-Submitted': 'auto-replied' },
      ...(to.messageId && { inReplyTo: to.messageId, references: to.messageId }),
    });
    await this.deliver(raw, '', [sender]);
  }

  /** Tells the sender that there are no such mailboxes (RFC 3464). */
  private async bounce(raw: Buffer, sender: string, recipients: readonly string[], said?: string): Promise<void> {
    if (!this.store.mailbox(sender)) return;
    this.state.requests += 1;
    const boundary = `bounce-${Date.now().toString(36)}-${recipients.length}`;
    const head = raw.subarray(0, Math.max(0, raw.indexOf('\r\n\r\n')));
    const lines = [
      `From: Mail delivery <mailer-daemon@${hostName}>`,
      `To: <${sender}>`,
      'Subject: Not delivered',
      `Date: ${new Date().toUTCString().replace('GMT', '+0000')}`,
      `Message-ID: <${boundary}@${hostName}>`,
      'Auto-Submitted: auto-replied',
      'MIME-Version: 1.0',
      `Content-Type: multipart/report; report-type=delivery-status; boundary="${boundary}"`,
      '',
      `--${boundary}`,
      'Content-Type: text/plain; charset=utf-8',
      '',
      `Your mail could not be delivered to ${recipients.join(', ')}: ${said ?? 'there is no such mailbox'}.`,
      '',
      `--${boundary}`,
      'Content-Type: message/delivery-status',
      '',
      `Reporting-MTA: dns; ${hostName}`,
      '',
      ...recipients.flatMap((one) => [
        `Final-Recipient: rfc822; ${one}`,
        'Action: failed',
        'Status: 5.1.1',
        `Diagnostic-Code: smtp; ${said?.replace(/\s+/g, ' ') ?? `550 5.1.1 ${one}: no such mailbox`}`,
        '',
      ]),
      `--${boundary}`,
      'Content-Type: text/rfc822-headers',
      '',
      head.toString('latin1'),
      '',
      `--${boundary}--`,
      '',
    ];
    await this.deliver(Buffer.from(lines.join('\r\n'), 'latin1'), '', [sender]);
  }
}

/** What a mail server puts on top of a mail that it has taken. */
const trace = (sender: string, recipient: string, at: Date): Buffer =>
  Buffer.from(
    `Return-Path: <${sender}>\r\nAuthentication-Results: ${hostName}; spf=${sender === '' ? 'none' : `pass smtp.mailfrom=${sender}`}\r\nReceived: by ${hostName} for <${recipient}>; ${at.toUTCString().replace('GMT', '+0000')}\r\n`,
  );

/** Servers that a mail may have gone through. */
const mostReceived = 20;
const receivedTimes = ({ headerLines }: ParsedMail): number =>
  headerLines.filter(({ key }) => key === 'received').length;

const isAutomatic = ({ headers }: ParsedMail): boolean => {
  const submitted = headers.get('auto-submitted');
  return (typeof submitted === 'string' && submitted !== 'no') || headers.has('list') || headers.has('precedence');
};

/** The address in "Ada <ada@clay.example>". */
export const bare = (text: string): string => (/<([^<>]+)>/.exec(text)?.[1] ?? text).trim().toLowerCase();

const build = (options: object): Promise<Buffer> =>
  new Promise((resolve, reject) =>
    new MailComposer(options).compile().build((error, raw) => (error ? reject(error) : resolve(raw))),
  );

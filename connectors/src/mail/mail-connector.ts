import { type Found, type JsonRecord, nest, type Pointer, type RecordType, type Value } from '@golden/core';
import type { Attachable } from '../app.ts';
import type {
  Connector,
  Health,
  ListRequest,
  Page,
  PlaceChoice,
  Returned,
  SettleBy,
  SourceRecord,
  WriteRequest,
  Written,
} from '../connector.ts';
import { NotThere, Refused } from '../errors.ts';
import type { TokenKeeper } from '../http/tokens.ts';
import { filesFor } from './attached-files.ts';
import { bareAddress, compose, inThread, messageIdFor, type Outgoing, readOutgoing } from './compose.ts';
import { Folders } from './folders.ts';
import { connect, ImapSession, type MailSignIn } from './imap-session.ts';
import { imapFault } from './mail-faults.ts';
import { mailType, messageIdIn } from './mail-record.ts';
import { readMailServer } from './mail-server.ts';
import { answerType, outgoingType } from './outgoing-type.ts';
import { MailSender, mayLogIn } from './send-mail.ts';

/** Where the servers of a mailbox are. */
export interface MailServers {
  /** Address of the IMAP server; empty where mails are only sent. */
  readonly imap: string;
  /** Address of the SMTP server; empty where mails are only read. */
  readonly smtp: string;
}

export interface MailOptions {
  readonly servers: () => Promise<MailServers>;
  readonly user: string;
  readonly password: string;
  /** Tokens in place of the password. */
  readonly tokens?: TokenKeeper | undefined;
  /** Under which addresses mails may be sent, with commas between them; the user's own where it is empty. */
  readonly senders: string;
  /** The folder for sent mails; the one that the server calls so where it is empty. */
  readonly sent: string;
  /** The server whose checks of senders are believed (RFC 8601 authserv-id). */
  readonly trusted: string;
  readonly isInsideAllowed: () => Promise<boolean>;
  /** Files that can go along with mails; none where it is absent. */
  readonly attachable?: Attachable | undefined;
  readonly timeout?: number | undefined;
  /** Where a mailbox has screens of its own: the address that shows a mail. */
  readonly linkTo?: ((user: string, messageId: string) => string | undefined) | undefined;
  readonly now?: () => number;
}

/** The places for mails that go out, beside the folders. */
const outgoingPlace = 'outgoing';
const answersPlace = 'answers';
const folderMark = 'folder:';
/** Mails of a folder whose labelled lines are proposed as fields. */
const linesFrom = 30;
/** Answers to one address within a day: two programs that answer each other end here (RFC 3834 section 2). */
const mostAnswers = 10;
const day = 86_400_000;

/**
 * A mailbox: its folders over IMAP, mails that go out over SMTP. A mail is known by its Message-ID, which comes from the
 * write's token, so that one whose answer was lost is found in the folder for sent mails. What isn't there may have
 * gone out all the same: that is for a person to say.
 */
export class MailConnector implements Connector {
  readonly settleBy: SettleBy = 'reference';
  readonly tellsHops = true;
  private session: ImapSession | undefined;
  private folders: Folders | undefined;
  private sender: MailSender | undefined;
  private sentPath: string | undefined | null = null;
  private readonly labels = new Map<string, Set<string>>();

  constructor(private readonly options: MailOptions) {}

  async health(): Promise<Health> {
    const { user } = this.options;
    const { imap, smtp } = await this.options.servers();
    if (imap === '' && smtp === '')
      throw new Refused('Give an IMAP server to read mails, an SMTP server to send them, or both.');
    const sees: string[] = [];
    if (imap !== '') {
      const signIn = await this.imapSignIn();
      const client = await connect(signIn).catch((error) => {
        throw imapFault(error, signIn);
      });
      client.close();
      sees.push(...(await this.inFolders().all()).map(({ label }) => label));
    }
    if (smtp !== '') {
      await mayLogIn(await this.smtpSignIn());
      sees.push(`sends as ${this.senders().join(', ')}`);
    }
    return { signedInAs: user, account: user.toLowerCase(), sees, mayRead: imap !== '', mayWrite: true };
  }

  async places(path: readonly string[]): Promise<readonly PlaceChoice[]> {
    if (path.length > 0) return [];
    const { imap, smtp } = await this.options.servers();
    const out: PlaceChoice[] = [
      { id: outgoingPlace, label: 'Mails to send', isPlace: true },
      { id: answersPlace, label: 'Answers to mails', isPlace: true },
    ];
    const folders = imap === '' ? [] : await this.inFolders().all(true);
    return [
      ...folders.map(({ path: at, label, holds }) => ({ id: `${folderMark}${at}`, label, isPlace: true, holds })),
      ...(smtp === '' ? [] : out),
    ];
  }

  async describe(path: readonly string[]): Promise<RecordType> {
    const [place = ''] = path;
    if (isOut(path)) {
      const ends = { senders: this.senders(), read: await this.sendersRead() };
      const files = (await this.options.attachable?.names()) ?? [];
      return place === answersPlace ? answerType(ends, files) : outgoingType(ends, files);
    }
    const folder = folderOf(path);
    const known = (await this.inFolders().all()).find((one) => one.path === folder);
    if (!known) throw new NotThere(`The folder “${folder}” isn’t in the mailbox any more.`);
    return mailType(known.label, await this.labelsOf(folder));
  }

  async placeMark(path: readonly string[]): Promise<string | undefined> {
    return isOut(path) ? undefined : this.inFolders().mark(folderOf(path));
  }

  async list(request: ListRequest): Promise<Page> {
    if (isOut(request.path))
      throw new NotThere('Mails can only be sent from here. What was sent is in the folder for sent mails.');
    const page = await this.inFolders().list(folderOf(request.path), request);
    this.learn(folderOf(request.path), page.records);
    return page;
  }

  async fetch(path: readonly string[], id: string): Promise<SourceRecord | null> {
    return isOut(path) ? null : this.inFolders().fetch(folderOf(path), id);
  }

  async find(
    path: readonly string[],
    { path: by, value }: { readonly path: Pointer; readonly value: Value },
  ): Promise<readonly Found[]> {
    if (isOut(path) || by !== '/message_id')
      throw new NotThere('Mails are looked up by their message id, in a folder.');
    const found = await this.inFolders().withMessageId(folderOf(path), String(value ?? ''));
    return found.map(({ id, record }) => ({ id, record }));
  }

  async findByToken(path: readonly string[], token: string): Promise<Found | null> {
    const sent = isOut(path) ? await this.sentFolder() : undefined;
    if (sent === undefined) return null;
    for (const domain of new Set(this.senders().map((one) => messageIdFor(token, one)))) {
      const [found] = await this.inFolders().withMessageId(sent, domain);
      if (found) return { id: domain, record: found.record };
    }
    return null;
  }

  async payload({ write, token }: WriteRequest): Promise<JsonRecord> {
    const mail = this.read(write.target.path, nest(write.values));
    return {
      from: mail.from,
      to: mail.to.join(', '),
      subject: mail.subject,
      text: mail.text,
      ...(mail.attachments.length > 0 && { attachments: mail.attachments.map(({ name }) => name).join(', ') }),
      messageId: messageIdFor(token, mail.from),
    };
  }

  async create({ write, token, hops }: WriteRequest): Promise<Written> {
    if (!isOut(write.target.path)) throw new Refused('Mails come into a folder by themselves. Choose “Mails to send”.');
    const values = nest(write.values);
    const isAnswer = write.target.path[0] === answersPlace;
    const read = this.read(write.target.path, values);
    const answered = isAnswer ? await this.answeredBy(read) : undefined;
    const mail = inThread(read, answered?.record);
    if (isAnswer) await this.brake(mail);
    const files = await filesFor(mail, this.options.attachable);
    const raw = await compose(mail, token, { hops, files, unsubscribe: write.message?.unsubscribe });
    this.sender ??= new MailSender(() => this.smtpSignIn());
    await this.sender.send({ from: mail.from, to: [...mail.to, ...mail.cc, ...mail.bcc] }, raw);
    const id = messageIdFor(token, mail.from);
    await this.keepCopy(id, raw);
    if (answered) await this.noteAnswered(answered);
    return { id, record: { ...values, from: mail.from, subject: mail.subject, message_id: id } };
  }

  async update({ write }: WriteRequest): Promise<Written> {
    const { id = '' } = write;
    if (isOut(write.target.path)) throw new NotThere('A mail that was sent can’t be changed.');
    const { read, folder, ...others } = nest(write.values);
    if (Object.keys(others).length > 0)
      throw new Refused('Of a mail only its folder can be changed, and whether it is read.');
    const to = folder === undefined || folder === null ? undefined : String(folder);
    await this.inFolders().change(folderOf(write.target.path), id, {
      read: read === undefined ? undefined : read === true,
      to,
    });
    return { id };
  }

  async remove(path: readonly string[]): Promise<never> {
    throw new Refused(
      isOut(path) ? 'A mail that was sent can’t be taken back.' : 'Mails aren’t removed from a mailbox by a workflow.',
    );
  }

  /** Mails of ours that a mail server couldn't deliver, as it tells in the inbox (RFC 3464). */
  async returned(since: string): Promise<readonly Returned[]> {
    if ((await this.options.servers()).imap === '') return [];
    const bounces = await this.inFolders().bounces('INBOX', new Date(since));
    return bounces.flatMap(({ record }): Returned[] => {
      const bounce = record['bounce'] as JsonRecord | undefined;
      const token = /^<([0-9a-f]{40})@/.exec(String(bounce?.['message_id'] ?? ''))?.[1];
      if (token === undefined || bounce?.['is_final'] !== true) return [];
      return [{ token, whom: String(bounce['recipient']), reason: String(bounce['reason']) }];
    });
  }

  async watch(path: readonly string[], onNews: () => void, onEnd: () => void): Promise<() => void> {
    const signIn = await this.imapSignIn();
    const told = (error: unknown) => imapFault(error, signIn);
    const client = await connect(signIn, true).catch((error) => Promise.reject(told(error)));
    await client.mailboxOpen(folderOf(path), { readOnly: true }).catch((error) => {
      client.close();
      throw told(error);
    });
    client.on('exists', onNews);
    client.once('close', onEnd);
    return () => {
      client.removeListener('close', onEnd);
      client.close();
    };
  }

  linkTo(_path: readonly string[], id: string): string | undefined {
    const messageId = id.startsWith('<') ? id : `<${messageIdIn(id) ?? ''}>`;
    return this.options.linkTo?.(this.options.user, messageId);
  }

  private read(path: readonly string[], values: JsonRecord): Outgoing {
    return readOutgoing(values, this.senders(), path[0] === answersPlace);
  }

  private senders(): string[] {
    const { senders, user } = this.options;
    const given = senders
      .split(/[,\n]/)
      .map((one) => one.trim())
      .filter((one) => one !== '');
    return given.length > 0 ? given : [user];
  }

  /** Senders whose mailbox is the one that is read here. */
  private async sendersRead(): Promise<string[]> {
    const { user, servers } = this.options;
    if ((await servers()).imap === '') return [];
    const own = user.toLowerCase();
    // A user name that is no address doesn't tell which of them is its own.
    return this.senders().filter((one) => !own.includes('@') || bareAddress(one).toLowerCase() === own);
  }

  /** The mail that is answered, wherever in the mailbox it lies by now. */
  private async answeredBy({ inReplyTo }: Outgoing): Promise<SourceRecord | undefined> {
    if ((await this.options.servers()).imap === '') return undefined;
    return this.inFolders().anywhere(inReplyTo);
  }

  /** Mail programs show that a mail was answered. It was by then: this never fails for it. */
  private async noteAnswered({ id, record }: SourceRecord): Promise<void> {
    await this.inFolders()
      .change(String(record['folder'] ?? 'INBOX'), id, { answered: true })
      .catch(() => undefined);
  }

  /** Two programs that answer each other would go on for ever. @throws Refused */
  private async brake({ to }: Outgoing): Promise<void> {
    const sent = await this.sentFolder();
    if (sent === undefined) return;
    const since = new Date((this.options.now?.() ?? Date.now()) - day);
    for (const one of to) {
      const count = await this.inFolders().countTo(sent, bareAddress(one), since);
      if (count >= mostAnswers)
        throw new Refused(
          `${count} mails have gone to ${bareAddress(one)} since yesterday. A program may be answering there: look first, then send it.`,
        );
    }
  }

  /** Puts a copy into the folder for sent mails, where the server hasn't done so. The mail is gone by then: it never fails for this. */
  private async keepCopy(messageId: string, raw: Buffer): Promise<void> {
    try {
      const sent = await this.sentFolder();
      if (sent === undefined) return;
      const known = await this.inFolders().withMessageId(sent, messageId);
      if (known.length === 0) await this.inFolders().append(sent, raw);
    } catch {
      // It was sent; that its copy is missing is no reason to send it again.
    }
  }

  private async sentFolder(): Promise<string | undefined> {
    if ((await this.options.servers()).imap === '') return undefined;
    if (this.sentPath === null) this.sentPath = await this.inFolders().sent(this.options.sent || undefined);
    return this.sentPath;
  }

  private async labelsOf(folder: string): Promise<string[]> {
    if (!this.labels.has(folder)) this.learn(folder, await this.inFolders().last(folder, linesFrom));
    return [...(this.labels.get(folder) ?? [])].sort();
  }

  /** Labels only come to be known more: what the newest mails lack isn't gone. */
  private learn(folder: string, records: readonly SourceRecord[]): void {
    const known = this.labels.get(folder) ?? new Set<string>();
    for (const { record } of records)
      for (const label of Object.keys((record['lines'] as JsonRecord | undefined) ?? {}))
        if (known.size < 40) known.add(label);
    this.labels.set(folder, known);
  }

  private inFolders(): Folders {
    this.session ??= new ImapSession(() => this.imapSignIn());
    this.folders ??= new Folders(this.session, this.options.trusted || undefined);
    return this.folders;
  }

  private async imapSignIn(): Promise<MailSignIn> {
    const { imap } = await this.options.servers();
    if (imap === '') throw new NotThere('This connection only sends mails. Give it an IMAP server to read them.');
    return { ...this.options, server: readMailServer(imap, 'imap') };
  }

  private async smtpSignIn(): Promise<MailSignIn> {
    const { smtp } = await this.options.servers();
    if (smtp === '') throw new Refused('This connection only reads mails. Give it an SMTP server to send them.');
    return { ...this.options, server: readMailServer(smtp, 'smtp') };
  }
}

const isOut = ([place]: readonly string[]): boolean => place === outgoingPlace || place === answersPlace;

/** @throws NotThere */
function folderOf([place = '']: readonly string[]): string {
  if (!place.startsWith(folderMark))
    throw new NotThere('There is no such place in a mailbox. Choose one of its folders.');
  return place.slice(folderMark.length);
}

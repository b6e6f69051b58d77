import type { ImapFlow, MailboxObject } from 'imapflow';
import { NotSignedIn, NotThere } from '../errors.ts';
import type { TokenKeeper } from '../http/tokens.ts';
import { imapFault } from './mail-faults.ts';
import { addressOf, type MailServer } from './mail-server.ts';

/** How one signs in to a mailbox. */
export interface MailSignIn {
  readonly server: MailServer;
  readonly user: string;
  readonly password: string;
  /** Tokens in place of a password (RFC 7628). */
  readonly tokens?: TokenKeeper | undefined;
  readonly isInsideAllowed: () => Promise<boolean>;
  /** Milliseconds without an answer before the connection is given up. */
  readonly timeout?: number | undefined;
}

/** Milliseconds after which a connection that nobody uses is closed. */
const idleFor = 4000;

/** One connection to a mailbox, made when it is needed and closed when it isn't any more. */
export class ImapSession {
  private open: Promise<ImapFlow> | undefined;
  private users = 0;
  private closing: NodeJS.Timeout | undefined;

  constructor(private readonly signIn: () => Promise<MailSignIn>) {}

  /** Does something in the mailbox. @throws AppError */
  async use<T>(work: (client: ImapFlow) => Promise<T>): Promise<T> {
    this.users += 1;
    clearTimeout(this.closing);
    try {
      const signIn = await this.signIn();
      try {
        return await work(await this.client(signIn));
      } catch (error) {
        throw imapFault(error, signIn);
      }
    } finally {
      this.users -= 1;
      if (this.users === 0) this.closing = setTimeout(() => this.end(), idleFor).unref();
    }
  }

  /** Does something in a folder, which stays open meanwhile. @throws AppError, NotThere */
  inFolder<T>(path: string, work: (client: ImapFlow, folder: MailboxObject) => Promise<T>): Promise<T> {
    return this.use(async (client) => {
      const lock = await client.getMailboxLock(path).catch((error) => whyNotOpened(client, path, error));
      try {
        // A folder that stays open may be counted anew meanwhile: it is opened again, and says so.
        await client.mailboxOpen(path);
        return await work(client, client.mailbox as MailboxObject);
      } finally {
        lock.release();
      }
    });
  }

  private async client(signIn: MailSignIn): Promise<ImapFlow> {
    const before = this.open;
    const known = await before?.catch(() => undefined);
    if (known?.usable) return known;
    // Of several that found none, or a broken one, the first makes the next for all.
    if (this.open === before) this.open = undefined;
    this.open ??= connect(signIn);
    return this.open;
  }

  private end(): void {
    const { open } = this;
    this.open = undefined;
    open?.then((client) => client.logout().catch(() => client.close())).catch(() => undefined);
  }
}

/** @throws NotThere where the mailbox has no such folder, else what was thrown */
async function whyNotOpened(client: ImapFlow, path: string, error: unknown): Promise<never> {
  const listed = client.usable ? await client.list() : undefined;
  if (listed && !listed.some((one) => one.path === path))
    throw new NotThere(`The folder “${path}” isn’t in the mailbox any more.`);
  throw error;
}

/**
 * Signs in to a mailbox.
 *
 * @param isIdle - true where it only waits to be told (RFC 2177)
 * @throws NotSignedIn and what the library throws
 */
export async function connect(signIn: MailSignIn, isIdle = false): Promise<ImapFlow> {
  const { tokens, user, password } = signIn;
  if (!tokens) return connectAs(signIn, { user, pass: password }, isIdle);
  const accessToken = await tokens.access();
  try {
    return await connectAs(signIn, { user, accessToken }, isIdle);
  } catch (error) {
    if (!(error as { authenticationFailed?: boolean }).authenticationFailed) throw error;
    // A token may have been ended before its time: a new one is tried once.
    const renewed = await tokens.renew(accessToken);
    return connectAs(signIn, { user, accessToken: renewed.access }, isIdle);
  }
}

async function connectAs(
  { server, isInsideAllowed, timeout = 30_000 }: MailSignIn,
  auth: { readonly user: string; readonly pass?: string; readonly accessToken?: string },
  isIdle: boolean,
): Promise<ImapFlow> {
  if (auth.pass === '') throw new NotSignedIn('There is no password for this mailbox. Enter it under Connections.');
  const { ImapFlow: Client } = await import('imapflow');
  const client = new Client({
    host: await addressOf(server, await isInsideAllowed()),
    servername: server.name,
    port: server.port,
    secure: server.isTls,
    // A password never goes over an open line, but on this machine.
    ...(!server.isTls && !server.isPlainAllowed && { doSTARTTLS: true }),
    auth,
    logger: false,
    // Middle boxes forget connections on which nothing happens for some minutes.
    ...(isIdle ? { autoIdleDelay: 100, maxIdleTime: 4 * 60_000 } : { disableAutoIdle: true }),
    connectionTimeout: timeout,
    greetingTimeout: timeout,
    socketTimeout: isIdle ? 6 * 60_000 : Math.max(timeout * 4, 60_000),
    clientInfo: { name: 'Golden Relay' },
  });
  // Whoever uses it is told by what they asked for.
  client.on('error', () => undefined);
  await client.connect();
  return client;
}

import { Readable } from 'node:stream';
import type SMTPConnection from 'nodemailer/lib/smtp-connection';
import { NotSignedIn, Refused, Unsure } from '../errors.ts';
import type { TokenKeeper } from '../http/tokens.ts';
import { bareAddress } from './compose.ts';
import type { MailSignIn } from './imap-session.ts';
import { smtpFault } from './mail-faults.ts';
import { addressOf, type MailServer } from './mail-server.ts';

/** To whom a mail goes, whatever its head says. */
export interface Envelope {
  readonly from: string;
  readonly to: readonly string[];
}

/** Milliseconds for which a connection is kept for the next mail, and how many of them. */
const [keptFor, mostKept] = [4000, 4];

/**
 * Hands mails to the mail server. A connection is kept a moment for the next mail: many servers let a program sign
 * in only so often.
 */
export class MailSender {
  private readonly kept: { readonly connection: SMTPConnection; readonly end: NodeJS.Timeout }[] = [];

  constructor(private readonly signIn: () => Promise<MailSignIn>) {}

  /**
   * Sends a mail. It counts as sent when the server has taken it for all recipients; when it refuses one of them, it is
   * broken off before the final dot, so that nobody gets what not all get.
   * @throws Refused, RateLimited, AppDown, NotSignedIn: it was not sent
   * @throws Unsure when the whole mail had left and no answer came
   */
  async send(envelope: Envelope, raw: Buffer): Promise<string> {
    const signIn = await this.signIn();
    const kept = this.takeKept();
    if (kept) {
      const told = await this.through(kept, signIn, envelope, raw, true);
      if (told !== 'gone') return told;
    }
    const connection = await openConnection(signIn);
    try {
      await logIn(connection, signIn);
    } catch (error) {
      leave(connection, false);
      throw smtpFault(error, signIn, false) ?? error;
    }
    return this.through(connection, signIn, envelope, raw, false);
  }

  /** Sends it through a connection; `gone` where one that was kept had ended before the mail had left. */
  private async through(
    connection: SMTPConnection,
    signIn: MailSignIn,
    envelope: Envelope,
    raw: Buffer,
    wasKept: boolean,
  ): Promise<string> {
    const way = { isEnded: false, refused: [] as readonly string[] };
    try {
      const response = await handOver(connection, envelope, raw, way);
      this.keep(connection);
      return response;
    } catch (error) {
      leave(connection, false);
      const { responseCode } = error as { responseCode?: number };
      // RFC 5321 section 3.8: a server may end a conversation at any time, by 421 or without a word.
      const isGone = responseCode === undefined || responseCode === 421;
      if (wasKept && isGone && !way.isEnded && way.refused.length === 0) return 'gone';
      if (way.refused.length > 0) {
        const said = `The mail server doesn’t take mails for ${way.refused.join(', ')}. Nobody was sent anything.`;
        throw new Refused(said, [], { cause: error });
      }
      throw (
        smtpFault(error, signIn, way.isEnded) ??
        new Unsure('The mail had left, and the mail server never said whether it took it.', { cause: error })
      );
    }
  }

  private takeKept(): SMTPConnection | undefined {
    const kept = this.kept.pop();
    if (kept) clearTimeout(kept.end);
    // Whoever takes it hears of its end by what comes of their mail.
    kept?.connection.removeListener('error', ignore);
    return kept?.connection;
  }

  private keep(connection: SMTPConnection): void {
    if (this.kept.length >= mostKept) {
      leave(connection, true);
      return;
    }
    connection.on('error', ignore);
    const end = setTimeout(() => {
      const at = this.kept.findIndex((one) => one.connection === connection);
      if (at >= 0) this.kept.splice(at, 1);
      leave(connection, true);
    }, keptFor).unref();
    this.kept.push({ connection, end });
  }
}

const ignore = (): void => undefined;

/** Hands one mail over; `way` tells how far it had come, whatever becomes of it. Gives what the server said. */
async function handOver(
  connection: SMTPConnection,
  envelope: Envelope,
  raw: Buffer,
  way: { isEnded: boolean; refused: readonly string[] },
): Promise<string> {
  const sent: Envelope & { rejected?: string[] } = {
    from: bareAddress(envelope.from),
    to: envelope.to.map(bareAddress),
  };
  const body = Readable.from(
    (function* () {
      way.refused = sent.rejected ?? [];
      if (way.refused.length > 0) throw new Error('refused');
      yield raw;
      way.isEnded = true;
    })(),
    { objectMode: false },
  );
  const told = await step<{ response: string }>(
    (done) => connection.send(sent as never, body, done as never),
    connection,
  );
  return told.response;
}

/** Whether the mail server lets somebody in; nothing is sent. @throws NotSignedIn, AppDown */
export async function mayLogIn(signIn: MailSignIn): Promise<void> {
  const connection = await openConnection(signIn);
  try {
    await logIn(connection, signIn);
  } catch (error) {
    throw smtpFault(error, signIn, false) ?? error;
  } finally {
    leave(connection, true);
  }
}

async function openConnection({
  server,
  user,
  password,
  tokens,
  isInsideAllowed,
  timeout = 30_000,
}: MailSignIn): Promise<SMTPConnection> {
  if (user !== '' && password === '' && !tokens)
    throw new NotSignedIn('There is no password for this mailbox. Enter it under Connections.');
  const { default: Connection } = await import('nodemailer/lib/smtp-connection');
  return new Connection({
    host: await addressOf(server, await isInsideAllowed()),
    port: server.port,
    secure: server.isTls,
    servername: server.name,
    // A password never goes over an open line, but on this machine.
    requireTLS: !server.isTls && !server.isPlainAllowed,
    name: 'golden-relay.localhost',
    connectionTimeout: timeout,
    greetingTimeout: timeout,
    socketTimeout: timeout * 2,
    logger: false,
    ...(tokens && { customAuth: { [bearer]: byBearer({ server, user, tokens }) } }),
  } as never);
}

async function logIn(connection: SMTPConnection, { user, password, tokens }: MailSignIn): Promise<void> {
  await step((done) => connection.connect(done), connection);
  if (tokens) {
    // The standard's way where the server has it, else the one that was there before.
    if (offersBearer(connection)) {
      await step((done) => connection.login({ user, method: bearer } as never, done), connection);
      return;
    }
    const oauth2 = tokenGiver(tokens, user);
    await step((done) => connection.login({ user, oauth2 } as never, done), connection);
    return;
  }
  if (user !== '') await step((done) => connection.login({ user, pass: password }, done), connection);
}

/** Signing in by a token as RFC 7628 has it. */
const bearer = 'OAUTHBEARER';

/** True where the server named it among its ways of signing in, in what it answered last (RFC 4954 section 3). */
const offersBearer = ({ lastServerResponse }: SMTPConnection & { readonly lastServerResponse?: unknown }): boolean =>
  /^250[ -]AUTH\b.*\bOAUTHBEARER\b/im.test(String(lastServerResponse ?? ''));

/** What the library hands over for a way of signing in that it doesn't have itself. */
interface CustomSignIn {
  sendCommand(command: string): Promise<{ readonly status: number; readonly response: string }>;
  resolve(): void;
  reject(error: Error): void;
}

/** RFC 7628 section 3: the token with whom and where it is for; once more with a new one where it isn't taken. */
function byBearer({ server, user, tokens }: { server: MailServer; user: string; tokens: TokenKeeper }) {
  const answered = async ({ sendCommand }: CustomSignIn, token: string) => {
    const said = `n,a=${user},\x01host=${server.name}\x01port=${server.port}\x01auth=Bearer ${token}\x01\x01`;
    const told = await sendCommand(`AUTH ${bearer} ${Buffer.from(said).toString('base64')}`);
    // Why it wasn't taken comes as a question, which is answered by one sign (section 3.2.3).
    return told.status === 334 ? sendCommand('AQ==') : told;
  };
  return async (way: CustomSignIn): Promise<void> => {
    const access = await tokens.access();
    const first = await answered(way, access);
    const told = first.status === 235 ? first : await answered(way, (await tokens.renew(access)).access);
    if (told.status === 235) way.resolve();
    else way.reject(Object.assign(new Error(told.response), { responseCode: told.status }));
  };
}

/** What the library asks for a token, and once more for another where the server didn't take the first. */
function tokenGiver(tokens: TokenKeeper, user: string) {
  let last = '';
  return {
    getToken: (isRetry: boolean, done: (error: Error | null, token?: string) => void): void => {
      const asked = isRetry ? tokens.renew(last).then(({ access }) => access) : tokens.access();
      asked.then(
        (token) => {
          last = token;
          done(null, token);
        },
        (error: Error) => done(error),
      );
    },
    buildXOAuth2Token: (token: string): string =>
      Buffer.from(`user=${user}\x01auth=Bearer ${token}\x01\x01`).toString('base64'),
  };
}

/** Ends a conversation; where it is broken off in the middle the server has to forget what it was told so far. */
function leave(connection: SMTPConnection, isOver: boolean): void {
  connection.removeAllListeners('error');
  connection.on('error', ignore);
  if (isOver) connection.quit();
  else connection.close();
}

type Done<T> = (error?: Error | null, value?: T) => void;

/** One step of a conversation; a connection that ends meanwhile ends it. */
function step<T>(begin: (done: Done<T>) => void, connection: SMTPConnection): Promise<T> {
  return new Promise<T>((resolve, reject) => {
    const over = (work: () => void): void => {
      connection.removeListener('error', failed);
      connection.removeListener('end', ended);
      work();
    };
    const failed = (error: Error): void => over(() => reject(error));
    const ended = (): void =>
      over(() => reject(Object.assign(new Error('The connection ended.'), { code: 'ECONNECTION' })));
    connection.on('error', failed);
    connection.on('end', ended);
    begin((error, value) => over(() => (error ? reject(error) : resolve(value as T))));
  });
}

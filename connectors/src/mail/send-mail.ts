import { Readable } from 'node:stream';
import type SMTPConnection from 'nodemailer/lib/smtp-connection';
import { NotSignedIn, Refused, Unsure } from '../errors.ts';
import type { TokenKeeper } from '../http/tokens.ts';
import { bareAddress } from './compose.ts';
import type { MailSignIn } from './imap-session.ts';
import { smtpFault } from './mail-faults.ts';
import { addressOf } from './mail-server.ts';

/** To whom a mail goes, whatever its head says. */
export interface Envelope {
  readonly from: string;
  readonly to: readonly string[];
}

/**
 * Hands a mail to the mail server. It counts as sent when the server has taken it for all recipients; when it refuses one of
 * them, it is broken off before the final dot, so that nobody gets what not all get.
 * @throws Refused, RateLimited, AppDown, NotSignedIn: it was not sent
 * @throws Unsure when the whole mail had left and no answer came
 */
export async function sendMail(signIn: MailSignIn, envelope: Envelope, raw: Buffer): Promise<string> {
  const connection = await openConnection(signIn);
  let isEnded = false;
  let refused: string[] = [];
  try {
    await logIn(connection, signIn);
    const sent: Envelope & { rejected?: string[] } = {
      from: bareAddress(envelope.from),
      to: envelope.to.map(bareAddress),
    };
    const body = Readable.from(
      (function* () {
        refused = sent.rejected ?? [];
        if (refused.length > 0) throw new Error('refused');
        yield raw;
        isEnded = true;
      })(),
      { objectMode: false },
    );
    const told = await step<{ response: string }>(
      (done) => connection.send(sent as never, body, done as never),
      connection,
    );
    return told.response;
  } catch (error) {
    if (refused.length > 0)
      throw new Refused(`The mail server doesn’t take mails for ${refused.join(', ')}. Nobody was sent anything.`, [], {
        cause: error,
      });
    const fault = smtpFault(error, signIn.server.name, signIn.user, isEnded);
    throw (
      fault ?? new Unsure('The mail had left, and the mail server never said whether it took it.', { cause: error })
    );
  } finally {
    leave(connection, isEnded);
  }
}

/** Whether the mail server lets somebody in; nothing is sent. @throws NotSignedIn, AppDown */
export async function mayLogIn(signIn: MailSignIn): Promise<void> {
  const connection = await openConnection(signIn);
  try {
    await logIn(connection, signIn);
  } catch (error) {
    throw smtpFault(error, signIn.server.name, signIn.user, false) ?? error;
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
  });
}

async function logIn(connection: SMTPConnection, { user, password, tokens }: MailSignIn): Promise<void> {
  await step((done) => connection.connect(done), connection);
  if (tokens) {
    const oauth2 = tokenGiver(tokens, user);
    await step((done) => connection.login({ user, oauth2 } as never, done), connection);
    return;
  }
  if (user !== '') await step((done) => connection.login({ user, pass: password }, done), connection);
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
  connection.on('error', () => undefined);
  if (isOver) connection.quit();
  else connection.close();
}

type Done<T> = (error?: Error | null, value?: T) => void;

/** One step of a conversation; a connection that ends meanwhile ends it. */
function step<T>(
  begin: (done: Done<T>) => void,
  connection: { once(event: string, listener: (error: Error) => void): unknown },
): Promise<T> {
  return new Promise((resolve, reject) => {
    connection.once('error', reject);
    connection.once('end', () => reject(Object.assign(new Error('The connection ended.'), { code: 'ECONNECTION' })));
    begin((error, value) => (error ? reject(error) : resolve(value as T)));
  });
}

import {
  AppDown,
  AppError,
  NoAnswer,
  NoRight,
  NotSignedIn,
  NotThere,
  NotUnderstood,
  RateLimited,
  Refused,
} from '../errors.ts';

/** What a mail library tells of a fault, as far as it is looked at. */
interface Fault {
  readonly message?: string;
  readonly code?: string;
  readonly responseCode?: number;
  readonly response?: string;
  readonly responseText?: string;
  readonly serverResponseCode?: string;
  readonly authenticationFailed?: boolean;
}

const unreachable = [
  'ECONNREFUSED',
  'ENOTFOUND',
  'EHOSTUNREACH',
  'ENETUNREACH',
  'EAI_AGAIN',
  'EDNS',
  'ECONNECTION',
  'ETIMEDOUT',
];
const broken = [
  'ECONNRESET',
  'EPIPE',
  'NoConnection',
  'EConnectionClosed',
  'ConnectTimeout',
  'GreetingTimeout',
  'UpgradeTimeout',
  'CONNECT_TIMEOUT',
  'ClosedAfterConnectTLS',
  'ClosedAfterConnectText',
  'ESOCKET',
];

/** The words of a server, as it said them, in one line. */
const said = (fault: Fault): string =>
  (fault.responseText ?? fault.response ?? '').replace(/\s+/g, ' ').trim().slice(0, 300);
const saying = (fault: Fault): string => (said(fault) === '' ? '' : ` It says: “${said(fault)}”.`);

/** Who signs in where, and whether with a token. */
interface WhoSignedIn {
  readonly server: { readonly name: string };
  readonly user: string;
  readonly tokens?: unknown;
}

/** What a server wants that let nobody in. */
const whatItWants = ({ tokens }: WhoSignedIn): string =>
  tokens
    ? ' Sign in again under Connections, as the owner of this mailbox and with the rights for IMAP and SMTP.'
    : ' Many mail servers want a password of its own for each program: make one there, and enter it under Connections.';

/** Why a mailbox couldn't be read, by what a caller can act on. */
export function imapFault(thrown: unknown, signIn: WhoSignedIn): AppError {
  const server = signIn.server.name;
  if (thrown instanceof AppError) return thrown;
  const fault = thrown as Fault;
  if (fault.authenticationFailed)
    return new NotSignedIn(`${server} doesn’t let ${signIn.user} in.${saying(fault)}${whatItWants(signIn)}`);
  if (
    fault.serverResponseCode === 'NONEXISTENT' ||
    /mailbox (?:doesn't|does not) exist|no such mailbox|unknown mailbox/i.test(said(fault))
  )
    return new NotThere(`The folder isn’t in the mailbox any more.${saying(fault)}`);
  if (fault.serverResponseCode === 'NOPERM') return new NoRight(`${server} doesn’t allow this.${saying(fault)}`);
  if (fault.serverResponseCode === 'OVERQUOTA') return new Refused(`The mailbox is full.${saying(fault)}`);
  if (fault.code !== undefined && unreachable.includes(fault.code))
    return new AppDown(`The mail server ${server} can’t be reached.`);
  if (fault.code !== undefined && broken.includes(fault.code))
    return new NoAnswer(`The mail server ${server} broke the connection off.`);
  if (/certificate|self.signed|altname/i.test(`${fault.code} ${fault.message}`))
    return new NotUnderstood(`The certificate of ${server} isn’t valid for it, so nothing was sent there.`);
  return new NoAnswer(`The mail server ${server} didn’t do what it was asked.${saying(fault)}`);
}

/**
 * Why a mail wasn't taken, by what a caller can act on; undefined where it may have been taken all the same: what the
 * server said after the final dot was lost.
 *
 * @param isEnded - true when the whole mail had left by then
 */
export function smtpFault(thrown: unknown, signIn: WhoSignedIn, isEnded: boolean): AppError | undefined {
  const server = signIn.server.name;
  if (thrown instanceof AppError) return thrown;
  const fault = thrown as Fault;
  const status = fault.responseCode ?? 0;
  if (fault.code === 'EAUTH')
    return new NotSignedIn(`${server} doesn’t let ${signIn.user} send mails.${saying(fault)}${whatItWants(signIn)}`);
  if (status >= 500) return new Refused(`The mail server doesn’t take this mail.${saying(fault)}`);
  // RFC 5321 section 4.2.1: not done, and it may be tried again.
  if (status >= 400) return new RateLimited(`The mail server takes no mail at the moment.${saying(fault)}`, undefined);
  if (isEnded) return undefined;
  if (/certificate|self.signed|altname/i.test(`${fault.code} ${fault.message}`) || fault.code === 'ETLS')
    return new NotUnderstood(`${server} can’t be spoken to under encryption, so nothing was sent there.`);
  return new AppDown(`The mail server ${server} can’t be reached. Nothing was sent.`);
}

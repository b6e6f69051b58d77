import { lookup } from 'node:dns/promises';
import { isIP } from 'node:net';
import { insideRefused, isInside } from '../call/inside.ts';
import { AppDown, BadAddress } from '../errors.ts';

/** Where a mail server is, and how one speaks to it. */
export interface MailServer {
  /** As it was given, without the port: what its certificate has to name. */
  readonly name: string;
  readonly port: number;
  /** TLS from the first byte; else the connection has to turn to TLS before anybody signs in. */
  readonly isTls: boolean;
  /** True on this machine only: there nobody can listen in. */
  readonly isPlainAllowed: boolean;
}

/** The protocol, with its ports (RFC 8314): TLS from the first byte, and turning to it. */
const protocols = {
  imap: { title: 'IMAP', tls: 993, plain: [143], byDefault: 993 },
  smtp: { title: 'SMTP', tls: 465, plain: [587, 25, 2525], byDefault: 587 },
} as const;
export type MailProtocol = keyof typeof protocols;

/**
 * Reads a mail server's address: `imap.example`, `imap.example:993` or `imaps://imap.example`.
 * @throws BadAddress
 */
export function readMailServer(text: string, protocol: MailProtocol): MailServer {
  const { title, tls, byDefault } = protocols[protocol];
  const given = text
    .trim()
    .replace(/^(?:imaps?|smtps?):\/\//i, '')
    .replace(/\/+$/, '');
  const isTlsAsked = /^(?:imaps|smtps):/i.test(text.trim());
  const url = `x://${given}`;
  const host = URL.canParse(url) ? new URL(url).hostname.replace(/^\[|\]$/g, '') : '';
  if (host === '' || /[\s/@?#]/.test(given))
    throw new BadAddress(`“${text}” is no address of an ${title} server. Give its name, such as ${protocol}.example.`);
  const port = Number(new URL(url).port) || (isTlsAsked ? tls : byDefault);
  return { name: host, port, isTls: port === tls, isPlainAllowed: host === 'localhost' || isLoopback(host) };
}

const isLoopback = (host: string): boolean => host === '::1' || host.startsWith('127.');

/**
 * The figures under which a server is reached, looked up once so that what was judged is what is connected to.
 * @throws NoRight when it lies inside this machine's own network and that isn't allowed, AppDown
 */
export async function addressOf({ name }: MailServer, isInsideAllowed: boolean): Promise<string> {
  const found = isIP(name) ? [{ address: name }] : await lookup(name, { all: true }).catch(() => []);
  const [first] = found;
  if (!first) throw new AppDown(`The mail server ${name} can’t be found. Check its name.`);
  if (isInsideAllowed) return first.address;
  const outside = found.find(({ address }) => !isInside(address));
  if (!outside) throw insideRefused(name);
  return outside.address;
}

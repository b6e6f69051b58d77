import { isWebAddress } from '@golden/core';
import { z } from 'zod';
import type { App, AppSetting, OpenOptions } from '../app.ts';
import { badAddress, HttpClient } from '../http/client.ts';
import { type OAuthApp, readTokens, TokenKeeper } from '../http/tokens.ts';
import { MailConnector, type MailOptions, type MailServers } from './mail-connector.ts';

const more: readonly AppSetting[] = [
  {
    name: 'senders',
    label: 'Sends as',
    hint: 'Such as Ada Holm <ada@clay.example>; several with commas between them. The user name where it is empty.',
    isSecret: false,
    isOptional: true,
  },
  {
    name: 'sent',
    label: 'Folder for sent mails',
    hint: 'Where a mail is looked for when its answer was lost. Found by itself in most mailboxes.',
    isSecret: false,
    isOptional: true,
  },
];

const holds = 'mails in folders, mails to send';

type Settings = Readonly<Record<string, string>>;

/** What all mailboxes have in common; `at` is where one signs in, where that is done by tokens. */
const common = (
  settings: Settings,
  { timeout, clock, attachable, keepTokens = async () => undefined }: OpenOptions,
  at: (settings: Settings) => OAuthApp,
): Omit<MailOptions, 'servers' | 'isInsideAllowed'> => ({
  user: (settings['user'] ?? '').trim(),
  password: settings['key'] ?? '',
  ...(settings['signs_in'] === 'there' && {
    tokens: new TokenKeeper(at(settings), readTokens(settings['key'] ?? ''), keepTokens, clock),
  }),
  senders: settings['senders'] ?? '',
  sent: settings['sent'] ?? '',
  trusted: settings['trusted'] ?? '',
  ...(attachable && { attachable }),
  ...(timeout !== undefined && { timeout }),
  ...(clock && { now: () => clock.now() }),
});

/** Where the owner of a mailbox anywhere signs in: at the page of its host, as a program that they registered there. */
const hostOf = (settings: Settings): OAuthApp => ({
  title: 'The host of the mailbox',
  issuer: (settings['issuer'] ?? '').trim(),
  clientId: (settings['client'] ?? '').trim(),
  clientSecret: settings['secret'] || undefined,
  // Hosts give a token to renew with only where they are asked for it, in one way or the other.
  asks: { login_hint: (settings['user'] ?? '').trim(), access_type: 'offline', prompt: 'consent' },
});

const postRoomAt = (settings: Settings): OAuthApp => {
  const address = settings['address'] ?? '';
  return {
    title: 'Post room',
    issuer: URL.canParse(address) ? new URL(address).origin : address,
    clientId: 'golden-relay',
    asks: { login_hint: (settings['user'] ?? '').trim() },
  };
};

/** Mailboxes anywhere. */
export const mailboxApp: App = {
  id: 'mailbox',
  title: 'Mailbox',
  holds,
  settings: [
    {
      name: 'imap',
      label: 'IMAP server, to read',
      hint: 'Such as imap.clay.example',
      isSecret: false,
      isOptional: true,
    },
    {
      name: 'smtp',
      label: 'SMTP server, to send',
      hint: 'Such as smtp.clay.example',
      isSecret: false,
      isOptional: true,
    },
    { name: 'user', label: 'User name', hint: 'Usually the e-mail address.', isSecret: false },
    {
      name: 'key',
      label: 'Password',
      hint: 'Many servers have a password of its own for each program: make one for Golden Relay.',
      isSecret: true,
      only: 'key',
    },
    {
      name: 'issuer',
      label: 'Address of the sign-in page',
      hint: 'The “issuer” of the host, such as https://accounts.clay.example',
      isSecret: false,
      only: 'sign_in',
    },
    {
      name: 'client',
      label: 'Client id',
      hint: 'Register Golden Relay as a program with the host of your mailbox; it gives you this.',
      isSecret: false,
      only: 'sign_in',
    },
    {
      name: 'secret',
      label: 'Client secret',
      hint: 'Where the host gives one.',
      isSecret: true,
      isOptional: true,
      only: 'sign_in',
    },
    {
      name: 'scope',
      label: 'Rights to ask for',
      hint: 'The scopes for IMAP and SMTP as the host names them, with spaces between them.',
      isSecret: false,
      only: 'sign_in',
    },
    ...more,
    {
      name: 'trusted',
      label: 'Server that checks senders',
      hint: 'The name at the beginning of “Authentication-Results” in a mail that came in. Without it no sender counts as proven.',
      isSecret: false,
      isOptional: true,
    },
  ],
  // Tokens were given for the page that gave them, too: they go to no other.
  originOf: ({ imap = '', smtp = '', signs_in, issuer = '' }) =>
    [(imap || smtp).trim().toLowerCase(), ...(signs_in === 'there' ? [issuer.trim()] : [])].join(' '),
  signIn: {
    isOptional: true,
    isOneRight: true,
    scopes: ({ scope = '' }) => scope.split(/\s+/).filter((one) => one !== ''),
    app: hostOf,
  },
  open: (settings, options = {}) =>
    new MailConnector({
      ...common(settings, options, hostOf),
      servers: async () => ({ imap: (settings['imap'] ?? '').trim(), smtp: (settings['smtp'] ?? '').trim() }),
      isInsideAllowed: options.mayCallInside ?? (async () => false),
    }),
};

/** The mailboxes of the practice app, which tells where its servers are. */
export const postRoomApp = (address: string | undefined): App => ({
  id: 'post_room',
  title: 'Post room',
  holds,
  settings: [
    { name: 'address', label: 'Web address of the app', isSecret: false, ...(address && { value: address }) },
    { name: 'user', label: 'E-mail address', isSecret: false, value: 'hello@saltmarsh.example' },
    {
      name: 'key',
      label: 'Password',
      hint: 'On the Post room’s page “Access keys and faults”.',
      isSecret: true,
      only: 'key',
    },
    ...more,
  ],
  signIn: { isOptional: true, isOneRight: true, scopes: () => ['mail'], app: postRoomAt },
  originOf: ({ address: at = '' }) => (URL.canParse(at) ? new URL(at).origin : at),
  open: (settings, options = {}) => {
    const at = settings['address'] ?? '';
    return new MailConnector({
      ...common({ ...settings, trusted: 'mx.post-room.example' }, options, postRoomAt),
      servers: serversAt(at, options),
      isInsideAllowed: async () => true,
      ...(isWebAddress(at) && { linkTo: (user, id) => mailLink(at, user, id) }),
    });
  },
});

const ServersSchema = z.object({ imap: z.string(), smtp: z.string() });

/** Milliseconds for which it is remembered where the servers are: after a new start they may be elsewhere. */
const known = 30_000;

/** Asks the Post room where its servers are. */
function serversAt(address: string, { timeout, retries }: OpenOptions): () => Promise<MailServers> {
  let asked: Promise<MailServers> | undefined;
  let askedAt = 0;
  const ask = async (): Promise<MailServers> => {
    if (!isWebAddress(address)) throw badAddress({ app: 'Post room', address });
    const client = new HttpClient({
      app: 'Post room',
      address,
      headers: {},
      ...(timeout !== undefined && { timeout }),
      ...(retries !== undefined && { retries }),
    });
    return ServersSchema.parse(client.json(await client.read({ method: 'GET', path: '/servers' })));
  };
  return () => {
    if (performance.now() - askedAt > known) asked = undefined;
    if (!asked) askedAt = performance.now();
    asked ??= ask().catch((error) => {
      asked = undefined;
      throw error;
    });
    return asked;
  };
}

/** Where the Post room shows a mail. */
function mailLink(address: string, user: string, messageId: string): string {
  return new URL(`/mailboxes/${encodeURIComponent(user)}/mail/${encodeURIComponent(messageId)}`, address).href;
}

/** The ids of apps through which mails are sent. */
export const mailAppIds: readonly string[] = [mailboxApp.id, postRoomApp(undefined).id];

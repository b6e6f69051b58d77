import { isWebAddress } from '@golden/core';
import { z } from 'zod';
import type { App, AppSetting, OpenOptions } from '../app.ts';
import { badAddress, HttpClient } from '../http/client.ts';
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

/** What all mailboxes have in common. */
const common = (
  settings: Settings,
  { timeout, clock }: OpenOptions,
): Omit<MailOptions, 'servers' | 'isInsideAllowed'> => ({
  user: (settings['user'] ?? '').trim(),
  password: settings['key'] ?? '',
  senders: settings['senders'] ?? '',
  sent: settings['sent'] ?? '',
  trusted: settings['trusted'] ?? '',
  ...(timeout !== undefined && { timeout }),
  ...(clock && { now: () => clock.now() }),
});

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
  originOf: ({ imap = '', smtp = '' }) => (imap || smtp).trim().toLowerCase(),
  open: (settings, options = {}) =>
    new MailConnector({
      ...common(settings, options),
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
    { name: 'key', label: 'Password', hint: 'On the Post room’s page “Access keys and faults”.', isSecret: true },
    ...more,
  ],
  originOf: ({ address: at = '' }) => (URL.canParse(at) ? new URL(at).origin : at),
  open: (settings, options = {}) => {
    const at = settings['address'] ?? '';
    return new MailConnector({
      ...common({ ...settings, trusted: 'mx.post-room.example' }, options),
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

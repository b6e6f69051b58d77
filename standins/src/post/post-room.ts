import type { HttpBindings } from '@hono/node-server';
import { Hono } from 'hono';
import { controlApp } from '../kit/control.ts';
import { SignIn, signInApp } from '../kit/sign-in.ts';
import { calm, type PracticeState } from '../kit/trouble.ts';
import { Delivery } from './delivery.ts';
import { ImapHouse } from './imap.ts';
import { type PostAddresses, postScreens, postSkin } from './screens.ts';
import { smtpHouse } from './smtp.ts';
import { type Mailbox, PostStore } from './store.ts';

/** The mailboxes of Saltmarsh Kiln Supply, with which a person signs in. */
export const postMailboxes: readonly Mailbox[] = [
  { address: 'hello@saltmarsh.example', name: 'Saltmarsh Kiln Supply', password: 'post-practice-hello', away: '' },
  { address: 'mira@saltmarsh.example', name: 'Mira Holm', password: 'post-practice-mira', away: '' },
  { address: 'workshop@saltmarsh.example', name: 'Saltmarsh workshop', password: 'post-practice-workshop', away: '' },
];

/** The practice app Post room, with its servers. */
export interface PostRoom {
  readonly app: Hono<{ Bindings: HttpBindings }>;
  readonly store: PostStore;
  readonly state: PracticeState;
  readonly imap: ImapHouse;
  readonly delivery: Delivery;
  readonly signIn: SignIn;
  /** Takes mail programs in at these ports of this machine; 0 takes a free one. */
  listen(imap: number, smtp: number): Promise<PostAddresses>;
  close(): Promise<void>;
}

/**
 * The practice app Post room on its own data file.
 *
 * @param routes - where mails for other places are handed over, as host:port, by their domain; all others come back as
 *   unknown
 */
export function postRoom(file: string, routes: Readonly<Record<string, string>> = {}): PostRoom {
  const store = new PostStore(file);
  for (const one of postMailboxes) if (!store.mailbox(one.address)) store.addMailbox(one);
  const state = calm('post-room-1');
  const signIn = new SignIn(store.db);
  const imap = new ImapHouse(store, state, signIn);
  const delivery = new Delivery(store, imap, state, routes);
  const smtp = smtpHouse(store, imap, delivery, state, signIn);
  smtp.on('error', () => undefined);
  const addresses: PostAddresses = { imap: '', smtp: '' };
  const app = new Hono<{ Bindings: HttpBindings }>();
  app.route('/practice', controlApp(state));
  app.route(
    '/',
    signInApp(signIn, {
      skin: postSkin,
      scopes: ['mail'],
      people: () => store.mailboxes().map(({ address }) => address),
      asks: () => 'read the mails of this mailbox and to send mails in its name',
    }),
  );
  app.route('/', postScreens({ store, imap, delivery, state, addresses }));
  return {
    app,
    store,
    state,
    imap,
    delivery,
    signIn,
    listen: async (imapPort, smtpPort) => {
      addresses.imap = `127.0.0.1:${await imap.listen(imapPort)}`;
      const port = await new Promise<number>((resolve, reject) => {
        smtp.once('error', reject);
        const server = smtp.listen(smtpPort, '127.0.0.1', () => resolve((server.address() as { port: number }).port));
      });
      addresses.smtp = `127.0.0.1:${port}`;
      return addresses;
    },
    close: async () => {
      delivery.outside.close();
      await delivery.outside.settled();
      await imap.close();
      await new Promise<void>((resolve) => smtp.close(() => resolve()));
      store.close();
    },
  };
}

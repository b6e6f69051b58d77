/// <reference path="./hoodiecrow.d.ts" />
import type { Socket } from 'node:net';
import hoodiecrow, { type Command, type Connection, type ImapServer, type StoredMessage } from 'hoodiecrow-imap';
import type { SignIn } from '../kit/sign-in.ts';
import { type PracticeState, suffers } from '../kit/trouble.ts';
import type { Mailbox, PostStore } from './store.ts';

const plugins = [
  'ID',
  'SASL-IR',
  'AUTH-PLAIN',
  'XOAUTH2',
  'NAMESPACE',
  'IDLE',
  'ENABLE',
  'UNSELECT',
  'UIDPLUS',
  'SPECIAL-USE',
  'MOVE',
  'LITERALPLUS',
];

/** The folders that each mailbox has from the start. */
export const firstFolders = ['INBOX', 'Sent', 'Done', 'Trash'] as const;

/** IMAP commands that change what lies in a mailbox. */
const changing = [
  'STORE',
  'UID STORE',
  'APPEND',
  'COPY',
  'UID COPY',
  'MOVE',
  'UID MOVE',
  'EXPUNGE',
  'UID EXPUNGE',
  'CLOSE',
  'CREATE',
  'DELETE',
  'RENAME',
];

/**
 * The mailboxes over IMAP, all at one port. Each mailbox is a server of its own that never listens; whoever has signed
 * in is handed over to it.
 */
export class ImapHouse {
  private readonly boxes = new Map<string, ImapServer>();
  private readonly front: ImapServer;
  private readonly sockets = new Set<Socket>();

  constructor(
    private readonly store: PostStore,
    private readonly state: PracticeState,
    private readonly signIn: SignIn,
  ) {
    for (const mailbox of store.mailboxes()) this.open(mailbox);
    this.front = hoodiecrow({ plugins, storage: { INBOX: {} } });
    this.front.users = {};
    this.handOver('LOGIN');
    this.handOver('AUTHENTICATE PLAIN');
    this.takeTokens();
    this.front.server.on('connection', (socket: Socket) => {
      this.sockets.add(socket);
      socket.setNoDelay(true);
      socket.on('close', () => this.sockets.delete(socket));
      this.state.requests += 1;
      if (suffers(this.state, 'down')) socket.destroy();
    });
  }

  /** Takes a mailbox in, with what is kept of it. */
  open({ address }: Mailbox): void {
    const folders = this.store.folders(address);
    const kept = this.store.mails(address);
    const at = (path: string): object => {
      const known = folders.find((one) => one.path === path);
      const messages = kept
        .filter((one) => one.folder === path)
        .map(({ uid, raw, flags, date }) => ({ uid, raw, flags: [...flags], internaldate: date }));
      return { uidvalidity: known?.uidvalidity ?? 1, uidnext: known?.uidnext ?? 1, messages };
    };
    const others = [...new Set([...firstFolders.slice(1), ...folders.map(({ path }) => path)])].filter(
      (path) => path !== 'INBOX',
    );
    const server = hoodiecrow({
      plugins,
      storage: {
        INBOX: at('INBOX'),
        '': {
          separator: '/',
          folders: Object.fromEntries(
            others.map((path) => [
              path,
              {
                ...at(path),
                ...(path === 'Sent' && { 'special-use': '\\Sent' }),
                ...(path === 'Trash' && { 'special-use': '\\Trash' }),
              },
            ]),
          ),
        },
      },
    });
    for (const name of changing) {
      const known = server.getCommandHandler(name);
      if (!known) continue;
      server.setCommandHandler(name, (connection, parsed, data, callback) => {
        this.state.writes += 1;
        known(connection, parsed, data, callback);
        this.keep(address);
      });
    }
    endIdlingWithTheConnection(server);
    server.setMaxListeners(0);
    this.boxes.set(address, server);
  }

  /** The folders of a mailbox with their mails, as they are now. */
  foldersOf(address: string): { readonly path: string; readonly messages: readonly StoredMessage[] }[] {
    return Object.values(this.boxes.get(address)?.folderCache ?? {});
  }

  message(address: string, folder: string, uid: number): StoredMessage | undefined {
    return this.boxes
      .get(address)
      ?.getMailbox(folder)
      ?.messages.find((one) => one.uid === uid);
  }

  /** Puts a mail into a folder of a mailbox; whoever looks at it is told. */
  put(
    address: string,
    folder: string,
    raw: Buffer,
    { flags = [], at = new Date() }: { flags?: string[]; at?: Date } = {},
  ): void {
    this.boxes.get(address)?.appendMessage(folder, flags, at, raw.toString('latin1'));
    this.keep(address);
  }

  addFolder(address: string, path: string): void {
    this.boxes.get(address)?.createMailbox(path);
    this.keep(address);
  }

  /** As a mail program does that opens a mail. */
  markRead(address: string, folder: string, uid: number): void {
    const message = this.message(address, folder, uid);
    if (!message || message.flags.includes('\\Seen')) return;
    message.flags.push('\\Seen');
    this.keep(address);
  }

  /** Gives a folder another validity, as a server does that was put back from a copy: all numbers count anew. */
  renumber(address: string, path: string): void {
    const folder = this.boxes.get(address)?.getMailbox(path);
    if (!folder) return;
    folder.uidvalidity += 1;
    folder.uidnext = 1;
    for (const message of folder.messages) message.uid = folder.uidnext++;
    this.keep(address);
  }

  listen(port: number): Promise<number> {
    return new Promise((resolve, reject) => {
      this.front.server.once('error', reject);
      this.front.listen(port, '127.0.0.1', () => resolve((this.front.server.address() as { port: number }).port));
    });
  }

  close(): Promise<void> {
    return new Promise((resolve) => {
      this.front.close(() => resolve());
      this.breakOff();
    });
  }

  /** Ends all connections, as a network does that fails. */
  breakOff(): void {
    for (const socket of this.sockets) socket.destroy();
  }

  private keep(address: string): void {
    const folders = Object.values(this.boxes.get(address)?.folderCache ?? {});
    const mails = folders.flatMap(({ path, messages }) =>
      messages.map(({ uid, raw, flags, internaldate }) => ({ folder: path, uid, raw, flags, date: internaldate })),
    );
    this.store.keep(address, folders, mails);
  }

  private handOver(name: string): void {
    const known = this.front.getCommandHandler(name);
    if (!known) return;
    this.front.setCommandHandler(name, (connection, parsed, data, callback) => {
      const users = this.store.mailboxes().map(({ address, password }) => [address, { password }] as const);
      this.front.users = suffers(this.state, 'sign_out') ? {} : Object.fromEntries(users);
      known(connection, parsed, data, callback);
      const told = parsed.attributes?.[0]?.value;
      this.moveIn(connection, name === 'LOGIN' ? told : nameIn(told));
      // Without an initial response the name comes with the next line.
      const asked = connection.inputHandler;
      if (!asked) return;
      connection.inputHandler = (text) => {
        asked(text);
        this.moveIn(connection, nameIn(text));
      };
    });
  }

  /** Signing in by a token, as RFC 7628 has it and as it was done before; the first is read, and answered as the second. */
  private takeTokens(): void {
    const known = this.front.getCommandHandler('AUTHENTICATE XOAUTH2');
    if (!known) return;
    this.front.registerCapability('AUTH=OAUTHBEARER', ({ state }) => state === 'Not Authenticated');
    const take = (connection: Connection, parsed: Command, data: string, callback: () => void): void => {
      const { user, token } = tokenIn(parsed.attributes?.[0]?.value);
      const isGranted = !suffers(this.state, 'sign_out') && this.signIn.grantOf(token)?.user === user;
      this.front.users = { [user]: { password: '', ...(isGranted && { xoauth2: { accessToken: token } }) } };
      const value = Buffer.from(`user=${user}\x01auth=Bearer ${token}\x01\x01`).toString('base64');
      known(connection, { ...parsed, attributes: [{ type: 'ATOM', value }] }, data, callback);
      this.moveIn(connection, user);
    };
    this.front.setCommandHandler('AUTHENTICATE XOAUTH2', take);
    this.front.setCommandHandler('AUTHENTICATE OAUTHBEARER', take);
  }

  /** Whoever has signed in is in their own mailbox from now on. */
  private moveIn(connection: Connection, who: string | undefined): void {
    const box = this.boxes.get((who ?? '').toLowerCase());
    if (connection.state === 'Authenticated' && box && connection.server !== box) this.moveTo(connection, box);
  }

  private moveTo(connection: Connection, box: ImapServer): void {
    this.front.removeListener('notify', connection._notificationCallback);
    connection.server = box;
    box.on('notify', connection._notificationCallback);
    connection.socket?.once('close', () => box.removeListener('notify', connection._notificationCallback));
  }
}

/**
 * Whoever goes while waiting for news (IDLE, RFC 2177) waits no more: the library keeps a timer of half an hour for each,
 * which keeps the whole process from ending.
 */
function endIdlingWithTheConnection(server: ImapServer): void {
  const idle = server.getCommandHandler('IDLE');
  if (!idle) return;
  server.setCommandHandler('IDLE', (connection, parsed, data, callback) => {
    idle(connection, parsed, data, callback);
    const waiting = connection.inputHandler;
    const end = (): void => {
      if (waiting && connection.inputHandler === waiting) waiting('DONE');
    };
    if (!connection.socket || connection.socket.destroyed) end();
    else connection.socket.once('close', end);
  });
}

/** Who signs in with which token, of what OAUTHBEARER (RFC 7628 section 3.1) or XOAUTH2 sends. */
function tokenIn(text: string | undefined): { user: string; token: string } {
  const parts = Buffer.from(text ?? '', 'base64')
    .toString()
    .split('\x01');
  const user = /(?:^user=|,a=)([^,]+)/.exec(parts[0] ?? '')?.[1] ?? '';
  const token = parts.map((part) => /^auth=Bearer (.+)$/i.exec(part)?.[1]).find((one) => one !== undefined);
  return { user: user.toLowerCase(), token: token ?? '' };
}

/** Who signs in, of what SASL PLAIN sends (RFC 4616). */
const nameIn = (text: string | undefined): string =>
  Buffer.from(text ?? '', 'base64')
    .toString()
    .split('\0')[1] ?? '';

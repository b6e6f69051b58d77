declare module 'hoodiecrow-imap' {
  import type { EventEmitter } from 'node:events';
  import type { Server, Socket } from 'node:net';

  /** A mail as it lies in a folder; its source as a binary string. */
  export interface StoredMessage {
    uid: number;
    raw: string;
    flags: string[];
    internaldate: string;
  }
  export interface StoredFolder {
    path: string;
    uidvalidity: number;
    uidnext: number;
    flags: string[];
    messages: StoredMessage[];
  }
  export interface Command {
    readonly tag: string;
    readonly command: string;
    readonly attributes?: readonly { readonly type: string; readonly value: string }[];
  }
  export interface Connection {
    state: string;
    server: ImapServer;
    socket: Socket | null;
    inputHandler: ((text: string) => void) | false;
    _notificationCallback: (notification: unknown) => void;
    send(response: object, description: string, parsed?: Command, data?: string): void;
  }
  type Handler = (connection: Connection, parsed: Command, data: string, callback: () => void) => void;
  export interface ImapServer extends EventEmitter {
    readonly server: Server;
    readonly folderCache: Record<string, StoredFolder>;
    users: Record<string, { password: string; xoauth2?: { accessToken: string } }>;
    registerCapability(name: string, isOffered: (connection: Connection) => boolean): void;
    listen(port: number, host: string, done: () => void): void;
    close(done?: () => void): void;
    getMailbox(path: string): StoredFolder | undefined;
    createMailbox(path: string, folder?: object): void;
    appendMessage(folder: string, flags: string[], date: Date | string, raw: string): { message: StoredMessage };
    getCommandHandler(name: string): Handler | false;
    setCommandHandler(name: string, handler: Handler): void;
    notify(command: object, folder: StoredFolder, ignored?: Connection): void;
  }
  export default function hoodiecrow(options: object): ImapServer;
}

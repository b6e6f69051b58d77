import { type AskStep, formatPointer } from '@golden/core';
import { type Listening, listen, type PostRoom, postMailboxes, postRoom } from '@golden/standins';
import { makeDoor } from '../doors/door-app.ts';
import { DoorLimits } from '../doors/limits.ts';
import type { Services } from '../services.ts';
import { addMailboxes, us } from './mail-desk.ts';
import { fieldFilling } from './world.ts';

// People who are asked by mail: their mailboxes, the mails in them, and the pages that those lead to.

export const [ann, ben] = ['ann@saltmarsh.example', 'ben@saltmarsh.example'] as const;

export interface AskedDesk {
  readonly room: PostRoom;
  readonly web: Listening;
  close(): Promise<void>;
}

/** A Post room in which Ann and Ben have mailboxes. */
export async function openAskedDesk(): Promise<AskedDesk> {
  const room = postRoom(':memory:');
  addMailboxes(room, [ann, ben]);
  await room.listen(0, 0);
  const web = await listen(room.app, 0);
  return {
    room,
    web,
    close: async () => {
      await web.close();
      await room.close();
    },
  };
}

/** Connects our own mailbox; gives the connection. */
export async function connectPost({ connections }: Services, { web }: AskedDesk): Promise<string> {
  const { id } = await connections.add({
    app: 'post_room',
    name: 'Post room',
    settings: { address: `${web.url}/api`, user: us },
    key: postMailboxes[0]?.password ?? '',
  });
  return id;
}

/** A step that asks Ann and Ben whether the row may be written. */
export const askBoth = (through: string, more: Partial<AskStep> = {}): AskStep => ({
  id: 'ask',
  kind: 'ask',
  what: { kind: 'approval', write: 'list' },
  words: [{ kind: 'words', text: 'May it go onto the list?' }],
  to: [{ kind: 'words', text: `${ann}, ${ben}` }],
  through,
  by: { amount: 2, unit: 'days' },
  silence: 'leaves_out',
  ...more,
});

export interface LetterGot {
  readonly subject: string;
  readonly text: string;
  readonly link: string;
}

/** The mails that somebody has got, the oldest first. */
export function lettersOf({ room }: AskedDesk, address: string): LetterGot[] {
  return room.imap
    .foldersOf(address)
    .filter(({ path }) => path === 'INBOX')
    .flatMap(({ messages }) => messages)
    .map(({ raw }) => {
      const text = raw.slice(raw.indexOf('\r\n\r\n')).replace(/=\r\n/g, '').replaceAll('=3D', '=');
      return {
        subject: /^subject: (.*(?:\r\n .*)*)/im.exec(raw)?.[1]?.replace(/\r\n/g, '') ?? '',
        text,
        link: /http:\/\/\S+\/ask\/\S+/.exec(text)?.[0] ?? '',
      };
    });
}

/** A page as it came. */
export interface PageGot {
  readonly status: number;
  readonly html: string;
  /** What stands in its inputs, by their names. */
  readonly inputs: Readonly<Record<string, string>>;
  readonly cookie: string | undefined;
}

/** A browser at the door, for one person. */
export class Visitor {
  private readonly door: ReturnType<typeof makeDoor>;
  cookie: string | undefined;

  constructor(services: Services) {
    this.door = makeDoor(services, new DoorLimits(100));
  }

  open(link: string): Promise<PageGot> {
    return this.ask(link, { method: 'GET' });
  }

  async send(link: string, fields: Readonly<Record<string, string>>): Promise<PageGot> {
    const page = await this.ask(link, {
      method: 'POST',
      body: new URLSearchParams(fields).toString(),
      headers: { 'content-type': 'application/x-www-form-urlencoded' },
    });
    return page.status === 303 ? this.open(link) : page;
  }

  private async ask(link: string, init: RequestInit): Promise<PageGot> {
    const headers = { ...(init.headers as Record<string, string>), ...(this.cookie && { cookie: this.cookie }) };
    const answer = await this.door.request(new URL(link).pathname, { ...init, headers });
    const html = await answer.text();
    const cookie = answer.headers.get('set-cookie')?.split(';')[0];
    if (cookie) this.cookie = cookie;
    return { status: answer.status, html, inputs: inputsIn(html), cookie };
  }
}

/** The values that a page's inputs have as it is loaded. */
function inputsIn(html: string): Record<string, string> {
  const plain = (text: string): string =>
    text
      .replaceAll('&quot;', '"')
      .replaceAll('&#39;', "'")
      .replaceAll('&lt;', '<')
      .replaceAll('&gt;', '>')
      .replaceAll('&amp;', '&');
  const found: Record<string, string> = {};
  for (const [tag] of html.matchAll(/<input[^>]*>/g)) {
    const name = /name="([^"]*)"/.exec(tag)?.[1];
    const type = /type="([^"]*)"/.exec(tag)?.[1];
    if (!name || ((type === 'radio' || type === 'checkbox') && !/ checked/.test(tag))) continue;
    found[plain(name)] = plain(/value="([^"]*)"/.exec(tag)?.[1] ?? '');
  }
  return found;
}

/** A path of the customers' list. */
export const column = (name: string): string => formatPointer([name]);

/** Fills the note of a row from a step that asks. */
export const fromAsk = (path: string) => ({ ...fieldFilling(path), ref: { step: 'ask', path } });

import { createHash } from 'node:crypto';
import type { ImapFlow } from 'imapflow';
import type { ListRequest, Page, SourceRecord } from '../connector.ts';
import { NotThere } from '../errors.ts';
import type { ImapSession } from './imap-session.ts';
import { type MailRecord, messageIdIn, mostBytes, readHead, readMail } from './mail-record.ts';

/** Mails of one page, and bytes of them after which no more are added. */
const pageSize = 40;
const pageBytes = 8 * 1024 * 1024;
/** Reports that are read at once: more are looked at the next time, when somebody has put those away. */
const mostBounces = 200;
/** Listings of a folder whose flags are remembered. */
const mostKept = 3;

/** What is known of each mail in a folder at one moment, by its number there. */
interface FolderState {
  readonly validity: bigint;
  readonly next: number;
  readonly flags: ReadonlyMap<number, string>;
}

/** A folder of a mailbox as a person chooses it. */
export interface FolderChoice {
  readonly path: string;
  readonly label: string;
  readonly holds: number;
}

/** What lies in the folders of a mailbox, read as records. */
export class Folders {
  private readonly states = new Map<string, FolderState>();

  constructor(
    private readonly session: ImapSession,
    private readonly trusted: string | undefined,
  ) {}

  /** All folders that hold mails, with how many each holds where that is asked. */
  all(isCounted = false): Promise<FolderChoice[]> {
    return this.session.use(async (client) => {
      const listed = await client.list(isCounted ? { statusQuery: { messages: true } } : {});
      return listed
        .filter(({ flags }) => !flags.has('\\Noselect') && !flags.has('\\NonExistent'))
        .map(({ path, status, delimiter }) => ({
          path,
          label: path.toUpperCase() === 'INBOX' ? 'Inbox' : path.split(delimiter || '/').join(' / '),
          holds: status?.messages ?? 0,
        }));
    });
  }

  /** The path of the folder for sent mails: the one that is named, else the one that the server calls so (RFC 6154). */
  sent(named: string | undefined): Promise<string | undefined> {
    return this.session.use(async (client) => {
      const listed = await client.list();
      if (named) return listed.find(({ path }) => path.toLowerCase() === named.toLowerCase())?.path;
      return listed.find(({ specialUse }) => specialUse === '\\Sent')?.path;
    });
  }

  /** Changes with every mail that comes, goes, or is marked. */
  async mark(folder: string): Promise<string> {
    const state = await this.session.inFolder(folder, stateOf);
    const mark = markOf(state);
    const key = `${folder}\n${mark}`;
    this.states.delete(key);
    this.states.set(key, state);
    const ours = [...this.states.keys()].filter((one) => one.startsWith(`${folder}\n`));
    for (const old of ours.slice(0, -mostKept)) this.states.delete(old);
    return mark;
  }

  /**
   * The mails of a folder, as they came. What a folder holds is told by its numbers, never by dates: a mail that somebody
   * puts into it is as old as it is.
   */
  list(folder: string, { cursor, unlessAsAt }: Pick<ListRequest, 'cursor' | 'unlessAsAt'>): Promise<Page> {
    return this.session.inFolder(folder, async (client, box) => {
      const after = cursorAt(cursor, box.uidValidity);
      const heads = (await headsOf(client, after)).sort((one, other) => one.uid - other.uid);
      const isKnown = unlessAsAt === undefined ? () => false : await this.knownBy(folder, unlessAsAt, client);
      const wanted = heads.filter(({ uid, flags }) => !isKnown(uid, flags));
      const page = firstPage(wanted);
      const last = page.at(-1)?.uid ?? after;
      const records = await this.readAll(client, folder, page);
      const isAtEnd = last === (wanted.at(-1)?.uid ?? last);
      return {
        records,
        cursor: isAtEnd ? null : `${box.uidValidity}:${last}`,
        ...(cursor === undefined && { unchanged: heads.length - wanted.length }),
      };
    });
  }

  /** The mails that came last. */
  last(folder: string, count: number): Promise<SourceRecord[]> {
    return this.session.inFolder(folder, async (client, box) => {
      const heads =
        box.exists === 0 ? [] : (await headsOf(client, 0)).sort((one, other) => other.uid - one.uid).slice(0, count);
      return this.readAll(
        client,
        folder,
        heads.filter((head) => !isTooLarge(head)),
      );
    });
  }

  /** One mail by its id, wherever in the mailbox it lies by now; null when it lies nowhere. */
  async fetch(folder: string, id: string): Promise<SourceRecord | null> {
    const here = await this.fetchIn(folder, id).catch((error: Error) => {
      if (error instanceof NotThere) return null;
      throw error;
    });
    if (here) return here;
    for (const { path } of await this.all()) {
      if (path === folder) continue;
      const found = await this.fetchIn(path, id);
      if (found) return found;
    }
    return null;
  }

  /** The mails of a folder with a Message-ID. */
  withMessageId(folder: string, messageId: string): Promise<SourceRecord[]> {
    return this.session.inFolder(folder, async (client) => {
      const found: SourceRecord[] = [];
      for (const uid of await search(client, { header: { 'message-id': messageId } })) {
        const [head] = await headsOf(client, uid - 1, uid);
        const read = head && (await this.read(client, folder, head));
        if (read && read.record['message_id'] === messageId) found.push(read);
      }
      return found;
    });
  }

  /** The mail with a Message-ID in the first folder that has it; the inbox comes first. */
  async anywhere(messageId: string): Promise<SourceRecord | undefined> {
    const folders = (await this.all()).map(({ path }) => path);
    for (const path of ['INBOX', ...folders.filter((one) => one.toUpperCase() !== 'INBOX')]) {
      const [found] = await this.withMessageId(path, messageId);
      if (found) return found;
    }
    return undefined;
  }

  /** What mail servers have told from a day on of mails that they couldn't deliver. */
  bounces(folder: string, since: Date): Promise<SourceRecord[]> {
    return this.session.inFolder(folder, async (client) => {
      const uids = await search(client, { since, header: { 'content-type': 'report' } });
      const heads: Head[] = [];
      for (const uid of uids.slice(-mostBounces)) heads.push(...(await headsOf(client, uid - 1, uid)));
      return this.readAll(client, folder, heads);
    });
  }

  /** How many mails to an address were put into a folder from a day on. */
  countTo(folder: string, address: string, since: Date): Promise<number> {
    return this.session.inFolder(folder, async (client) => (await search(client, { to: address, since })).length);
  }

  /** Puts a copy of a mail into a folder. */
  async append(folder: string, raw: Uint8Array): Promise<void> {
    await this.session.use((client) => client.append(folder, Buffer.from(raw), ['\\Seen']));
  }

  /** Marks a mail as read or unread, and moves it into another folder. @throws NotThere */
  async change(
    folder: string,
    id: string,
    { read, answered, to }: { read?: boolean | undefined; answered?: boolean; to?: string | undefined },
  ): Promise<void> {
    const uid = await this.session.inFolder(folder, (client) => this.uidOf(client, folder, id));
    if (uid === undefined) throw new NotThere('This mail isn’t in the folder any more.');
    await this.session.inFolder(folder, async (client) => {
      if (read === true) await client.messageFlagsAdd(String(uid), ['\\Seen'], { uid: true });
      if (answered) await client.messageFlagsAdd(String(uid), ['\\Answered'], { uid: true });
      if (read === false) await client.messageFlagsRemove(String(uid), ['\\Seen'], { uid: true });
      if (to !== undefined && to !== folder) await client.messageMove(String(uid), to, { uid: true });
    });
  }

  private fetchIn(folder: string, id: string): Promise<SourceRecord | null> {
    return this.session.inFolder(folder, async (client) => {
      const uid = await this.uidOf(client, folder, id);
      if (uid === undefined) return null;
      const [head] = await headsOf(client, uid - 1, uid);
      return head ? ((await this.read(client, folder, head)) ?? null) : null;
    });
  }

  /** The number of a mail in a folder that is open. One without a Message-ID is found by looking at all that have none. */
  private async uidOf(client: ImapFlow, folder: string, id: string): Promise<number | undefined> {
    const messageId = messageIdIn(id);
    const query =
      messageId === undefined
        ? { not: { header: { 'message-id': '' } } }
        : { header: { 'message-id': `<${messageId}>` } };
    for (const uid of await search(client, query)) {
      const [head] = await headsOf(client, uid - 1, uid);
      const read = head && (await this.read(client, folder, head));
      if (read?.id === id) return uid;
    }
    return undefined;
  }

  private async read(client: ImapFlow, folder: string, head: Head): Promise<SourceRecord | undefined> {
    return (await this.readAll(client, folder, [head]))[0];
  }

  /** Mails of an open folder, asked for at once. One that was taken out meanwhile isn't there any more. */
  private async readAll(client: ImapFlow, folder: string, heads: readonly Head[]): Promise<SourceRecord[]> {
    const raws = new Map<number, Uint8Array>();
    const take = async (some: readonly Head[], what: 'source' | 'headers'): Promise<void> => {
      if (some.length === 0) return;
      const range = some.map(({ uid }) => uid).join(',');
      for await (const one of client.fetch(range, { uid: true, [what]: true }, { uid: true })) {
        const raw = one[what];
        if (raw) raws.set(one.uid, raw);
      }
    };
    await take(
      heads.filter((head) => !isTooLarge(head)),
      'source',
    );
    await take(heads.filter(isTooLarge), 'headers');
    const records: SourceRecord[] = [];
    for (const head of heads) {
      const raw = raws.get(head.uid);
      if (raw) records.push(await this.recordOf(folder, head, raw));
    }
    return records;
  }

  private async recordOf(folder: string, head: Head, raw: Uint8Array): Promise<SourceRecord> {
    const { flags, size, received } = head;
    const isRead = flags.split(' ').includes('\\Seen');
    const at = { received, folder, isRead, trusted: this.trusted };
    const why = `This mail has ${Math.round(size / 1024 / 1024)} MB; only mails up to ${mostBytes / 1024 / 1024} MB are read. Open it in the mailbox.`;
    const { id, record }: MailRecord = isTooLarge(head) ? await readHead(raw, at, why) : await readMail(raw, at);
    return { id, record, version: isRead ? 'read' : 'unread', created: received };
  }

  /** Whether a mail is as it was when the folder had this mark. */
  private async knownBy(
    folder: string,
    mark: string,
    client: ImapFlow,
  ): Promise<(uid: number, flags: string) => boolean> {
    const before = this.states.get(`${folder}\n${mark}`);
    const now = await stateOf(client, client.mailbox as { uidValidity: bigint; uidNext: number });
    if (before) return (uid, flags) => before.validity === now.validity && before.flags.get(uid) === flags;
    // After a start nothing is remembered: either all of the former mails are as they were, or nobody knows which.
    const [validity, next] = mark.split('.');
    const former = new Map([...now.flags].filter(([uid]) => uid < Number(next)));
    const isSame = validity === String(now.validity) && markOf({ ...now, next: Number(next), flags: former }) === mark;
    return (uid) => isSame && uid < Number(next);
  }
}

interface Head {
  readonly uid: number;
  readonly flags: string;
  readonly size: number;
  readonly received: string;
}

const isTooLarge = ({ size }: Head): boolean => size > mostBytes;

/** So many mails as are read at once; at least one. */
function firstPage(heads: readonly Head[]): readonly Head[] {
  let bytes = 0;
  const end = heads.findIndex((head, at) => {
    bytes += isTooLarge(head) ? 0 : head.size;
    return at >= pageSize || (at > 0 && bytes > pageBytes);
  });
  return end < 0 ? heads : heads.slice(0, end);
}

const flagText = (flags: ReadonlySet<string> | undefined): string =>
  [...(flags ?? [])]
    .filter((flag) => flag !== '\\Recent')
    .sort()
    .join(' ');

/** What a folder tells of its mails without giving them, from a number on. */
async function headsOf(client: ImapFlow, after: number, last?: number): Promise<Head[]> {
  const heads: Head[] = [];
  const range = `${after + 1}:${last ?? '*'}`;
  for await (const one of client.fetch(
    range,
    { uid: true, flags: true, size: true, internalDate: true },
    { uid: true },
  )) {
    // The last mail is given for a range behind it as well (RFC 3501 section 9, "*").
    if (one.uid <= after) continue;
    const date = one.internalDate === undefined ? new Date(0) : new Date(one.internalDate);
    heads.push({ uid: one.uid, flags: flagText(one.flags), size: one.size ?? 0, received: date.toISOString() });
  }
  return heads;
}

async function stateOf(
  client: ImapFlow,
  { uidValidity, uidNext }: { uidValidity: bigint; uidNext: number },
): Promise<FolderState> {
  const flags = new Map<number, string>();
  for await (const one of client.fetch('1:*', { uid: true, flags: true }, { uid: true }))
    flags.set(one.uid, flagText(one.flags));
  const highest = Math.max(0, ...flags.keys());
  return { validity: uidValidity, next: Math.max(uidNext, highest + 1), flags };
}

function markOf({ validity, next, flags }: FolderState): string {
  const lines = [...flags].sort(([one], [other]) => one - other).map(([uid, text]) => `${uid} ${text}`);
  const digest = createHash('sha256').update(lines.join('\n')).digest('hex').slice(0, 20);
  return `${validity}.${next}.${digest}`;
}

/** Where a listing goes on; from the beginning where the folder counts anew since. */
function cursorAt(cursor: string | undefined, validity: bigint): number {
  const [of, uid] = (cursor ?? '').split(':');
  return of === String(validity) ? Number(uid) : 0;
}

async function search(client: ImapFlow, query: Parameters<ImapFlow['search']>[0]): Promise<number[]> {
  const found = await client.search(query, { uid: true });
  return Array.isArray(found) ? found : [];
}

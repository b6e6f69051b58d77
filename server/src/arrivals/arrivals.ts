import { arrivalEvent, type Field, type FieldType, fieldsOfExample } from '@golden/core';
import type { Connections } from '../connections.ts';
import type { GroupCommit, Trx } from '../db/group-commit.ts';
import type { Db } from '../db/open.ts';
import { NotPossible } from '../engine/errors.ts';
import type { Seams } from '../seams.ts';
import { type Ask, fieldOfAsk } from './asks.ts';
import { type ByteStore, hashOf } from './byte-store.ts';
import { type BodyReading, readBody } from './read-body.ts';

/** Larger bodies lie in files. */
const mostInRow = 64 * 1024;
/** Fields that are learnt of one inbox. */
const mostFields = 500;

/** What came, as it came. */
export interface Came {
  readonly inbox: string;
  /** What makes another one the same, such as the sender's id of the event. */
  readonly key: string;
  readonly mediaType: string;
  readonly headers: Readonly<Record<string, string>>;
  readonly body: Uint8Array;
  /** The same body within so many minutes is a repeat too. */
  readonly sameWithin?: number;
  /** Sent from here to try the way: its fields are learnt, and it starts nothing. */
  readonly isTest?: boolean;
  /** What it says, where that was read already. */
  readonly reading?: BodyReading;
}

/** How it was stored: as new, as one that was there, or as one that is no record. */
export type Stored =
  | { readonly kind: 'new' }
  | { readonly kind: 'repeat' }
  | { readonly kind: 'refused'; readonly message: string };

/** The id of the connection behind which all inboxes stand, and of its app. */
export const inboxApp = 'inbox';

interface Parts {
  readonly db: Db;
  readonly commits: GroupCommit;
  readonly bytes: ByteStore;
  readonly seams: Seams;
  readonly connections: Pick<Connections, 'list' | 'add'>;
  /** Tells whoever waits for an event. */
  readonly happened: (event: string) => Promise<unknown>;
}

/**
 * What comes by itself. It is stored raw before whoever brought it is answered; workflows read it
 * through the inbox's connector like the records of any app.
 */
export class Arrivals {
  constructor(private readonly parts: Parts) {}

  /** A new inbox; gives the connection and path under which it is a source. */
  async addInbox({
    asks = [],
    fields = asks.map(fieldOfAsk),
    ...words
  }: {
    readonly name: string;
    readonly singular: string;
    readonly plural: string;
    /** What somebody who begins by hand is asked for. */
    readonly asks?: readonly Ask[];
    /** Fields that are known before anything comes. */
    readonly fields?: readonly Field[];
  }): Promise<{ readonly connection: string; readonly path: string[] }> {
    const { db, seams, connections } = this.parts;
    const known = (await connections.list()).find((one) => one.app === inboxApp);
    const connection = known ?? (await connections.add({ app: inboxApp, name: 'Inbox', settings: {} }));
    const id = seams.id();
    await db
      .insertInto('inbox')
      .values({ id, ...words, fields: JSON.stringify(fields), asks: JSON.stringify(asks), made_at: seams.now() })
      .execute();
    return { connection: connection.id, path: [id] };
  }

  /**
   * Stores what came; once this resolves it outlives the process. A repeat is counted with the first
   * one: which it is the data file decides, so that of two at the same moment one is new.
   * @throws Error when there is no such inbox, or nothing can be stored
   */
  async store({
    inbox,
    key,
    mediaType,
    headers,
    body,
    sameWithin,
    isTest = false,
    reading: read,
  }: Came): Promise<Stored> {
    const { commits, bytes, seams, happened } = this.parts;
    const reading = read ?? (await readBody(mediaType, body));
    const isLarge = body.length > mostInRow;
    // The file is flushed before its row: a row never points at nothing.
    const hash = isLarge ? await bytes.put(body) : hashOf(body);
    seams.reach('arrival:before-store');
    const stored = await commits.run(async (trx): Promise<Stored> => {
      const same = sameWithin === undefined ? undefined : await sameBody(trx, inbox, hash, seams.now(), sameWithin);
      if (same !== undefined) {
        await trx
          .updateTable('arrival')
          .set((eb) => ({ repeats: eb('repeats', '+', 1) }))
          .where('seq', '=', same)
          .execute();
        return { kind: 'repeat' };
      }
      const row = await trx
        .insertInto('arrival')
        .values({
          inbox_id: inbox,
          key,
          at: seams.now(),
          media_type: mediaType,
          headers: JSON.stringify(headers),
          size: body.length,
          hash,
          body: isLarge ? null : body,
          refused: reading.ok ? null : reading.message,
          is_test: isTest ? 1 : 0,
        })
        .onConflict((conflict) =>
          conflict.columns(['inbox_id', 'key']).doUpdateSet((eb) => ({ repeats: eb('arrival.repeats', '+', 1) })),
        )
        .returning('repeats')
        .executeTakeFirstOrThrow();
      if (row.repeats > 0) return { kind: 'repeat' };
      if (!reading.ok) return { kind: 'refused', message: reading.message };
      await learnFields(trx, inbox, reading.shows ?? fieldsOfExample(reading.record));
      return { kind: 'new' };
    });
    seams.reach('arrival:after-store');
    if (stored.kind === 'new' && !isTest) await happened(arrivalEvent(inbox));
    return stored;
  }

  /** Stores a record of our own making, such as the answers of somebody who begins by hand, as what has come in. */
  storeRecord(inbox: string, key: string, record: object): Promise<Stored> {
    const body = Buffer.from(JSON.stringify(record));
    return this.store({ inbox, key, mediaType: 'application/json', headers: {}, body });
  }

  /** Something that came again is brought in as one of its own. */
  async again(inbox: string, key: string): Promise<void> {
    const { db, bytes } = this.parts;
    const row = await db
      .selectFrom('arrival')
      .selectAll()
      .where('inbox_id', '=', inbox)
      .where('key', '=', key)
      .executeTakeFirstOrThrow();
    if (row.emptied_at !== null) throw new NotPossible(notKeptAnyMore);
    const body = row.body ?? (await bytes.get(row.hash));
    for (let number = 2; ; number++) {
      const headers = JSON.parse(row.headers) as Record<string, string>;
      const came = { inbox, key: `${key} (${number})`, mediaType: row.media_type, headers, body };
      if ((await this.store(came)).kind === 'new') return;
    }
  }

  /**
   * Takes away files that belong to nothing: what a process left that ended before it stored their row.
   * To be done before anything can come: a file that is just being stored has no row yet.
   */
  async sweep(): Promise<void> {
    await this.parts.bytes.sweep((hash) => this.isUsed(hash));
  }

  /** The same while things come: only files that have lain there for an hour. */
  async sweepOld(): Promise<void> {
    await this.parts.bytes.sweep((hash) => this.isUsed(hash), 60 * 60_000);
  }

  private async isUsed(hash: string): Promise<boolean> {
    const { db } = this.parts;
    const arrival = await db
      .selectFrom('arrival')
      .select('seq')
      .where('hash', '=', hash)
      .where('body', 'is', null)
      .limit(1)
      .executeTakeFirst();
    if (arrival) return true;
    for (const table of ['form_file', 'document', 'document_edition', 'attachment'] as const)
      if (await db.selectFrom(table).select('hash').where('hash', '=', hash).limit(1).executeTakeFirst()) return true;
    const file = db.selectFrom('file').select('hash').where('hash', '=', hash).where('emptied_at', 'is', null);
    return (await file.limit(1).executeTakeFirst()) !== undefined;
  }
}

/** Said where somebody asks for what was taken out. */
const notKeptAnyMore = 'What came then isn’t kept any more: it is older than the days in the settings. Send it again.';

/** The arrival that had the same body a few minutes ago. */
async function sameBody(
  trx: Trx,
  inbox: string,
  hash: string,
  now: string,
  minutes: number,
): Promise<number | undefined> {
  const row = await trx
    .selectFrom('arrival')
    .select('seq')
    .where('inbox_id', '=', inbox)
    .where('hash', '=', hash)
    .where('at', '>=', new Date(Date.parse(now) - minutes * 60_000).toISOString())
    .orderBy('seq')
    .limit(1)
    .executeTakeFirst();
  return row?.seq;
}

/** The fields that an inbox shows only grow: one that the newest arrival lacks isn't gone. */
export async function learnFields(trx: Trx, inbox: string, shown: readonly Field[]): Promise<void> {
  const { fields } = await trx.selectFrom('inbox').select('fields').where('id', '=', inbox).executeTakeFirstOrThrow();
  const known = JSON.parse(fields) as Field[];
  const joined = joinFields(known, shown).slice(0, mostFields);
  const text = JSON.stringify(joined);
  if (text !== fields) await trx.updateTable('inbox').set({ fields: text }).where('id', '=', inbox).execute();
}

/** Known fields with what another record shows: a field that holds now this and now that is of either. */
export function joinFields(known: readonly Field[], shown: readonly Field[]): Field[] {
  const byPath = new Map(known.map((field) => [field.path, field]));
  for (const field of shown) {
    const before = byPath.get(field.path);
    if (!before) byPath.set(field.path, field);
    else
      byPath.set(field.path, {
        ...before,
        type: joinTypes(before.type, field.type),
        ...((before.fields || field.fields) && { fields: joinFields(before.fields ?? [], field.fields ?? []) }),
      });
  }
  return [...byPath.values()];
}

function joinTypes(one: FieldType, other: FieldType): FieldType {
  if (one === other) return one;
  // An empty value shows no type.
  if (one === 'any') return other;
  if (other === 'any') return one;
  if ([one, other].every((type) => type === 'integer' || type === 'decimal')) return 'decimal';
  if ([one, other].includes('list')) return 'list';
  return 'text';
}

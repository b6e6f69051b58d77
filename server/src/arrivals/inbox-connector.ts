import {
  type App,
  type Connector,
  type Health,
  type ListRequest,
  NotThere,
  type Page,
  type PlaceChoice,
  Refused,
  type SourceRecord,
} from '@golden/connectors';
import type { Field, Found, JsonRecord, RecordType } from '@golden/core';
import type { ExpressionBuilder, Selectable } from 'kysely';
import type { Db } from '../db/open.ts';
import type { ArrivalTable, Tables } from '../db/schema.ts';
import { markOfHanded } from '../handing/keep-handed.ts';
import { inboxApp } from './arrivals.ts';
import type { ByteStore } from './byte-store.ts';
import { ofFile } from './files/dropped.ts';
import { checkedBy } from './mail-marks.ts';
import { readBody } from './read-body.ts';
import { hopsIn } from './relays.ts';

const pageSize = 200;

/** What every arrival has, under a name that no sender uses. */
const ownFields: readonly Field[] = [
  { path: '/$arrival/id', label: 'arrival id', type: 'id', readOnly: true },
  { path: '/$arrival/at', label: 'came at', type: 'instant', readOnly: true },
];

/** What a record of a file has besides. */
const fileFields: readonly Field[] = [
  { path: '/$arrival/file', label: 'file', type: 'text', readOnly: true },
  { path: '/$arrival/place', label: 'place in the file', type: 'text', readOnly: true },
];

/** Of a record that came with several files only its newest state is one. */
const isNewest = ({ or, not, exists, selectFrom, eb }: ExpressionBuilder<Tables, 'arrival'>) =>
  or([
    eb('arrival.source', 'is', null),
    // Whoever handed it over counts on each.
    eb('arrival.is_handed', '=', 1),
    not(
      exists(
        selectFrom('arrival as later')
          .select('later.seq')
          .whereRef('later.inbox_id', '=', 'arrival.inbox_id')
          .whereRef('later.source', '=', 'arrival.source')
          .whereRef('later.seq', '>', 'arrival.seq')
          .where('later.refused', 'is', null),
      ),
    ),
  ]);

/** The inboxes as an app that is always connected. */
export function inboxAppOn(db: Db, bytes: ByteStore): App {
  return {
    id: inboxApp,
    title: 'Inbox',
    holds: 'what comes by itself',
    settings: [],
    isInternal: true,
    originOf: () => inboxApp,
    open: () => new InboxConnector(db, bytes),
  };
}

/** What has come into the inboxes, as records that can be listed like those of any app. Nothing is written to it. */
class InboxConnector implements Connector {
  readonly settleBy = 'lookup';

  constructor(
    private readonly db: Db,
    private readonly bytes: ByteStore,
  ) {}

  async health(): Promise<Health> {
    const inboxes = await this.db.selectFrom('inbox').select('plural').execute();
    return {
      signedInAs: 'this server',
      account: inboxApp,
      sees: inboxes.map(({ plural }) => plural),
      mayRead: true,
      mayWrite: false,
    };
  }

  async places(path: readonly string[]): Promise<readonly PlaceChoice[]> {
    if (path.length > 0) return [];
    const inboxes = await this.db.selectFrom('inbox').select(['id', 'name']).orderBy('name').execute();
    return inboxes.map(({ id, name }) => ({ id, label: name, isPlace: true }));
  }

  async describe(path: readonly string[]): Promise<RecordType> {
    const inbox = await this.inbox(path);
    const takesFiles = await this.db
      .selectFrom('file_start')
      .select('inbox_id')
      .where('inbox_id', '=', inbox.id)
      .executeTakeFirst();
    return {
      name: inbox.id,
      singular: inbox.singular,
      plural: inbox.plural,
      fields: [...ownFields, ...(takesFiles ? fileFields : []), ...(JSON.parse(inbox.fields) as Field[])],
      can: { list: true, find: false, create: false, update: false, readBack: true },
      created: '/$arrival/at',
      updated: '/$arrival/at',
    };
  }

  async list({ path, since, cursor }: ListRequest): Promise<Page> {
    const { id } = await this.inbox(path);
    let rows = this.db
      .selectFrom('arrival')
      .selectAll()
      .where('inbox_id', '=', id)
      .where('refused', 'is', null)
      .where('is_test', '=', 0)
      .where('emptied_at', 'is', null)
      .where('seq', '>', Number(cursor ?? 0))
      .where(isNewest)
      .orderBy('seq')
      .limit(pageSize + 1);
    // By the order in which they were stored: what came after a step of our clock may bear an earlier time.
    if (since !== undefined)
      rows = rows.where('seq', '>=', (eb) =>
        eb
          .selectFrom('arrival as first')
          .select((first) => first.fn.coalesce(first.fn.min('first.seq'), first.val(Number.MAX_SAFE_INTEGER)).as('seq'))
          .where('first.inbox_id', '=', id)
          .where('first.at', '>=', since),
      );
    const found = await rows.execute();
    const shown = found.slice(0, pageSize);
    const records = await Promise.all(shown.map((row) => this.recordOf(row)));
    return { records, cursor: found.length > pageSize ? String(shown.at(-1)?.seq) : null };
  }

  async fetch(path: readonly string[], key: string): Promise<SourceRecord | null> {
    const { id } = await this.inbox(path);
    const row = await this.db
      .selectFrom('arrival')
      .selectAll()
      .where('inbox_id', '=', id)
      .where((eb) => eb.or([eb('source', '=', key), eb.and([eb('source', 'is', null), eb('key', '=', key)])]))
      .where('refused', 'is', null)
      .where('emptied_at', 'is', null)
      .orderBy('seq', 'desc')
      .limit(1)
      .executeTakeFirst();
    return row ? this.recordOf(row) : null;
  }

  async find(): Promise<readonly Found[]> {
    return nothingIsWritten();
  }
  async create(): Promise<never> {
    return nothingIsWritten();
  }
  async update(): Promise<never> {
    return nothingIsWritten();
  }
  async remove(): Promise<never> {
    return nothingIsWritten();
  }
  linkTo(): undefined {
    return undefined;
  }

  private async recordOf(row: Selectable<ArrivalTable>): Promise<SourceRecord> {
    const body = row.body ?? (await this.bytes.get(row.hash));
    const reading = await readBody(row.media_type, body, { received: row.at, trusted: checkedBy(row.headers) });
    const hops = hopsIn(row.headers);
    const id = row.source ?? row.key;
    const handed = markOfHanded(row);
    const own = {
      $arrival: {
        id,
        at: row.at,
        ...(hops > 0 && { hops }),
        ...(handed && { handed: handed as unknown as JsonRecord }),
        ...ofFile(row.headers, row.place),
      },
    };
    const record = reading.ok ? { ...reading.record, ...own } : own;
    // A record that a later file gives back to what it was is news all the same.
    const version = row.source === null ? row.hash.slice(0, 32) : `${row.hash.slice(0, 32)}.${row.seq}`;
    return { id, record, version, updated: row.at, created: row.at };
  }

  private async inbox([id = '']: readonly string[]) {
    const inbox = await this.db.selectFrom('inbox').selectAll().where('id', '=', id).executeTakeFirst();
    if (!inbox) throw new NotThere('This inbox isn’t there any more.');
    return inbox;
  }
}

function nothingIsWritten(): never {
  throw new Refused('Nothing is written to an inbox: what stands there has come by itself.', []);
}

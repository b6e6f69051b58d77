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
  type WriteRequest,
  type Written,
} from '@golden/connectors';
import { contactKey, type Found, type JsonRecord, nest, type Pointer, type RecordType, type Value } from '@golden/core';
import type { Selectable } from 'kysely';
import type { Connections } from '../connections.ts';
import type { GroupCommit } from '../db/group-commit.ts';
import type { Db } from '../db/open.ts';
import type { UnsubscribeTable } from '../db/schema.ts';
import type { Seams } from '../seams.ts';
import { loadSettings } from '../settings.ts';
import { isContact, unsubscribe } from './unsubscribes.ts';

// The list of those who don't want news as a place of its own: what is put on it can start a workflow, that takes the
// consent back in other apps as well, or end a wait; and what was said in another app can be put on it by one.

/** The app that the list is; nobody connects it. */
export const listApp = 'unsubscribed';

const place = 'list';
const pageSize = 200;

interface Parts {
  readonly db: Db;
  readonly commits: () => GroupCommit;
  readonly seams: Seams;
}

/** The list as an app that is always connected. */
export const listAppOn = (parts: Parts): App => ({
  id: listApp,
  title: 'Unsubscribed',
  holds: 'who doesn’t want news any more',
  settings: [],
  isInternal: true,
  originOf: () => listApp,
  open: () => new ListConnector(parts),
});

/** Has the list among the connections, so that workflows can start at it and write to it. */
export async function connectList(connections: Pick<Connections, 'list' | 'add'>): Promise<void> {
  if ((await connections.list()).some(({ app }) => app === listApp)) return;
  await connections.add({ app: listApp, name: 'Unsubscribed', settings: {} });
}

const described: RecordType = {
  name: 'unsubscribed',
  singular: 'person who unsubscribed',
  plural: 'people who unsubscribed',
  fields: [
    { path: '/email', label: 'e-mail', type: 'email' },
    { path: '/phone', label: 'phone', type: 'phone' },
    { path: '/said', label: 'what was said', type: 'text', maxLength: 400 },
    { path: '/at', label: 'unsubscribed at', type: 'instant', readOnly: true },
    { path: '/id', label: 'id', type: 'id', readOnly: true },
  ],
  // Who is on it already stays as they were put on it: what was said now isn’t looked for there.
  can: { list: true, find: true, create: true, update: false, readBack: false },
  findBy: ['/email', '/phone'],
  created: '/at',
  updated: '/at',
};

class ListConnector implements Connector {
  // Somebody who is on the list already stays on it: the same may be sent again and again.
  readonly settleBy = 'idempotency_key';

  constructor(private readonly parts: Parts) {}

  async health(): Promise<Health> {
    return { signedInAs: 'this server', account: listApp, sees: [described.plural], mayRead: true, mayWrite: true };
  }

  async places(path: readonly string[]): Promise<readonly PlaceChoice[]> {
    return path.length > 0 ? [] : [{ id: place, label: 'Who unsubscribed', isPlace: true }];
  }

  async describe(path: readonly string[]): Promise<RecordType> {
    expectPlace(path);
    return described;
  }

  async list({ path, since, cursor }: ListRequest): Promise<Page> {
    expectPlace(path);
    const [at = '', id = ''] = (cursor ?? '').split(' ');
    let rows = this.parts.db
      .selectFrom('unsubscribe')
      .selectAll()
      .where('taken_back_at', 'is', null)
      .orderBy('at')
      .orderBy('id')
      .limit(pageSize + 1);
    if (since !== undefined) rows = rows.where('at', '>=', since);
    if (cursor !== undefined)
      rows = rows.where((eb) => eb.or([eb('at', '>', at), eb.and([eb('at', '=', at), eb('id', '>', id)])]));
    const found = await rows.execute();
    const shown = found.slice(0, pageSize);
    const last = shown.at(-1);
    return { records: shown.map(recordOf), cursor: found.length > pageSize && last ? `${last.at} ${last.id}` : null };
  }

  async fetch(path: readonly string[], id: string): Promise<SourceRecord | null> {
    expectPlace(path);
    const row = await this.parts.db
      .selectFrom('unsubscribe')
      .selectAll()
      .where('id', '=', id)
      .where('taken_back_at', 'is', null)
      .executeTakeFirst();
    return row ? recordOf(row) : null;
  }

  async find(
    path: readonly string[],
    { value }: { readonly path: Pointer; readonly value: Value },
  ): Promise<readonly Found[]> {
    expectPlace(path);
    const contact = contactKey(value, (await loadSettings(this.parts.db)).country);
    const row = contact === undefined ? undefined : await this.rowOf(contact);
    return row ? [recordOf(row)] : [];
  }

  async create({ write }: WriteRequest): Promise<Written> {
    expectPlace(write.target.path);
    const values = nest(write.values);
    const { country } = await loadSettings(this.parts.db);
    const contact = contactKey(values['email'] as Value, country) ?? contactKey(values['phone'] as Value, country);
    if (contact === undefined || !isContact(contact))
      throw new Refused('Fill in the e-mail address or the telephone number of who unsubscribed.', [
        { path: '/email', label: 'e-mail', message: 'An e-mail address or a telephone number is needed.' },
      ]);
    const said = values['said'] === undefined || values['said'] === null ? undefined : String(values['said']);
    await this.parts.commits().run((trx) => unsubscribe(this.parts, trx, { contact, how: 'workflow', said }));
    const row = await this.rowOf(contact);
    if (!row) throw new Refused('A person took them off the list again just now.', []);
    return { id: row.id, record: recordOf(row).record };
  }

  async update(): Promise<never> {
    throw new Refused('What somebody said isn’t changed. Choose “append”.', []);
  }

  async remove(): Promise<never> {
    throw new Refused('Only a person takes somebody off this list, under Settings.', []);
  }

  linkTo(): undefined {
    return undefined;
  }

  private rowOf(contact: string) {
    return this.parts.db
      .selectFrom('unsubscribe')
      .selectAll()
      .where('contact', '=', contact)
      .where('taken_back_at', 'is', null)
      .executeTakeFirst();
  }
}

function recordOf({ id, contact, at, said }: Selectable<UnsubscribeTable>): SourceRecord {
  const record: JsonRecord = {
    id,
    email: contact.includes('@') ? contact : null,
    phone: contact.includes('@') ? null : contact,
    said,
    at,
  };
  return { id, record, version: id, updated: at, created: at };
}

/** @throws NotThere */
function expectPlace([name]: readonly string[]): void {
  if (name !== place) throw new NotThere('There is no such list.');
}

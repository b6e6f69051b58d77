import { type Field, fieldsOfQuestion, type JsonRecord } from '@golden/core';
import type { Selectable } from 'kysely';
import type { Arrivals, Stored } from '../arrivals/arrivals.ts';
import type { ByteStore } from '../arrivals/byte-store.ts';
import type { GroupCommit, Trx } from '../db/group-commit.ts';
import type { Db } from '../db/open.ts';
import type { FormFileTable, FormTable } from '../db/schema.ts';
import { keepPast } from '../doors/doors.ts';
import { NotPossible } from '../engine/errors.ts';
import type { Events } from '../events.ts';
import type { Seams } from '../seams.ts';
import type { Sealing } from '../secrets/sealing.ts';
import { type FormSetting, FormSettingSchema, newForm } from './setting.ts';

interface Parts {
  readonly db: Db;
  readonly commits: GroupCommit;
  readonly arrivals: Arrivals;
  readonly bytes: ByteStore;
  readonly seams: Seams;
  readonly events: Events;
  readonly sealing: Pick<Sealing, 'markOf'>;
  /** Where the door is reached, without a path. */
  readonly base: () => Promise<string>;
}

/** A form as it is served: its newest version. */
export interface Form {
  readonly inbox: string;
  readonly address: string;
  readonly setting: FormSetting;
  readonly version: number;
}

/** A file that came with a form, as it is found by its link. */
export type FormFile = Selectable<FormFileTable>;

/** What somebody has filled in. */
export interface Submission {
  readonly inbox: string;
  readonly version: number;
  /** What makes another one the same: it was sent twice. */
  readonly key: string;
  readonly record: JsonRecord;
}

/** The pages on which people fill in what starts a workflow. What they send is kept like anything that comes by itself. */
export class Forms {
  constructor(private readonly parts: Parts) {}

  /** A new form with an inbox of its own; gives the connection and path under which it is a source. */
  async add(name: string): Promise<{ readonly connection: string; readonly path: string[] }> {
    const words = { name, singular: 'submission', plural: 'submissions' };
    const setting = newForm(name);
    const inbox = await this.parts.arrivals.addInbox({ ...words, fields: fieldsOf(setting) });
    await this.open(inbox.path[0] ?? '', setting);
    return inbox;
  }

  /** Gives an inbox a form at an address of its own. */
  async open(inbox: string, setting: FormSetting): Promise<void> {
    const { commits, seams } = this.parts;
    await commits.run(async (trx) => {
      const address = await this.newAddress(trx, setting);
      const row = { inbox_id: inbox, address, setting: JSON.stringify(setting), version: 1, made_at: seams.now() };
      await trx.insertInto('form').values(row).execute();
      await keepVersion(trx, row, seams.now());
    });
  }

  /** The form at an address; 'past' for one that was there before, undefined for none. */
  async at(address: string): Promise<Form | 'past' | undefined> {
    const { db } = this.parts;
    const row = await db.selectFrom('form').selectAll().where('address', '=', address).executeTakeFirst();
    if (row) return opened(row);
    const past = await db.selectFrom('door_past').select('address').where('address', '=', address).executeTakeFirst();
    return past && 'past';
  }

  /** The form of an inbox. @throws NotPossible where it has none */
  async of(inbox: string): Promise<Form> {
    const row = await this.parts.db.selectFrom('form').selectAll().where('inbox_id', '=', inbox).executeTakeFirst();
    if (!row) throw new NotPossible('This source has no form.');
    return opened(row);
  }

  /** What a form asked in one of its versions; undefined for one that it never had. */
  async versionOf(inbox: string, number: number): Promise<FormSetting | undefined> {
    const row = await this.parts.db
      .selectFrom('form_version')
      .select('setting')
      .where('inbox_id', '=', inbox)
      .where('number', '=', number)
      .executeTakeFirst();
    return row && FormSettingSchema.parse(JSON.parse(row.setting));
  }

  /**
   * Changes a form, which is another version then: a page that was opened before can still be sent. Fields that are
   * asked for no more stay known as long as submissions have them.
   *
   * @param since - the version that was changed. @throws NotPossible where somebody has changed it meanwhile
   */
  async change(inbox: string, setting: FormSetting, since: number): Promise<Form> {
    const { commits, seams } = this.parts;
    const changed = await commits.run(async (trx): Promise<Form> => {
      const row = await trx.selectFrom('form').selectAll().where('inbox_id', '=', inbox).executeTakeFirst();
      if (!row) throw new NotPossible('This source has no form.');
      if (row.version !== since)
        throw new NotPossible(
          'Somebody has changed this form in another window. Load it again; what you typed stays here.',
        );
      const before = opened(row);
      const isElsewhere = before.setting.access !== setting.access;
      if (isElsewhere) await keepPast(trx, row, seams.now());
      const next = {
        ...row,
        address: isElsewhere ? await this.newAddress(trx, setting) : row.address,
        setting: JSON.stringify(setting),
        version: row.version + 1,
      };
      const { inbox_id: _id, ...values } = next;
      await trx.updateTable('form').set(values).where('inbox_id', '=', inbox).execute();
      await keepVersion(trx, next, seams.now());
      await trx
        .updateTable('inbox')
        .set({ fields: JSON.stringify(fieldsOf(setting)) })
        .where('id', '=', inbox)
        .execute();
      return opened(next);
    });
    this.tell(inbox);
    return changed;
  }

  /** Gives a form another address; at the old one people are told that it is gone. */
  async renew(inbox: string): Promise<void> {
    const { commits, seams } = this.parts;
    await commits.run(async (trx) => {
      const row = await trx.selectFrom('form').selectAll().where('inbox_id', '=', inbox).executeTakeFirstOrThrow();
      await keepPast(trx, row, seams.now());
      const address = await this.newAddress(trx, opened(row).setting);
      await trx.updateTable('form').set({ address }).where('inbox_id', '=', inbox).execute();
    });
    this.tell(inbox);
  }

  /** Closes the form of an inbox that no workflow starts from any more. */
  async closeUnused(inbox: string, used: ReadonlySet<string>): Promise<void> {
    const { db, commits, seams } = this.parts;
    const row = await db.selectFrom('form').selectAll().where('inbox_id', '=', inbox).executeTakeFirst();
    if (!row || used.has(inbox)) return;
    await commits.run(async (trx) => {
      await keepPast(trx, row, seams.now());
      await trx.deleteFrom('form').where('inbox_id', '=', inbox).execute();
    });
  }

  /** Keeps what somebody has filled in; sent twice it is a repeat. */
  async take({ inbox, version, key, record }: Submission): Promise<Stored> {
    const setting = await this.versionOf(inbox, version);
    const stored = await this.parts.arrivals.store({
      inbox,
      key,
      mediaType: 'application/json',
      headers: { 'form-version': String(version) },
      body: Buffer.from(JSON.stringify(record)),
      reading: { ok: true, record, shows: setting ? fieldsOf(setting) : [] },
    });
    this.tell(inbox);
    return stored;
  }

  /** Keeps a file that came with a form; gives it with the link under which it is found. */
  async keepFile(
    inbox: string,
    {
      name,
      mediaType,
      bytes: content,
    }: { readonly name: string; readonly mediaType: string; readonly bytes: Uint8Array },
  ): Promise<FormFile> {
    const { bytes, commits, seams } = this.parts;
    const hash = await bytes.put(content);
    const row: FormFile = {
      id: seams.id(),
      inbox_id: inbox,
      name,
      media_type: mediaType,
      size: content.length,
      hash,
      at: seams.now(),
    };
    await commits.run((trx) => trx.insertInto('form_file').values(row).execute());
    return row;
  }

  /** A file by its id and the mark of its link; undefined where there is none, or the mark is another's. */
  async file(id: string, mark: string): Promise<FormFile | undefined> {
    if (mark !== this.markOfFile(id)) return undefined;
    return this.parts.db.selectFrom('form_file').selectAll().where('id', '=', id).executeTakeFirst();
  }

  /** What tells the link of a file that was made here from one that was guessed. */
  markOfFile(id: string): string {
    return this.parts.sealing.markOf(`form file ${id}`);
  }

  /** The link under which a file is opened by whoever has it. */
  async linkOfFile({ id, name }: FormFile): Promise<string> {
    return `${await this.parts.base()}/file/${id}/${this.markOfFile(id)}/${encodeURIComponent(name)}`;
  }

  content({ hash }: FormFile): Promise<Uint8Array> {
    return this.parts.bytes.get(hash);
  }

  private tell(inbox: string): void {
    this.parts.events.tell({ topic: 'door', id: inbox });
  }

  /** An address that can't be guessed, or one that is made of the form's title. */
  private async newAddress(trx: Trx, { access, title }: FormSetting): Promise<string> {
    const { id } = this.parts.seams;
    const random = (): string => `${id()}${id()}`.replaceAll('-', '').slice(0, 40);
    if (access === 'link') return random();
    const plain =
      title
        .normalize('NFKD')
        .replace(/\p{M}/gu, '')
        .toLowerCase()
        .replace(/[^a-z0-9]+/g, '-')
        .replace(/^-+|-+$/g, '')
        .slice(0, 60) || 'form';
    for (let number = 1; number < 200; number++) {
      const address = number === 1 ? plain : `${plain}-${number}`;
      const taken = await trx.selectFrom('form').select('address').where('address', '=', address).executeTakeFirst();
      const past = await trx
        .selectFrom('door_past')
        .select('address')
        .where('address', '=', address)
        .executeTakeFirst();
      if (!taken && !past) return address;
    }
    return random();
  }
}

/** The fields that submissions have: an answer may be missing where its question came later. */
export const fieldsOf = ({ questions }: Pick<FormSetting, 'questions'>): Field[] =>
  questions.flatMap((question) =>
    fieldsOfQuestion(question).map(({ required: _asked, ...field }) => ({ ...field, mayLack: true })),
  );

const opened = ({ inbox_id, address, setting, version }: Selectable<FormTable>): Form => ({
  inbox: inbox_id,
  address,
  setting: FormSettingSchema.parse(JSON.parse(setting)),
  version,
});

async function keepVersion(
  trx: Trx,
  { inbox_id, setting, version }: Pick<FormTable, 'inbox_id' | 'setting' | 'version'>,
  at: string,
): Promise<void> {
  await trx.insertInto('form_version').values({ inbox_id, number: version, setting, at }).execute();
}

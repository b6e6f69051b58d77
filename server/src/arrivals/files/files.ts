import { arrivalEvent, type Field, type JsonRecord } from '@golden/core';
import type { GroupCommit, Trx } from '../../db/group-commit.ts';
import type { Db } from '../../db/open.ts';
import type { FileRow } from '../../db/schema.ts';
import { NotPossible } from '../../engine/errors.ts';
import type { Seams } from '../../seams.ts';
import { loadSettings } from '../../settings.ts';
import { type Arrivals, joinFields } from '../arrivals.ts';
import { type ByteStore, hashOf } from '../byte-store.ts';
import { whyTooMuch } from '../read-body.ts';
import { cameHeader, fileHeader } from './dropped.ts';
import { type NamedRecord, nameRecords, RecordNamer } from './name-records.ts';
import { proposeKey } from './propose-key.ts';
import { type FileRecords, recordsOfFile } from './records-of-file.ts';
import { type FileSetting, FileSettingSchema, newFileSetting, type Recognise, seriesOf } from './setting.ts';

/** Records that are stored in one transaction. */
const atOnce = 200;
/** New and changed records that are shown before a file is taken. */
const mostShown = 8;

interface Parts {
  readonly db: Db;
  readonly commits: GroupCommit;
  readonly bytes: ByteStore;
  readonly arrivals: Arrivals;
  readonly seams: Seams;
  /** Tells whoever waits for what has come. */
  readonly happened: (event: string) => Promise<unknown>;
}

/** A file as somebody gives it. */
export interface GivenFile {
  readonly inbox: string;
  readonly name: string;
  readonly bytes: Uint8Array;
  readonly came: FileRow['came'];
  /** It is taken though something speaks against it, of which a person knows. */
  readonly isEvenSo?: boolean;
  /** All of its records come once more, also those that are as they were. */
  readonly isAgain?: boolean;
}

/** What a file would bring. */
export interface FileLook {
  /** The same file came before. */
  readonly repeatOf: { readonly name: string; readonly at: string } | null;
  readonly plural: string;
  readonly rows: number;
  readonly added: number;
  readonly changed: number;
  readonly same: number;
  readonly twice: number;
  /** What speaks against taking it, in a sentence. */
  readonly against: string | null;
  /** Places of records that share what is to recognise them, and differ. */
  readonly sharing: readonly string[];
  readonly fields: readonly Field[];
  /** Some of the new and changed ones. */
  readonly shown: readonly { readonly at: string; readonly kind: 'added' | 'changed'; readonly record: JsonRecord }[];
}

type Kind = 'added' | 'changed' | 'same' | 'twice';

/**
 * Files that are dropped or appear in a folder. A file is stored before its sender is answered; each of its
 * records is then one that has come by itself. The same file again is a repeat; a later state of it brings
 * only what has changed.
 */
export class Files {
  constructor(private readonly parts: Parts) {}

  /** A new inbox that takes files; gives the connection and path under which it is a source. */
  async add(name: string): Promise<{ readonly connection: string; readonly path: string[] }> {
    const inbox = await this.parts.arrivals.addInbox({ name, singular: 'row', plural: 'rows' });
    await this.open(inbox.path[0] ?? '', newFileSetting);
    return inbox;
  }

  /** Lets an inbox take files. */
  async open(inbox: string, setting: FileSetting): Promise<void> {
    await this.parts.db
      .insertInto('file_start')
      .values({ inbox_id: inbox, setting: JSON.stringify(setting), trouble: null })
      .execute();
  }

  /** @throws NotPossible where the inbox takes no files */
  async setting(inbox: string): Promise<FileSetting> {
    const row = await this.parts.db
      .selectFrom('file_start')
      .select('setting')
      .where('inbox_id', '=', inbox)
      .executeTakeFirst();
    if (!row) throw new NotPossible('This workflow doesn’t start with files.');
    return FileSettingSchema.parse(JSON.parse(row.setting));
  }

  /** Changes the setting; where records are recognised by something else, those that have come are named anew. */
  async change(inbox: string, setting: FileSetting): Promise<void> {
    const before = await this.setting(inbox);
    const isNamedAnew = JSON.stringify(before.recognise) !== JSON.stringify(setting.recognise);
    const isElsewhere = before.watch?.connection !== setting.watch?.connection;
    await this.parts.commits.run(async (trx) => {
      await trx
        .updateTable('file_start')
        .set({ setting: JSON.stringify(setting), trouble: null, ...(isElsewhere && { known: '{}' }) })
        .where('inbox_id', '=', inbox)
        .execute();
      if (isNamedAnew) await nameAnew(trx, inbox, setting);
    });
  }

  /** What a file would bring, with nothing stored. @throws NotPossible when it can't be read */
  async look({ inbox, name, bytes }: Pick<GivenFile, 'inbox' | 'name' | 'bytes'>): Promise<FileLook> {
    const { db } = this.parts;
    const setting = await this.setting(inbox);
    const file = await this.read(name, bytes);
    const known = await sameFile(db, inbox, hashOf(bytes));
    const isKnown = known !== undefined && (await isRepeat(db, inbox, setting.recognise, known));
    const series = known?.series ?? seriesOf(name);
    const counts: Record<Kind, number> = { added: 0, changed: 0, same: 0, twice: 0 };
    const shown: FileLook['shown'][number][] = [];
    const sharing: string[] = [];
    for (const chunk of chunksOf(nameRecords(file.records, setting.recognise, series), atOnce)) {
      const latest = await latestOf(db, inbox, chunk);
      for (const one of chunk) {
        const kind = kindOf(one, latest);
        counts[kind] += 1;
        if (one.isSharing && sharing.length < 5) sharing.push(`${one.at}: ${one.title}`);
        if ((kind === 'added' || kind === 'changed') && shown.length < mostShown)
          shown.push({ at: one.at, kind, record: one.record });
      }
    }
    return {
      repeatOf: isKnown ? { name: known.name, at: known.at } : null,
      plural: file.plural,
      rows: file.count,
      ...counts,
      against: (await whyAgainst(db, inbox, file)) ?? null,
      sharing,
      fields: file.fields,
      shown,
    };
  }

  /**
   * Takes a file in. Once this resolves all of its records are stored, or it is refused with its reason, or
   * counted as a repeat.
   */
  async take({ inbox, name, bytes, came, isEvenSo = false, isAgain = false }: GivenFile): Promise<FileRow> {
    const { commits, seams } = this.parts;
    const { recognise } = await this.setting(inbox);
    const hash = await this.parts.bytes.put(bytes);
    seams.reach('arrival:before-store');
    const seq = await commits.run(async (trx) => {
      const before = await sameFile(trx, inbox, hash);
      if (before && !isAgain && (await isRepeat(trx, inbox, recognise, before))) {
        await trx
          .updateTable('file')
          // What was taken out of it for its age is there again.
          .set((eb) => ({ repeats: eb('repeats', '+', 1), emptied_at: null }))
          .where('seq', '=', before.seq)
          .execute();
        return undefined;
      }
      const row = await trx
        .insertInto('file')
        .values({
          inbox_id: inbox,
          name,
          // The same content under another name is a state of the same file.
          series: before?.series ?? seriesOf(name),
          hash,
          size: bytes.length,
          at: seams.now(),
          came,
          state: 'reading',
          reason: null,
          plural: null,
          columns: null,
          is_even_so: isEvenSo || isAgain ? 1 : 0,
          is_again: isAgain ? 1 : 0,
        })
        .returning('seq')
        .executeTakeFirstOrThrow();
      return row.seq;
    });
    seams.reach('arrival:after-store');
    if (seq !== undefined) await this.store(seq, bytes);
    return this.parts.db
      .selectFrom('file')
      .selectAll()
      .where('inbox_id', '=', inbox)
      .where(seq === undefined ? 'hash' : 'seq', '=', (seq ?? hash) as never)
      .orderBy('seq', 'desc')
      .limit(1)
      .executeTakeFirstOrThrow();
  }

  /** What the last process was reading is read on; nothing of it is stored twice. */
  async resume(): Promise<void> {
    const { db, bytes } = this.parts;
    const rows = await db.selectFrom('file').select(['seq', 'hash']).where('state', '=', 'reading').execute();
    for (const { seq, hash } of rows) await this.store(seq, await bytes.get(hash));
  }

  /** A file that was refused is taken in, though something speaks against it. */
  async evenSo(inbox: string, seq: number): Promise<void> {
    const { db, bytes } = this.parts;
    const file = await db
      .updateTable('file')
      .set({ state: 'reading', reason: null, is_even_so: 1 })
      .where('inbox_id', '=', inbox)
      .where('seq', '=', seq)
      .where('state', '=', 'refused')
      .where('emptied_at', 'is', null)
      .returning('hash')
      .executeTakeFirst();
    if (!file) throw new NotPossible('This file isn’t refused any more, or isn’t kept any more. Drop it again.');
    await this.store(seq, await bytes.get(file.hash));
  }

  /** All records of a file that is known come once more. */
  async again(inbox: string, seq: number): Promise<void> {
    const { db, bytes } = this.parts;
    const file = await db
      .selectFrom('file')
      .select(['name', 'hash', 'came', 'emptied_at'])
      .where('inbox_id', '=', inbox)
      .where('seq', '=', seq)
      .executeTakeFirstOrThrow();
    const { name, came, emptied_at } = file;
    if (emptied_at !== null)
      throw new NotPossible(`“${name}” isn’t kept any more: it is older than the days in the settings. Drop it again.`);
    await this.take({ inbox, name, bytes: await bytes.get(file.hash), came, isAgain: true });
  }

  /** Stores the records of a file that is known: all of them, whatever was stored of it before. */
  private async store(seq: number, bytes: Uint8Array): Promise<void> {
    const { db, commits, seams, happened } = this.parts;
    const row = await db.selectFrom('file').selectAll().where('seq', '=', seq).executeTakeFirstOrThrow();
    const { inbox_id: inbox, name, series } = row;
    const refuse = (reason: string, file?: FileRecords) =>
      commits.run((trx) =>
        trx
          .updateTable('file')
          .set({ state: 'refused', reason, ...(file && { plural: file.plural, rows: file.count }) })
          .where('seq', '=', seq)
          .execute(),
      );
    let file: FileRecords;
    try {
      file = await this.read(name, bytes);
    } catch (error) {
      if (!(error instanceof NotPossible)) throw error;
      await refuse(error.message);
      return;
    }
    const why = row.is_even_so === 1 ? undefined : await whyAgainst(db, inbox, file);
    if (why !== undefined) {
      await refuse(why, file);
      return;
    }
    await commits.run((trx) => learn(trx, inbox, file));
    const { recognise } = await this.withProposal(inbox, file);
    let twice = 0;
    for (const chunk of chunksOf(nameRecords(file.records, recognise, series), atOnce)) {
      twice += chunk.filter(({ isTwice }) => isTwice).length;
      seams.reach('arrival:before-store');
      await commits.run((trx) =>
        storeChunk(trx, { inbox, seq, name, came: row.came, at: seams.now(), isAgain: row.is_again === 1 }, chunk),
      );
      seams.reach('arrival:after-store');
    }
    await commits.run((trx) => endReading(trx, seq, file, twice));
    await happened(arrivalEvent(inbox));
  }

  /** The setting, with a proposal of what recognises a record where a person hasn't chosen that and a file shows it. */
  private async withProposal(inbox: string, file: FileRecords): Promise<FileSetting> {
    const setting = await this.setting(inbox);
    if (!setting.isProposed || setting.recognise.kind !== 'content') return setting;
    const { db } = this.parts;
    // Rows that came before may share what is different in each of this file.
    const earlier = await db.selectFrom('arrival').select('seq').where('inbox_id', '=', inbox).executeTakeFirst();
    if (earlier) return setting;
    const path = proposeKey(file);
    if (path === undefined) return setting;
    const changed: FileSetting = { ...setting, recognise: { kind: 'field', path } };
    await this.change(inbox, changed);
    return changed;
  }

  private async read(name: string, bytes: Uint8Array): Promise<FileRecords> {
    const { zone } = await loadSettings(this.parts.db);
    return recordsOfFile(name, bytes, zone);
  }
}

/** The newest file of the same content. */
function sameFile(db: Db | Trx, inbox: string, hash: string) {
  return db
    .selectFrom('file')
    .select(['seq', 'name', 'at', 'series'])
    .where('inbox_id', '=', inbox)
    .where('hash', '=', hash)
    .where('state', '!=', 'refused')
    .orderBy('seq', 'desc')
    .executeTakeFirst();
}

/**
 * Whether a file that came before makes the same one a repeat. Where another state has come since, it isn't: what
 * it says is news again. With nothing to recognise its records it always is.
 */
async function isRepeat(
  db: Db | Trx,
  inbox: string,
  recognise: Recognise,
  { seq, series }: { readonly seq: number; readonly series: string },
): Promise<boolean> {
  if (recognise.kind === 'nothing') return true;
  let later = db
    .selectFrom('file')
    .select('seq')
    .where('inbox_id', '=', inbox)
    .where('state', '!=', 'refused')
    .where('seq', '>', seq);
  if (recognise.kind === 'content') later = later.where('series', '=', series);
  return (await later.executeTakeFirst()) === undefined;
}

/** Why a table is rather not taken: columns that the ones before it had are gone, as when somebody has renamed one. */
async function whyAgainst(db: Db | Trx, inbox: string, { columns }: FileRecords): Promise<string | undefined> {
  if (!columns) return undefined;
  const last = await db
    .selectFrom('file')
    .select(['name', 'columns'])
    .where('inbox_id', '=', inbox)
    .where('state', '=', 'read')
    .where('columns', 'is not', null)
    .orderBy('seq', 'desc')
    .executeTakeFirst();
  const before = last ? (JSON.parse(last.columns ?? '[]') as string[]) : [];
  const missing = before.filter((one) => !columns.includes(one));
  if (missing.length === 0) return undefined;
  const fresh = columns.filter((one) => !before.includes(one));
  const said = (names: readonly string[]): string => names.map((one) => `“${one}”`).join(', ');
  const isOne = missing.length === 1;
  return (
    `The ${isOne ? 'column' : 'columns'} ${said(missing)} of “${last?.name}” ${isOne ? 'is' : 'are'} missing in it` +
    `${fresh.length > 0 ? `; ${said(fresh)} ${fresh.length === 1 ? 'is' : 'are'} new` : ''}. ` +
    'Give the columns the names that they had, or take the file in even so.'
  );
}

interface Latest {
  readonly hash: string;
  readonly source: string | null;
}

/** The newest states of these records, by what recognises them. */
async function latestOf(
  db: Db | Trx,
  inbox: string,
  named: readonly NamedRecord[],
): Promise<ReadonlyMap<string, Latest>> {
  const recognised = named.flatMap((one) => (one.recognised === null ? [] : [one.recognised]));
  if (recognised.length === 0) return new Map();
  const rows = await db
    .selectFrom('arrival')
    .select(['record', 'hash', 'source'])
    .where('inbox_id', '=', inbox)
    .where('record', 'in', recognised)
    .orderBy('seq')
    .execute();
  return new Map(rows.map((row) => [row.record ?? '', row]));
}

const before = ({ recognised }: NamedRecord, latest: ReadonlyMap<string, Latest>): Latest | undefined =>
  recognised === null ? undefined : latest.get(recognised);

/** What a record is, by the newest state that is known of it. */
function kindOf(one: NamedRecord, latest: ReadonlyMap<string, Latest>): Kind {
  if (one.isTwice) return 'twice';
  const known = before(one, latest);
  if (!known) return 'added';
  return known.hash === one.hash ? 'same' : 'changed';
}

interface StoringFile {
  readonly inbox: string;
  readonly seq: number;
  readonly name: string;
  readonly came: FileRow['came'];
  readonly at: string;
  readonly isAgain: boolean;
}

/** Stores what is news of some records; one that was stored of this very file stays as it is. */
async function storeChunk(
  trx: Trx,
  { inbox, seq, name, came, at, isAgain }: StoringFile,
  chunk: readonly NamedRecord[],
) {
  const keyOf = (one: NamedRecord): string => `file ${seq} ${one.at}`;
  const arrivals = trx.selectFrom('arrival').where('inbox_id', '=', inbox);
  const known = await arrivals.select('key').where('key', 'in', chunk.map(keyOf)).execute();
  const stored = new Set(known.map(({ key }) => key));
  const open = chunk.filter((one) => !stored.has(keyOf(one)) && !one.isTwice);
  const latest = await latestOf(trx, inbox, open);
  const news = open.filter((one) => isAgain || kindOf(one, latest) !== 'same');
  if (news.length === 0) return;
  const titles = await arrivals
    .select('source')
    .where(
      'source',
      'in',
      news.map(({ title }) => title),
    )
    .execute();
  const taken = new Set(titles.map(({ source }) => source));
  const idOf = (one: NamedRecord): string => {
    const title = one.title === '' ? `${name} ${one.at}` : one.title;
    return taken.has(title) || one.title === '' ? `${title} · ${seq}` : title;
  };
  const rows = news.map((one) => {
    const body = Buffer.from(JSON.stringify(one.record));
    return {
      inbox_id: inbox,
      key: keyOf(one),
      at,
      media_type: 'application/json',
      headers: JSON.stringify({ [fileHeader]: name, [cameHeader]: came }),
      size: body.length,
      hash: one.hash,
      body,
      refused: whyTooMuch(one.record) ?? null,
      file_seq: seq,
      place: one.at,
      record: one.recognised,
      source: before(one, latest)?.source ?? idOf(one),
    };
  });
  await trx.insertInto('arrival').values(rows).execute();
}

/** The fields that a file shows are those of its inbox besides what was known. */
async function learn(trx: Trx, inbox: string, { fields, singular, plural }: FileRecords): Promise<void> {
  const row = await trx.selectFrom('inbox').select('fields').where('id', '=', inbox).executeTakeFirstOrThrow();
  const known = JSON.parse(row.fields) as Field[];
  const joined = JSON.stringify(joinFields(known, fields));
  await trx
    .updateTable('inbox')
    .set({ fields: joined, ...(known.length === 0 && { singular, plural }) })
    .where('id', '=', inbox)
    .execute();
}

async function endReading(trx: Trx, seq: number, file: FileRecords, twice: number): Promise<void> {
  const mine = trx.selectFrom('arrival').where('arrival.file_seq', '=', seq);
  const count = async (rows: typeof mine): Promise<number> =>
    (await rows.select((eb) => eb.fn.countAll<number>().as('count')).executeTakeFirstOrThrow()).count;
  const all = await count(mine);
  const refused = await count(mine.where('refused', 'is not', null));
  const changed = await count(
    mine.where(({ exists, selectFrom }) =>
      exists(
        selectFrom('arrival as earlier')
          .select('earlier.seq')
          .whereRef('earlier.inbox_id', '=', 'arrival.inbox_id')
          .whereRef('earlier.source', '=', 'arrival.source')
          .whereRef('earlier.seq', '<', 'arrival.seq'),
      ),
    ),
  );
  await trx
    .updateTable('file')
    .set({
      state: 'read',
      plural: file.plural,
      columns: file.columns ? JSON.stringify(file.columns) : null,
      rows: file.count,
      added: all - changed,
      changed,
      same: file.count - all - twice,
      twice,
      refused,
    })
    .where('seq', '=', seq)
    .execute();
}

/** Names what has come by what is to recognise it from now on; under which id it was taken in stays. */
async function nameAnew(trx: Trx, inbox: string, { recognise }: FileSetting): Promise<void> {
  const rows = await trx
    .selectFrom('arrival')
    .innerJoin('file', 'file.seq', 'arrival.file_seq')
    .select(['arrival.seq', 'arrival.source', 'arrival.body', 'file.series'])
    .where('arrival.inbox_id', '=', inbox)
    .orderBy('arrival.seq', 'desc')
    .execute();
  const namer = new RecordNamer(recognise);
  const named = new Set<string | null>();
  // The newest state of each says by what it is recognised; the states before it go by the same.
  for (const { seq, source, body, series } of rows) {
    const isOlder = named.has(source);
    named.add(source);
    const { recognised, isTwice } = isOlder
      ? { recognised: null, isTwice: false }
      : namer.name(JSON.parse(Buffer.from(body ?? []).toString('utf8')) as JsonRecord, series);
    await trx
      .updateTable('arrival')
      .set({ record: isTwice ? null : recognised })
      .where('seq', '=', seq)
      .execute();
  }
}

function* chunksOf<T>(all: Iterable<T>, size: number): Generator<T[]> {
  let chunk: T[] = [];
  for (const one of all) {
    chunk.push(one);
    if (chunk.length === size) {
      yield chunk;
      chunk = [];
    }
  }
  if (chunk.length > 0) yield chunk;
}

import { createHash } from 'node:crypto';
import { setImmediate } from 'node:timers/promises';
import { isDeepStrictEqual } from 'node:util';
import { pagesOf, type SourceRecord } from '@golden/connectors';
import {
  type IndexField,
  type JsonRecord,
  type MatchModel,
  type Pointer,
  readInstant,
  readPointer,
  toText,
} from '@golden/core';
import type { Connections } from '../connections.ts';
import type { Db } from '../db/open.ts';
import { prepared } from '../db/prepared.ts';
import type { Seams } from '../seams.ts';
import type { IndexedRecord } from './index-host.ts';
import type { AccountPlace } from './links.ts';
import type { MatchingWorker } from './worker-client.ts';

/** A place by its connection and path. */
export interface PlaceKey {
  readonly connection: string;
  readonly path: readonly string[];
}

/** Milliseconds for which a copy counts as fresh: of a place that tells what changed, and of one that has to be listed whole. */
const holdsWhenTold = 1000;
const holdsWhenListed = 15_000;
/** Listings overlap by this much, in milliseconds, as those of a source do. */
const overlap = 120_000;
/** Milliseconds for which an index counts as used: a month. */
const usedLately = 30 * 24 * 60 * 60_000;
/** Indexes kept open at once; the one used longest ago makes room. */
const mostOpen = 16;
/** Records of a copy that are read at once: a few milliseconds of work. */
const chunk = 500;
/** Records that are put into a copy at once. */
const keptAtOnce = 200;
/** A place of more records isn't listed whole only to rehearse. */
const mostListed = 20_000;

interface Open {
  readonly name: string;
  readonly place: string;
  readonly fields: readonly IndexField[];
}

/** The copies of places that lookups search, kept in the data file, with their indexes in the worker. */
export class Mirrors {
  private readonly syncing = new Map<string, Promise<void>>();
  private readonly listedAt = new Map<string, number>();
  private readonly indexes = new Map<string, Open>();
  private readonly opening = new Map<string, Promise<void>>();
  /** Those of which it was noted in this process that they are used. */
  private readonly noted = new Set<string>();
  private readonly comings = new Map<string, Map<string, JsonRecord>>();

  constructor(
    private readonly db: Db,
    private readonly connections: Connections,
    private readonly seams: Seams,
    readonly worker: MatchingWorker,
  ) {
    worker.onLost(() => {
      this.indexes.clear();
      this.opening.clear();
    });
  }

  /**
   * Brings the copy of a place up to date, by what changed since the last time where the app can
   * tell. `anew` lists it whole, so that what was removed goes as well.
   */
  async sync(place: PlaceKey, anew = false): Promise<void> {
    const key = keyOf(this.at(place));
    const under = this.syncing.get(key);
    if (under && !anew) return under;
    await under?.catch(() => undefined);
    const work = this.bringUp(place, anew).finally(() => this.syncing.delete(key));
    this.syncing.set(key, work);
    return work;
  }

  /**
   * Whether the copy of a place can stand for it while a rehearsal lasts: listed whole just now, and the
   * listing shows as much of a record as the record itself. A large place is only brought up to date, and
   * each record is asked for.
   */
  async standsIn(place: PlaceKey): Promise<boolean> {
    const connector = await this.connections.connector(place.connection);
    if (!(await connector.describe(place.path)).can.list) return false;
    const { account, path } = this.at(place);
    const copied = () =>
      this.db
        .selectFrom('mirror')
        .select(['id', 'content'])
        .where('account', '=', account)
        .where('place', '=', JSON.stringify(path));
    const tooMany = await copied().orderBy('id').offset(mostListed).limit(1).executeTakeFirst();
    if (tooMany) return false;
    await this.sync(place, true);
    const some = await copied().limit(1).executeTakeFirst();
    if (!some) return true;
    const whole = await connector.fetch(path, some.id);
    return whole !== null && isDeepStrictEqual(whole.record, JSON.parse(some.content));
  }

  /** The place as the account that its connection leads to now has it. */
  private at(place: PlaceKey | AccountPlace): AccountPlace {
    return 'account' in place ? place : { account: this.connections.accountOf(place.connection), path: place.path };
  }

  private async bringUp({ connection, path }: PlaceKey, anew: boolean): Promise<void> {
    const { connector, account } = await this.connections.opened(connection);
    const place: AccountPlace = { account, path };
    const key = keyOf(place);
    const age = this.seams.uptime() - (this.listedAt.get(key) ?? Number.NEGATIVE_INFINITY);
    if (!anew && age < holdsWhenTold) return;
    const described = await connector.describe(place.path);
    if (!described.can.list || (!anew && !described.updated && age < holdsWhenListed)) return;
    const state = await this.state(place);
    const since = !anew && described.updated && state.since ? before(state.since) : undefined;
    const round = since === undefined ? state.round + 1 : state.round;
    // No time of the place's own counts for later than this: one record from 2030 would hide all that comes until then.
    const began = this.seams.now();
    let newest = state.since !== null && state.since > began ? null : state.since;
    for await (const { records } of pagesOf(connector, { path: place.path, ...(since && { since }) })) {
      await this.keep(place, records, round);
      newest = newestOf(records, newest, began);
      await setImmediate();
    }
    if (since === undefined) await this.dropOld(place, round);
    await this.db
      .updateTable('mirror_state')
      .set({ since: newest, round, listed_at: this.seams.now() })
      .where('account', '=', account)
      .where('place', '=', JSON.stringify(path))
      .execute();
    this.listedAt.set(key, this.seams.uptime());
  }

  private async state({ account, path }: AccountPlace): Promise<{ since: string | null; round: number }> {
    const place = JSON.stringify(path);
    await this.db
      .insertInto('mirror_state')
      .values({ account, place, since: null, round: 0, listed_at: null })
      .onConflict((conflict) => conflict.doNothing())
      .execute();
    return this.db
      .selectFrom('mirror_state')
      .select(['since', 'round'])
      .where('account', '=', account)
      .where('place', '=', place)
      .executeTakeFirstOrThrow();
  }

  private async keep(
    place: AccountPlace,
    records: readonly Pick<SourceRecord, 'id' | 'record'>[],
    round: number,
  ): Promise<void> {
    if (records.length === 0) return;
    const newest = [...new Map(records.map((one) => [one.id, one])).values()];
    for (let from = 0; from < newest.length; from += keptAtOnce) {
      // A workbook gives all of its rows in one page.
      if (from > 0) await setImmediate();
      await this.db
        .insertInto('mirror')
        .values(
          newest.slice(from, from + keptAtOnce).map(({ id, record }) => ({
            account: place.account,
            place: JSON.stringify(place.path),
            id,
            content: JSON.stringify(record),
            round,
          })),
        )
        .onConflict((conflict) =>
          conflict
            .columns(['account', 'place', 'id'])
            .doUpdateSet((eb) => ({ content: eb.ref('excluded.content'), round: eb.ref('excluded.round') })),
        )
        .execute();
    }
    for (const index of this.indexesOf(place))
      for (let from = 0; from < newest.length; from += chunk)
        await this.worker.host.put(
          index.name,
          newest.slice(from, from + chunk).map(({ id, record }) => ({ id, texts: textsOf(record, index.fields) })),
          // A listing in the middle of a run shows what the run itself has just made, too.
          false,
        );
  }

  /** What a whole listing didn't show any more. */
  private async dropOld(place: AccountPlace, round: number): Promise<void> {
    const gone = await this.db
      .deleteFrom('mirror')
      .where('account', '=', place.account)
      .where('place', '=', JSON.stringify(place.path))
      .where('round', '<', round)
      .returning('id')
      .execute();
    if (gone.length === 0) return;
    for (const index of this.indexesOf(place)) {
      await this.worker.host.remove(
        index.name,
        gone.map(({ id }) => id),
        false,
      );
    }
  }

  private indexesOf(place: AccountPlace): Open[] {
    const key = keyOf(place);
    return [...this.indexes.values()].filter((one) => one.place === key);
  }

  /** A record as it is known to be now, or null where it is gone: nobody has to list the place to learn it. */
  async note(where: PlaceKey | AccountPlace, id: string, record: JsonRecord | null): Promise<void> {
    const place = this.at(where);
    // A place that nobody looks things up in has no copy; after a restart the next listing brings it up to date.
    if (!this.listedAt.has(keyOf(place))) return;
    const { round } = await this.state(place);
    if (record) {
      await this.keep(place, [{ id, record }], round);
      return;
    }
    await this.db
      .deleteFrom('mirror')
      .where('account', '=', place.account)
      .where('place', '=', JSON.stringify(place.path))
      .where('id', '=', id)
      .execute();
    for (const index of this.indexesOf(place)) await this.worker.host.remove(index.name, [id], false);
  }

  /**
   * A run or a rehearsal is about to begin: how common values are is counted over the place as it is
   * now, and stays so while it lasts, so that both come to the same.
   */
  async settle(place: PlaceKey): Promise<void> {
    for (const { name } of this.indexesOf(this.at(place))) await this.worker.host.settle(name);
  }

  /** Puts a record that is only on its way into the indexes of its place, not into the copy. */
  async putComing(where: PlaceKey, id: string, record: JsonRecord): Promise<void> {
    const place = this.at(where);
    const key = keyOf(place);
    this.comings.set(key, (this.comings.get(key) ?? new Map<string, JsonRecord>()).set(id, record));
    for (const index of this.indexesOf(place))
      await this.worker.host.put(index.name, [{ id, texts: textsOf(record, index.fields) }], false);
  }

  async dropComing(where: PlaceKey, id: string): Promise<void> {
    const place = this.at(where);
    const there = this.comings.get(keyOf(place));
    there?.delete(id);
    if (there?.size === 0) this.comings.delete(keyOf(place));
    for (const index of this.indexesOf(place)) await this.worker.host.remove(index.name, [id], false);
  }

  /** The record as the copy has it. */
  async get(where: PlaceKey | AccountPlace, id: string): Promise<JsonRecord | undefined> {
    const place = this.at(where);
    const [row] = await copyOf(this.db, { account: place.account, place: JSON.stringify(place.path), id });
    return row && (JSON.parse(row.content) as JsonRecord);
  }

  /** The copy of a place, some records at a time by their ids, each as its JSON. */
  async *pages(
    where: PlaceKey | AccountPlace,
  ): AsyncGenerator<readonly { readonly id: string; readonly content: string }[]> {
    const place = this.at(where);
    for (let after = ''; ; ) {
      const rows = await this.db
        .selectFrom('mirror')
        .select(['id', 'content'])
        .where('account', '=', place.account)
        .where('place', '=', JSON.stringify(place.path))
        .where('id', '>', after)
        .orderBy('id')
        .limit(chunk)
        .execute();
      const last = rows.at(-1);
      if (!last) return;
      yield rows;
      after = last.id;
    }
  }

  /** All records of the copy. */
  async all(where: PlaceKey): Promise<{ id: string; record: JsonRecord }[]> {
    const place = this.at(where);
    const rows = await this.db
      .selectFrom('mirror')
      .select(['id', 'content'])
      .where('account', '=', place.account)
      .where('place', '=', JSON.stringify(place.path))
      .execute();
    return rows.map(({ id, content }) => ({ id, record: JSON.parse(content) as JsonRecord }));
  }

  /** Opens the index of a place over these fields with these weights; filled from the copy, so that a restart is quick. */
  async index(where: PlaceKey, fields: readonly IndexField[], weights: number | undefined): Promise<string> {
    const place = this.at(where);
    const name = nameOf(place, fields, weights);
    await this.opened(name, place, fields, weights);
    const open = this.indexes.get(name);
    if (open) {
      // Used last: it makes room last.
      this.indexes.delete(name);
      this.indexes.set(name, open);
    }
    if (!this.noted.has(name)) await this.noteUsed(name, place, fields, weights);
    return name;
  }

  /**
   * Builds the indexes that lookups used lately before anybody asks, the last used first: a large one takes seconds.
   * Those that nobody has used for a month are forgotten, and those whose copy isn't there any more left out.
   */
  async warmUp(): Promise<void> {
    const { db, seams } = this;
    const since = new Date(Date.parse(seams.now()) - usedLately).toISOString();
    await db.deleteFrom('mirror_index').where('used_at', '<', since).execute();
    const rows = await db.selectFrom('mirror_index').selectAll().orderBy('used_at', 'desc').limit(mostOpen).execute();
    for (const { name, account, place, fields, weights } of rows) {
      const of = { account, path: JSON.parse(place) as string[] };
      const copied = db.selectFrom('mirror').select('id').where('account', '=', account).where('place', '=', place);
      if (await copied.limit(1).executeTakeFirst())
        await this.opened(name, of, JSON.parse(fields) as IndexField[], weights ?? undefined);
    }
  }

  private opened(
    name: string,
    place: AccountPlace,
    fields: readonly IndexField[],
    weights: number | undefined,
  ): Promise<void> {
    const known = this.opening.get(name);
    if (known) return known;
    const opening = this.open(name, place, fields, weights);
    this.opening.set(name, opening);
    opening.catch(() => this.opening.delete(name));
    return opening;
  }

  private async noteUsed(
    name: string,
    { account, path }: AccountPlace,
    fields: readonly IndexField[],
    weights: number | undefined,
  ): Promise<void> {
    this.noted.add(name);
    const used_at = this.seams.now();
    const row = {
      account,
      place: JSON.stringify(path),
      fields: JSON.stringify(fields),
      weights: weights ?? null,
      used_at,
    };
    await this.db
      .insertInto('mirror_index')
      .values({ name, ...row })
      .onConflict((conflict) => conflict.column('name').doUpdateSet(row))
      .execute();
  }

  private async open(
    name: string,
    place: AccountPlace,
    fields: readonly IndexField[],
    weights: number | undefined,
  ): Promise<void> {
    const { host } = this.worker;
    await host.open(name, fields, weights === undefined ? null : await this.model(weights));
    this.indexes.set(name, { name, place: keyOf(place), fields });
    const coming = [...(this.comings.get(keyOf(place)) ?? [])];
    await host.put(
      name,
      coming.map(([id, record]) => ({ id, texts: textsOf(record, fields) })),
      false,
    );
    for await (const rows of this.pages(place))
      await host.put(
        name,
        rows.map(({ id, content }): IndexedRecord => ({ id, texts: textsOf(JSON.parse(content), fields) })),
      );
    const [oldest] = this.indexes.keys();
    if (this.indexes.size > mostOpen && oldest !== undefined && oldest !== name) {
      this.indexes.delete(oldest);
      this.opening.delete(oldest);
      await host.close(oldest);
    }
  }

  private async model(number: number): Promise<MatchModel | null> {
    const row = await this.db
      .selectFrom('match_weights')
      .select('model')
      .where('number', '=', number)
      .executeTakeFirst();
    return row ? (JSON.parse(row.model) as MatchModel) : null;
  }
}

const copyOf = prepared((db, key: { readonly account: string; readonly place: string; readonly id: string }) =>
  db
    .selectFrom('mirror')
    .select('content')
    .where('account', '=', key.account)
    .where('place', '=', key.place)
    .where('id', '=', key.id),
);

/** The texts of a record that an index looks at. */
export function textsOf(record: JsonRecord, fields: readonly Pick<IndexField, 'path'>[]): string[] {
  return fields.map(({ path }) => toText(readPointer(record, path as Pointer)));
}

/** What was named already: fields of a step are the same for all its records. */
const namesMade = new WeakMap<readonly IndexField[], string>();

const keyOf = ({ account, path }: AccountPlace): string => `${account}|${path.join('/')}`;

function nameOf(place: AccountPlace, fields: readonly IndexField[], weights: number | undefined): string {
  const about =
    namesMade.get(fields) ?? createHash('sha256').update(JSON.stringify(fields)).digest('base64url').slice(0, 16);
  namesMade.set(fields, about);
  return `${keyOf(place)}|${about}|${weights ?? 'fixed'}`;
}

/** The latest time of change that is known, but none later than when the listing began. */
function newestOf(records: readonly SourceRecord[], known: string | null, began: string): string | null {
  let newest = known;
  for (const { updated } of records) {
    const at = updated ? readInstant(updated, 'utc') : undefined;
    if (at && (newest === null || at > newest)) newest = at < began ? at : began;
  }
  return newest;
}

const before = (since: string): string => new Date(Date.parse(since) - overlap).toISOString();

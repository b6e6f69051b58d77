import { setImmediate } from 'node:timers/promises';
import { isDeepStrictEqual } from 'node:util';
import { pagesOf, type SourceRecord } from '@golden/connectors';
import { type IndexField, type JsonRecord, readInstant } from '@golden/core';
import { sql } from 'kysely';
import type { Connections } from '../connections.ts';
import type { Db } from '../db/open.ts';
import { prepared } from '../db/prepared.ts';
import type { Seams } from '../seams.ts';
import { type CopiedRecord, copiedPages, keyOf, nextChange } from './copy.ts';
import type { AccountPlace } from './links.ts';
import { type IndexParts, MirrorIndexes } from './mirror-indexes.ts';
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
/** Records that are put into a copy at once. */
const keptAtOnce = 200;
/** A place of more records isn't listed whole only to rehearse. */
const mostListed = 20_000;

/** The copies of places that lookups search, kept in the data file, with their indexes in the worker. */
export class Mirrors {
  private readonly syncing = new Map<string, Promise<void>>();
  private readonly listedAt = new Map<string, number>();
  private readonly indexes: MirrorIndexes;

  constructor(
    private readonly db: Db,
    private readonly connections: Connections,
    private readonly seams: Seams,
    readonly worker: MatchingWorker,
    storing: Pick<IndexParts, 'log' | 'folder' | 'limits'>,
  ) {
    this.indexes = new MirrorIndexes({ db, seams, worker, ...storing });
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
    // A listing has its number from its beginning: what one that was broken off has put in isn't taken for this one's,
    // and what is noted meanwhile is of this one.
    const round = since === undefined ? await this.nextRound(place) : state.round;
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
      .set({ since: newest, listed_at: this.seams.now() })
      .where('account', '=', account)
      .where('place', '=', JSON.stringify(path))
      .execute();
    this.listedAt.set(key, this.seams.uptime());
    this.indexes.storeSoon(place);
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

  private async nextRound({ account, path }: AccountPlace): Promise<number> {
    const { round } = await this.db
      .updateTable('mirror_state')
      .set((eb) => ({ round: eb('round', '+', 1) }))
      .where('account', '=', account)
      .where('place', '=', JSON.stringify(path))
      .returning('round')
      .executeTakeFirstOrThrow();
    return round;
  }

  private async keep(
    place: AccountPlace,
    records: readonly Pick<SourceRecord, 'id' | 'record'>[],
    round: number,
  ): Promise<void> {
    if (records.length === 0) return;
    const newest = [...new Map(records.map((one) => [one.id, one])).values()];
    await this.indexes.whileChanging(place, async () => {
      for (let from = 0; from < newest.length; from += keptAtOnce) {
        // A workbook gives all of its rows in one page.
        if (from > 0) await setImmediate();
        await this.indexes.put(place, await this.keepSome(place, newest.slice(from, from + keptAtOnce), round));
      }
    });
  }

  /** Puts records into the copy, and gives those that are new or other than it had them. */
  private async keepSome(
    place: AccountPlace,
    records: readonly Pick<SourceRecord, 'id' | 'record'>[],
    round: number,
  ): Promise<Pick<SourceRecord, 'id' | 'record'>[]> {
    const { account } = place;
    const changed = await nextChange(this.db, place);
    const kept = await this.db
      .insertInto('mirror')
      .values(
        records.map(({ id, record }) => ({
          account,
          place: JSON.stringify(place.path),
          id,
          content: JSON.stringify(record),
          round,
          changed,
        })),
      )
      .onConflict((conflict) =>
        conflict.columns(['account', 'place', 'id']).doUpdateSet({
          content: sql`excluded.content`,
          round: sql`excluded.round`,
          changed: sql`iif(mirror.content = excluded.content, mirror.changed, excluded.changed)`,
        }),
      )
      .returning(['id', 'changed'])
      .execute();
    const news = new Set(kept.flatMap((one) => (one.changed === changed ? [one.id] : [])));
    return records.filter(({ id }) => news.has(id));
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
    const ids = gone.map(({ id }) => id);
    if (ids.length > 0) await this.indexes.remove(place, ids);
  }

  /** A record as it is known to be now, or null where it is gone: nobody has to list the place to learn it. */
  async note(where: PlaceKey | AccountPlace, id: string, record: JsonRecord | null): Promise<void> {
    const place = this.at(where);
    // A place that nobody looks things up in has no copy; after a restart the next listing brings it up to date.
    if (!this.listedAt.has(keyOf(place))) return;
    const { round } = await this.state(place);
    if (record) {
      await this.keep(place, [{ id, record }], round);
      this.indexes.storeSoon(place);
      return;
    }
    await this.db
      .deleteFrom('mirror')
      .where('account', '=', place.account)
      .where('place', '=', JSON.stringify(place.path))
      .where('id', '=', id)
      .execute();
    await this.indexes.remove(place, [id]);
  }

  /**
   * A run or a rehearsal is about to begin: how common values are is counted over the place as it is
   * now, and stays so while it lasts, so that both come to the same.
   */
  settle(place: PlaceKey): Promise<void> {
    return this.indexes.settle(this.at(place));
  }

  /** Puts a record that is only on its way into the indexes of its place, not into the copy. */
  putComing(where: PlaceKey, id: string, record: JsonRecord): Promise<void> {
    return this.indexes.putComing(this.at(where), id, record);
  }

  dropComing(where: PlaceKey, id: string): Promise<void> {
    return this.indexes.dropComing(this.at(where), id);
  }

  /** The record as the copy has it. */
  async get(where: PlaceKey | AccountPlace, id: string): Promise<JsonRecord | undefined> {
    const place = this.at(where);
    const [row] = await copyOf(this.db, { account: place.account, place: JSON.stringify(place.path), id });
    return row && (JSON.parse(row.content) as JsonRecord);
  }

  /** The copy of a place, some records at a time by their ids, each as its JSON. */
  pages(where: PlaceKey | AccountPlace): AsyncGenerator<readonly CopiedRecord[]> {
    return copiedPages(this.db, this.at(where));
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

  /** Opens the index of a place over these fields with these weights, and gives its name. */
  index(where: PlaceKey, fields: readonly IndexField[], weights: number | undefined): Promise<string> {
    return this.indexes.index(this.at(where), fields, weights);
  }

  /** Opens the indexes that lookups used lately before anybody asks. */
  warmUp(): Promise<void> {
    return this.indexes.warmUp();
  }

  /** Resolves when no index is being stored any more. */
  stored(): Promise<void> {
    return this.indexes.stored();
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

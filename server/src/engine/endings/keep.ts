import type { EndingWatch, ParkEnding, WokenBy } from '@golden/core';
import { endedBecause } from '@golden/core';
import { type Selectable, sql } from 'kysely';
import type { Trx } from '../../db/group-commit.ts';
import type { Db } from '../../db/open.ts';
import type { WatchTable } from '../../db/schema.ts';

// What has happened at the places whose records end waits, and who waits for it. A place is watched once for all that
// wait for the same; what happened is kept, so that a record which comes to wait later finds it too.

/** A watch of one account, as it stands in the data file. */
export type KeptWatch = Selectable<WatchTable>;

/** By what a watch of one account is known. */
export const watchName = (watch: EndingWatch, account: string): string => JSON.stringify([account, watch]);

/** The id of a watch; it is begun where there is none yet. */
export async function keepWatch(trx: Trx, watch: EndingWatch, account: string): Promise<number> {
  const name = watchName(watch, account);
  await trx
    .insertInto('watch')
    .values({ name, connection: watch.connection, account, content: JSON.stringify(watch) })
    .onConflict((conflict) => conflict.column('name').doNothing())
    .execute();
  const { id } = await trx.selectFrom('watch').select('id').where('name', '=', name).executeTakeFirstOrThrow();
  return id;
}

/** Something that happened at a watched place. */
export interface Happening {
  readonly key: string;
  readonly record: string;
  readonly title: string;
  /** When, as its app says (UTC, ISO 8601); empty where it doesn't and it was there at the first look. */
  readonly at: string;
  /** The look before the one that saw it first began then: it came later. Empty at the first look. */
  readonly after: string;
}

/** What a waiting record is ended by, stored with its park; gives what has ended it already. */
export async function keepEndings(
  trx: Trx,
  itemId: string,
  takenAt: string,
  endings: readonly ParkEnding[],
  accountOf: (connection: string) => string,
): Promise<WokenBy | undefined> {
  for (const ending of endings) {
    const watch = await keepWatch(trx, ending.watch, accountOf(ending.watch.connection));
    await trx
      .insertInto('park_ending')
      .values({
        item_id: itemId,
        watch_id: watch,
        key: ending.key,
        since: ending.countsEarlier ? '' : takenAt,
        ending: JSON.stringify(ending),
      })
      .onConflict((conflict) => conflict.doNothing())
      .execute();
  }
  return endings.length === 0 ? undefined : endedAlready(trx, itemId);
}

/** What has ended a waiting record; undefined while nothing has. */
export async function endedAlready(db: Db | Trx, itemId: string): Promise<WokenBy | undefined> {
  const { rows } = await sql<{ ending: string; title: string }>`SELECT park_ending.ending, happened.title
    FROM park_ending JOIN happened ON happened.watch_id = park_ending.watch_id AND happened.key = park_ending.key
    WHERE park_ending.item_id = ${itemId} AND ${counts} ORDER BY park_ending.rowid LIMIT 1`.execute(db);
  const [first] = rows;
  return first && endedBy(JSON.parse(first.ending) as ParkEnding, first.title);
}

/** True of what happened since the record was taken in, by the app's clock or by when we looked; or at any time. */
const counts = sql`(park_ending.since = '' OR happened.at >= park_ending.since OR happened.after >= park_ending.since)`;

const endedBy = (ending: ParkEnding, title: string): WokenBy => {
  const why = endedBecause(ending, title);
  return { kind: 'event', event: why, ...(ending.does === 'stops' && { told: { stops: why } }) };
};

/** Stores what happened, and wakes those who wait for it. What was seen before happens no second time. */
export async function keepHappenings(trx: Trx, watch: number, happenings: readonly Happening[]): Promise<void> {
  for (const one of happenings) {
    const kept = await trx
      .insertInto('happened')
      .values({ watch_id: watch, key: one.key, record: one.record, at: one.at, after: one.after, title: one.title })
      .onConflict((conflict) => conflict.doNothing())
      .executeTakeFirst();
    if (Number(kept.numInsertedOrUpdatedRows ?? 0) === 0) continue;
    const waiting = await sql<{ item_id: string; ending: string }>`SELECT park_ending.item_id, park_ending.ending
      FROM park_ending JOIN happened ON happened.watch_id = park_ending.watch_id AND happened.key = park_ending.key
      WHERE happened.watch_id = ${watch} AND happened.key = ${one.key} AND happened.record = ${one.record} AND ${counts}`.execute(
      trx,
    );
    for (const { item_id, ending } of waiting.rows) {
      const by = JSON.stringify(endedBy(JSON.parse(ending) as ParkEnding, one.title));
      await trx
        .updateTable('park')
        .set({ woken: by })
        .where('item_id', '=', item_id)
        .where('woken', 'is', null)
        .execute();
    }
  }
}

/** Under which of these records' ids something is kept. */
export async function knownRecords(db: Db | Trx, watch: number, ids: readonly string[]): Promise<Set<string>> {
  const rows = await db
    .selectFrom('happened')
    .select('record')
    .where('watch_id', '=', watch)
    .where(sql<boolean>`record IN (SELECT value FROM json_each(${JSON.stringify(ids)}))`)
    .execute();
  return new Set(rows.map(({ record }) => record));
}

import type { JsonRecord, Park, WokenBy } from '@golden/core';
import { type RawBuilder, sql } from 'kysely';
import { isAsked, keepAsk } from '../asking/asks.ts';
import { stoppedBecause } from '../consent/once.ts';
import type { Trx } from '../db/group-commit.ts';
import { isWaiting } from '../db/item-states.ts';
import type { Db, ItemRow } from '../db/schema.ts';
import { hasNewsOfHanded } from '../handing/handed-back.ts';
import type { EngineContext } from './context.ts';
import { keepEndings } from './endings/keep.ts';
import { wokenByLink } from './wait-link-parts.ts';
import { mayWake, wakeTold } from './wake-told.ts';

// What parked items wait for. A park outlives the process; nothing is held meanwhile. What wakes an
// item is stored with its park and taken up by whoever claims the item next.

/** What wakes whoever waits for what it handed over; the data file writes the same when that moves. */
const handedNews = JSON.stringify({ kind: 'event', event: 'handed' } satisfies WokenBy);

/** Why an earlier change of a record was dismissed. */
export const overtaken = 'Overtaken by a newer change.';

/** The step that gathered items wait at: they haven't begun. */
export const gatheredStep = 'start';

/** True of an item, by the name it has in the statement, behind which later changes of its record don't stand: they overtake it. */
export const letsPass = (item: 'earlier' | 'item') => sql<boolean>`((${sql.ref(`${item}.state`)} = 'waiting' AND EXISTS
  (SELECT 1 FROM park WHERE park.item_id = ${sql.ref(`${item}.id`)} AND park.holds_later = 0))
  OR (${sql.ref(`${item}.state`)} = 'unsettled' AND ${sql.ref(`${item}.cause`)} = 'returned'))`;

/**
 * Stores what an item waits for. One that waits at the same step for an earlier change of the same
 * record is overtaken: this one waits as long as that would have.
 *
 * @param stops - why it ends at once instead
 */
export async function parkItem(
  { seams, connections }: Pick<EngineContext, 'seams' | 'connections'>,
  trx: Trx,
  item: Pick<ItemRow, 'id' | 'seq' | 'intake_id' | 'source_id' | 'workflow_id'>,
  park: Park,
  stops?: string,
): Promise<void> {
  const now = seams.now();
  const earlier = park.holdsLater ? [] : await waitingAt(trx, item, park.step);
  for (const { item_id } of earlier) {
    await unpark(trx, item_id);
    await trx
      .updateTable('item')
      .set({ state: 'dismissed', message: overtaken, wake_at: null, ended_at: now })
      .where('id', '=', item_id)
      .execute();
    const content = JSON.stringify({ kind: 'dismiss', reason: overtaken });
    await trx.insertInto('journal').values({ item_id, at: now, kind: 'overtaken', step: park.step, content }).execute();
  }
  const first = earlier[0];
  const until =
    first && park.keepsTime !== false
      ? first.until
      : park.until === undefined
        ? null
        : new Date(park.until).toISOString();
  const stopped = stops === undefined ? null : JSON.stringify(stoppedBecause(stops));
  await unpark(trx, item.id);
  await trx
    .insertInto('park')
    .values({
      item_id: item.id,
      step: park.step,
      until,
      who: park.who ?? null,
      holds_later: park.holdsLater ? 1 : 0,
      message: park.message,
      woken: stopped ?? ((park.keepsTime !== false && first?.woken) || (await stopOf(trx, item))),
      at: now,
    })
    .execute();
  await keepAsk(trx, item, park, now);
  // What it handed over may have moved on since it was asked about.
  if (park.awaitsHanded && (await hasNewsOfHanded(trx, item.id, park.step, park.awaitsHanded.unsettled)))
    await trx
      .updateTable('park')
      .set({ woken: handedNews })
      .where('item_id', '=', item.id)
      .where('woken', 'is', null)
      .execute();
  for (const event of park.events ?? [])
    await trx.insertInto('park_event').values({ event, item_id: item.id }).execute();
  const accountOf = (connection: string): string => connections.accountOf(connection);
  const ended = await keepEndings(trx, item.id, await firstTaken(trx, item), park.endings ?? [], accountOf);
  if (ended)
    await trx
      .updateTable('park')
      .set({ woken: JSON.stringify(ended) })
      .where('item_id', '=', item.id)
      .where('woken', 'is', null)
      .execute();
  await trx.updateTable('item').set({ wake_at: until }).where('id', '=', item.id).execute();
}

/** When a record was taken in first: its later changes don't begin anew what ends their waits. */
async function firstTaken(trx: Trx, item: Pick<ItemRow, 'intake_id' | 'source_id'>): Promise<string> {
  const { taken_at } = await trx
    .selectFrom('item')
    .select('taken_at')
    .where('intake_id', '=', item.intake_id)
    .where('source_id', '=', item.source_id)
    .orderBy('taken_at')
    .limit(1)
    .executeTakeFirstOrThrow();
  return taken_at;
}

/** What woke a record for good already: its stop link counts for later waits, and for its later changes. */
async function stopOf(trx: Trx, item: Pick<ItemRow, 'intake_id' | 'source_id'>): Promise<string | null> {
  const used = await trx
    .selectFrom('wait_link')
    .innerJoin('item', 'item.id', 'wait_link.item_id')
    .select('wait_link.at')
    .where('item.intake_id', '=', item.intake_id)
    .where('item.source_id', '=', item.source_id)
    .where('wait_link.kind', '=', 'stop')
    .executeTakeFirst();
  return used ? JSON.stringify(wokenByLink('stop')) : null;
}

function waitingAt(trx: Trx, item: Pick<ItemRow, 'seq' | 'intake_id' | 'source_id'>, step: string) {
  return trx
    .selectFrom('park')
    .innerJoin('item', 'item.id', 'park.item_id')
    .select(['park.item_id', 'park.until', 'park.woken'])
    .where('item.intake_id', '=', item.intake_id)
    .where('item.source_id', '=', item.source_id)
    .where('item.seq', '<', item.seq)
    .where(isWaiting)
    .where('park.step', '=', step)
    .where('park.holds_later', '=', 0)
    .orderBy('item.seq')
    .execute();
}

/** The item waits for nothing any more. */
export async function unpark(trx: Trx, itemId: string): Promise<void> {
  await trx.deleteFrom('park').where('item_id', '=', itemId).execute();
}

/** What has woken a parked item; undefined while nothing has, with what it waits for. */
export async function wokenBy(
  db: Db,
  itemId: string,
): Promise<{
  readonly by?: WokenBy;
  readonly message: string;
  readonly until: string | null;
  readonly holdsLater: boolean;
}> {
  const row = await db
    .selectFrom('park')
    .select(['woken', 'message', 'until', 'holds_later'])
    .where('item_id', '=', itemId)
    .executeTakeFirst();
  // A park that is gone was waited out: nothing else takes one away while its item is parked.
  if (!row) return { by: { kind: 'time' }, message: '', until: null, holdsLater: false };
  return {
    ...(row.woken !== null && { by: JSON.parse(row.woken) as WokenBy }),
    message: row.message,
    until: row.until,
    holdsLater: row.holds_later === 1,
  };
}

/** What is due goes on; gives the workflows of which something can. Of a workflow that is off nothing is woken. */
export async function wakeDue(context: EngineContext): Promise<string[]> {
  const { db, commits, seams } = context;
  const now = seams.now();
  // Asked every second: nothing is written where nothing is due, and what isn't due is never looked at.
  const isDue = sql`park.woken IS NULL AND park.until <= ${now} AND park.step <> ${gatheredStep}`;
  const some = (which: RawBuilder<unknown>) =>
    sql`EXISTS (SELECT 1 FROM park CROSS JOIN item ON item.id = park.item_id WHERE ${which} AND ${mayWake})`;
  const { rows } = await sql<{
    any: number;
  }>`SELECT ${some(sql`park.woken IS NOT NULL`)} OR ${some(isDue)} AS "any"`.execute(db);
  if (rows[0]?.any !== 1) return [];
  const byTime = JSON.stringify({ kind: 'time' } satisfies WokenBy);
  const woken = await commits.run(async (trx) => {
    // What is due of a workflow that is off stays so: whoever switches it on is asked about it.
    await sql`UPDATE park SET woken = ${byTime} WHERE ${isDue}
      AND EXISTS (SELECT 1 FROM item WHERE item.id = park.item_id AND ${mayWake})`.execute(trx);
    return wakeTold(trx);
  });
  if (woken.length > 0) seams.reach('park:after-wake');
  return woken;
}

/** What a person does with what waits for a time. */
export type WaitingAct =
  | { readonly kind: 'now' }
  | { readonly kind: 'stop'; readonly why: string }
  | { readonly kind: 'put_off'; readonly until: string };

/**
 * Does something with items that wait for a time: they go on now, go no further, or wait longer. What has gone on
 * meanwhile is left as it is; gives those it was done with, and the workflows of which something can go on.
 */
export function actOnWaiting(
  context: EngineContext,
  itemIds: readonly string[],
  act: WaitingAct,
): Promise<{ readonly items: string[]; readonly workflows: string[] }> {
  const { seams } = context;
  const told = act.kind === 'stop' ? { told: { stops: act.why } } : {};
  const woken = act.kind === 'put_off' ? null : JSON.stringify({ kind: 'person', ...told } satisfies WokenBy);
  // What a person is asked goes on by their answer alone.
  const notAnswered = act.kind === 'now' ? sql`NOT ${isAsked('park.item_id')}` : sql`1`;
  return context.commits.run(async (trx) => {
    const { rows } = await sql<{ item_id: string }>`UPDATE park
      SET woken = ${woken}, until = ${act.kind === 'put_off' ? act.until : sql.ref('until')}
      WHERE woken IS NULL AND step <> ${gatheredStep} AND ${notAnswered} AND item_id IN (SELECT value FROM json_each(${JSON.stringify(itemIds)}))
      AND item_id IN (SELECT id FROM item WHERE state = 'waiting' AND claimed = 0) RETURNING item_id`.execute(trx);
    const items = rows.map((row) => row.item_id);
    const decision = JSON.stringify(act);
    for (const item_id of items) {
      if (act.kind === 'put_off')
        await trx.updateTable('item').set({ wake_at: act.until }).where('id', '=', item_id).execute();
      await trx.insertInto('decision').values({ id: seams.id(), item_id, at: seams.now(), decision }).execute();
      await trx
        .insertInto('journal')
        .values({ item_id, at: seams.now(), kind: 'waiting', step: null, content: decision })
        .execute();
    }
    return { items, workflows: woken === null ? [] : await wakeTold(trx) };
  });
}

/** Items of a workflow whose time has come while it was off, the first due first. */
export async function overdueItems({ db, seams }: EngineContext, workflowId: string): Promise<string[]> {
  const rows = await db
    .selectFrom('park')
    .innerJoin('item', 'item.id', 'park.item_id')
    .select('item.id')
    .where('item.workflow_id', '=', workflowId)
    .where(isWaiting)
    .where('park.step', '!=', gatheredStep)
    .where('park.until', '<=', seams.now())
    .where('park.woken', 'is', null)
    .orderBy('park.until')
    .execute();
  return rows.map(({ id }) => id);
}

/** What waits for an event goes on with what was told by it; gives the workflows of which something can. */
export function wakeByEvent(context: EngineContext, event: string, told?: JsonRecord): Promise<string[]> {
  const by: WokenBy = { kind: 'event', event, ...(told && { told }) };
  return context.commits.run(async (trx) => {
    await sql`UPDATE park SET woken = ${JSON.stringify(by)} WHERE woken IS NULL
      AND item_id IN (SELECT item_id FROM park_event WHERE event = ${event})`.execute(trx);
    return wakeTold(trx);
  });
}

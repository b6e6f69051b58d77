import {
  changeOf,
  type Effect,
  type ItemState,
  type StateChange,
  type WorkflowContent,
  withChanges,
} from '@golden/core';
import type { Insertable } from 'kysely';
import type { Trx } from '../db/group-commit.ts';
import type { Db } from '../db/open.ts';
import { prepared } from '../db/prepared.ts';
import type { ItemChangeTable } from '../db/schema.ts';

/** From so many steps on only what has changed is stored: an item's row grows with its turns, and is written anew as a whole. */
const many = 50;

/** Where an item that is driven stands in the data file: in its row, or in that and what has changed since. */
export class StoredState {
  private isOnItsWay = false;
  /** True from the first one on: a transaction in which they were dropped may be rolled back, and done once more. */
  private hadChanges = false;

  /** @param state - as it was stored last */
  constructor(public state: ItemState) {}

  /**
   * What of the next state is enough to store while the item goes on; undefined where its row has to be written.
   *
   * @param content - of the item's version
   */
  change(content: WorkflowContent, next: ItemState): StateChange | undefined {
    return this.isOnItsWay && next.at >= many ? changeOf(content, this.state, next) : undefined;
  }

  /** Stores what has changed, and what is asked for next. */
  async add(trx: Trx, itemId: string, change: StateChange, effect: Effect | undefined): Promise<void> {
    this.hadChanges = true;
    await insertChange(trx, {
      item_id: itemId,
      change: JSON.stringify(change),
      effect: effect ? JSON.stringify(effect) : null,
    });
  }

  /** The item's row is written whole: what had changed since the last time is in it. */
  async whole(trx: Trx, itemId: string): Promise<void> {
    this.isOnItsWay = true;
    if (this.hadChanges) await dropChanges(trx, itemId);
  }
}

/** Nothing that has changed of an item since its row was written counts. */
export async function dropChanges(db: Db, itemId: string): Promise<void> {
  await db.deleteFrom('item_change').where('item_id', '=', itemId).execute();
}

/** Writes into the rows of items what has changed of them since: of one, or of all that a process left when it ended. */
export async function gatherChanges(db: Db, itemId?: string): Promise<void> {
  let changed = db.selectFrom('item_change').select('item_id').distinct();
  if (itemId !== undefined) changed = changed.where('item_id', '=', itemId);
  for (const { item_id: id } of await changed.execute()) {
    const now = await standsAt(db, id);
    if (now) await db.updateTable('item').set(now).where('id', '=', id).execute();
    await dropChanges(db, id);
  }
}

/** Where an item stands now; undefined where its row says it, or it isn't there. */
export async function standsAt(
  db: Db,
  itemId: string,
): Promise<{ readonly item_state: string; readonly effect: string | null } | undefined> {
  const changes = await db
    .selectFrom('item_change')
    .select(['change', 'effect'])
    .where('item_id', '=', itemId)
    .orderBy('id')
    .execute();
  const last = changes.at(-1);
  const item = last && (await db.selectFrom('item').select('item_state').where('id', '=', itemId).executeTakeFirst());
  if (!last || !item) return undefined;
  const all = changes.map(({ change }) => JSON.parse(change) as StateChange);
  const state = withChanges(JSON.parse(item.item_state) as ItemState, all);
  return { item_state: JSON.stringify(state), effect: last.effect };
}

const insertChange = prepared((trx, change: Insertable<ItemChangeTable>) =>
  trx.insertInto('item_change').values(change),
);

import type { Effect, Found, ItemState, JsonRecord } from '@golden/core';
import type { Trx } from '../db/group-commit.ts';
import type { EngineContext } from './context.ts';

export type WriteEffect = Extract<Effect, { kind: 'write' }>;

/** A write that an item is about to make. */
export interface Intent {
  readonly itemId: string;
  readonly token: string;
  readonly state: ItemState;
  readonly effect: WriteEffect;
}

/** Stores an intent with the item's state, before anything of it leaves. */
export async function storeIntent(
  context: EngineContext,
  trx: Trx,
  { itemId, token, state, effect }: Intent,
): Promise<void> {
  const { write, step } = effect;
  await trx
    .insertInto('write')
    .values({
      token,
      item_id: itemId,
      step,
      purpose: 'deliver',
      connection: write.target.connection,
      place: JSON.stringify(write.target.path),
      intent: JSON.stringify(write),
      status: 'intent',
      replacement_id: null,
      remote_id: null,
      read: null,
      at: context.seams.now(),
      done_at: null,
    })
    .execute();
  await trx
    .updateTable('item')
    .set({ item_state: JSON.stringify(state), effect: JSON.stringify(effect), token })
    .where('id', '=', itemId)
    .execute();
}

/** Marks a write as done, with the id the app gave, or as void: certainly not done. */
export async function closeIntent(
  context: EngineContext,
  trx: Trx,
  token: string,
  status: 'done' | 'void',
  remoteId: string | null,
): Promise<void> {
  await trx
    .updateTable('write')
    .set({ status, remote_id: remoteId, done_at: context.seams.now() })
    .where('token', '=', token)
    .execute();
}

/** Keeps what the app made of a write, so that "the same" can be judged against it later. */
export async function keepReadBack(trx: Trx, token: string, record: JsonRecord): Promise<void> {
  await trx
    .updateTable('write')
    .set({ read: JSON.stringify(record) })
    .where('token', '=', token)
    .execute();
}

/**
 * Found records with our own last write to each: what was sent, and what the app made of it. A run
 * and a rehearsal judge "the same" alike by it.
 */
export async function withLastWrites(
  context: EngineContext,
  connection: string,
  path: readonly string[],
  found: readonly Found[],
): Promise<Found[]> {
  return Promise.all(
    found.map(async (one) => {
      const last = await context.db
        .selectFrom('write')
        .select(['intent', 'read'])
        .where('connection', '=', connection)
        .where('place', '=', JSON.stringify(path))
        .where('remote_id', '=', one.id)
        .where('status', '=', 'done')
        .where('purpose', '=', 'deliver')
        .orderBy('done_at', 'desc')
        .executeTakeFirst();
      return last?.read ? { ...one, last: { sent: JSON.parse(last.intent).values, read: JSON.parse(last.read) } } : one;
    }),
  );
}

import type { Effect, ItemState, JsonRecord, PlannedWrite } from '@golden/core';
import { sql } from 'kysely';
import { type Kept, noteLeaving, whyKept } from '../consent/may-send.ts';
import type { Trx } from '../db/group-commit.ts';
import type { Db } from '../db/open.ts';
import { prepared } from '../db/prepared.ts';
import type { ItemRow, WriteRow } from '../db/schema.ts';
import type { EngineContext } from './context.ts';
import { saveNewLinks, type Work } from './item-store.ts';
import { leftAs, leftGone } from './own-writes.ts';
import type { StoredState } from './stored-state.ts';
import { nextToken, tokenBase } from './tokens.ts';

export type WriteEffect = Extract<Effect, { kind: 'write' }>;

/** A write that an item is about to make. */
export interface NewIntent extends Work {
  /** What was stored last. */
  readonly stored: StoredState;
  readonly state: ItemState;
  readonly effect: WriteEffect;
  /** The account that it goes to. */
  readonly account: string;
}

/**
 * Stores an intent with the item's state, before anything of it leaves; gives it as it is stored, or what keeps it from
 * leaving: then nothing is stored.
 */
export async function storeIntent(
  { seams }: Pick<EngineContext, 'seams'>,
  trx: Trx,
  { item, version, stored, state, effect, account }: NewIntent,
): Promise<WriteRow | Kept> {
  const { write, step } = effect;
  const kept = await whyKept(trx, { item, content: version.content, write }, seams.now());
  if (kept) return kept;
  const base = tokenBase(item, version.content, state, step, account);
  const row: WriteRow = {
    token: await nextToken(trx, base),
    item_id: item.id,
    step,
    purpose: 'deliver',
    connection: write.target.connection,
    account,
    place: JSON.stringify(write.target.path),
    intent: JSON.stringify(write),
    status: 'intent',
    replacement_id: null,
    remote_id: null,
    read: null,
    at: seams.now(),
    done_at: null,
    base,
    left: null,
  };
  await insertWrite(trx, row);
  await noteLeaving(trx, row, item.workflow_id, write);
  const change = stored.change(version.content, state);
  if (change) await stored.add(trx, item.id, change, effect);
  else {
    await stored.whole(trx, item.id);
    const now = { item_state: JSON.stringify(state), effect: JSON.stringify(effect) };
    await setState(trx, { id: item.id, ...now, message: null, waits_for: null, wake_at: null });
  }
  await saveNewLinks({ seams }, trx, { item, version }, stored.state, state, change);
  return row;
}

/** Keeps of a record that was removed how it stood: what looks at its place knows by it who took it out. */
export async function keepRemoved(trx: Trx, { token }: Pick<WriteRow, 'token'>, before: JsonRecord): Promise<void> {
  await setRead(trx, { token, read: JSON.stringify(before), left: leftGone(before) });
}

type OnItsWay = Pick<ItemRow, 'id' | 'item_state' | 'effect' | 'message' | 'waits_for' | 'wake_at'>;

const insertWrite = prepared((trx, row: WriteRow) => trx.insertInto('write').values(row));

const setState = prepared((trx, { id, ...values }: OnItsWay) =>
  trx.updateTable('item').set(values).where('id', '=', id),
);

/** Whether an intent was stored, and not kept from leaving. */
export const isStored = (kept: WriteRow | Kept): kept is WriteRow => 'token' in kept;

/** The write that an intent stands for. */
export const writeOf = (row: Pick<WriteRow, 'intent'>): PlannedWrite => JSON.parse(row.intent) as PlannedWrite;

/** The writes of an item whose result isn't known, by their step. */
export async function openIntents(db: Db | Trx, itemId: string): Promise<Map<string, WriteRow>> {
  const rows = await db
    .selectFrom('write')
    .selectAll()
    .where('item_id', '=', itemId)
    .where('status', '=', 'intent')
    .where('purpose', '=', 'deliver')
    .execute();
  return new Map(rows.map((row) => [row.step, row]));
}

/** An item of which no write may be done without its result being known: for queries over items. */
export const hasNoOpenIntent = sql<boolean>`NOT EXISTS (SELECT 1 FROM write WHERE write.item_id = item.id AND write.status = 'intent')`;

/** The last write of a step that was done; undefined when there is none. */
export function lastDone(db: Db | Trx, itemId: string, step: string): Promise<WriteRow | undefined> {
  return db
    .selectFrom('write')
    .selectAll()
    .where('item_id', '=', itemId)
    .where('step', '=', step)
    .where('status', '=', 'done')
    .where('purpose', '=', 'deliver')
    .orderBy('done_at', 'desc')
    .executeTakeFirst();
}

/** Marks a write as done, with the id the app gave, or as void: certainly not done, or given up by a person. */
export async function closeIntent(
  { seams }: Pick<EngineContext, 'seams'>,
  trx: Trx,
  token: string,
  status: 'done' | 'void',
  remoteId: string | null,
): Promise<void> {
  const left = status === 'void' ? '' : null;
  await endWrite(trx, { token, status, remote_id: remoteId, done_at: seams.now(), left });
}

type Ended = Pick<WriteRow, 'token' | 'status' | 'remote_id' | 'done_at' | 'left'>;
const endWrite = prepared((trx, { token, ...values }: Ended) =>
  trx.updateTable('write').set(values).where('token', '=', token),
);

/**
 * Keeps what was read back of a write, for people to see beside what was sent, and for a start that looks at
 * its place to know the record again; null where it couldn't be read.
 */
export async function keepReadBack(trx: Trx, token: string, record: JsonRecord | null): Promise<void> {
  if (record) await setRead(trx, { token, read: JSON.stringify(record), left: leftAs(record) });
  else await setUnread(trx, { token });
}

// What was read once isn't forgotten.
const setUnread = prepared((trx, { token }: Pick<WriteRow, 'token'>) =>
  trx.updateTable('write').set({ left: '' }).where('token', '=', token).where('left', 'is', null),
);

const setRead = prepared((trx, { token, ...values }: Pick<WriteRow, 'token' | 'read' | 'left'>) =>
  trx.updateTable('write').set(values).where('token', '=', token),
);

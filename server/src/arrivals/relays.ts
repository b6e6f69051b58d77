import {
  fieldsOfExample,
  hopsHeader,
  hopsOf,
  type ItemState,
  type JsonRecord,
  startId,
  type WorkflowContent,
} from '@golden/core';
import type { Trx } from '../db/group-commit.ts';
import type { Db } from '../db/open.ts';
import { prepared } from '../db/prepared.ts';
import type { ItemRow, RelayTable, RunRow } from '../db/schema.ts';
import { NotPossible } from '../engine/errors.ts';
import { learnFields } from './arrivals.ts';
import { hashOf } from './byte-store.ts';

// What one workflow has done, as what comes to another that begins after it. It is stored in the transaction in which
// the record is delivered or the run ends: neither is known without the other.

/** Through how many workflows something has gone, by the headers with which it came. */
export function hopsIn(headers: string): number {
  if (!headers.includes(hopsHeader)) return 0;
  const hops = Number((JSON.parse(headers) as Record<string, string>)[hopsHeader]);
  return Number.isInteger(hops) && hops > 0 ? hops : 0;
}

const relaysOf = prepared((trx, { workflow }: { workflow: string }) =>
  trx.selectFrom('relay').selectAll().where('workflow_id', '=', workflow),
);

/** Records that a workflow has delivered lately, so that one that begins after it has samples: so many. */
const mostEarlier = 50;

/** Puts what a workflow has delivered lately into an inbox that is new. It came before: it is known, and not sent. */
export async function putEarlier(trx: Trx, relay: RelayTable): Promise<void> {
  const items = await trx
    .selectFrom('item')
    .selectAll()
    .where('workflow_id', '=', relay.workflow_id)
    .where('state', '=', 'delivered')
    .where('emptied_at', 'is', null)
    .orderBy('seq', 'desc')
    .limit(mostEarlier)
    .execute();
  for (const item of items.reverse()) {
    const { record, hops } = deliveredOf(JSON.parse(item.item_state) as ItemState);
    await put(trx, relay, item.id, record, hops, item.ended_at ?? item.taken_at);
  }
}

/** A delivered record with what was written of it, and through how many workflows it has gone then. */
function deliveredOf({ values, steps }: ItemState): { readonly record: JsonRecord; readonly hops: number } {
  const { $arrival: _came, ...record } = (values[startId] ?? {}) as JsonRecord;
  const wrote: Record<string, JsonRecord> = {};
  for (const [step, result] of Object.entries(steps))
    if (result.kind === 'written') wrote[step] = { id: result.id, ...values[step] };
  return { record: { record, wrote }, hops: hopsOf(values[startId]) + 1 };
}

/** Hands a record that is delivered on to those that begin after it, with what was written of it. */
export async function relayRecord(trx: Trx, item: ItemRow, state: ItemState, now: string): Promise<void> {
  const relays = (await relaysOf(trx, { workflow: item.workflow_id })).filter(({ moment }) => moment === 'record');
  if (relays.length === 0) return;
  const { record, hops } = deliveredOf(state);
  for (const relay of relays) await put(trx, relay, item.id, record, hops, now);
}

/** Tells those that begin after a run that it has ended, with its counts. */
export async function relayRun(trx: Trx, run: RunRow, now: string): Promise<void> {
  const relays = (await relaysOf(trx, { workflow: run.workflow_id })).filter(({ moment }) => moment !== 'record');
  if (relays.length === 0) return;
  const states = await trx
    .selectFrom('item')
    .select((eb) => ['state', eb.fn.countAll<number>().as('count')])
    .where('run_id', '=', run.id)
    .groupBy('state')
    .execute();
  const count = (...wanted: string[]): number =>
    states.filter(({ state }) => wanted.includes(state)).reduce((sum, one) => sum + one.count, 0);
  const record = {
    run: run.id,
    started: run.started_at,
    ended: now,
    takenIn: run.taken_in,
    delivered: count('delivered'),
    leftOut: count('left_out'),
    needsYou: count('unsettled'),
  };
  const isWhole = count('unsettled', 'waiting', 'running', 'cancelled', 'undone') === 0;
  for (const relay of relays) if (relay.moment === 'run' || isWhole) await put(trx, relay, run.id, record, 1, now);
}

async function put(trx: Trx, { inbox_id }: RelayTable, key: string, record: JsonRecord, hops: number, now: string) {
  const body = Buffer.from(JSON.stringify(record));
  await trx
    .insertInto('arrival')
    .values({
      inbox_id,
      key,
      at: now,
      media_type: 'application/json',
      headers: JSON.stringify({ [hopsHeader]: String(hops) }),
      size: body.length,
      hash: hashOf(body),
      body,
      refused: null,
    })
    .onConflict((conflict) =>
      conflict.columns(['inbox_id', 'key']).doUpdateSet((eb) => ({ repeats: eb('arrival.repeats', '+', 1) })),
    )
    .execute();
  await learnFields(trx, inbox_id, fieldsOfExample(record));
}

/** The inboxes into which a workflow puts what it has done. */
export async function inboxesAfter(db: Db, workflow: string): Promise<string[]> {
  const rows = await db.selectFrom('relay').select('inbox_id').where('workflow_id', '=', workflow).execute();
  return rows.map(({ inbox_id }) => inbox_id);
}

/** Where workflows are looked up, each as its draft. */
interface Looking {
  readonly db: Db;
  readonly workflows: { get(id: string): Promise<{ readonly draft: WorkflowContent }> };
}

/**
 * A workflow must not begin after one that begins after it, over however many others.
 *
 * @throws NotPossible with the circle
 */
export async function expectNotAfter(
  { db, workflows }: Looking,
  workflow: string,
  name: string,
  before: string,
): Promise<void> {
  const way = [name];
  const seen = new Set<string>();
  for (let id: string | undefined = before; id !== undefined && !seen.has(id); ) {
    seen.add(id);
    const { draft } = await workflows.get(id);
    way.unshift(draft.name);
    if (id === workflow)
      throw new NotPossible(`These workflows would begin after each other without end: ${way.join(' → ')}.`);
    id = await beginsAfter(db, draft);
  }
}

/** The workflow after which another one begins; undefined where it begins otherwise. */
async function beginsAfter(db: Db, { start }: WorkflowContent): Promise<string | undefined> {
  const [inbox = ''] = start.source?.path ?? [];
  const row = await db.selectFrom('relay').select('workflow_id').where('inbox_id', '=', inbox).executeTakeFirst();
  return row?.workflow_id;
}

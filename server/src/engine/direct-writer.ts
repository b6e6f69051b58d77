import {
  AppError,
  Changed,
  type Connector,
  NotThere,
  Unsure,
  type WriteRequest,
  type Written,
} from '@golden/connectors';
import { hopsOf, type ItemState, type PlannedWrite, startId } from '@golden/core';
import type { Kept } from '../consent/may-send.ts';
import type { WriteRow } from '../db/schema.ts';
import type { Sent } from './batch-writer.ts';
import type { EngineContext } from './context.ts';
import { isStored, type NewIntent, storeIntent, writeOf } from './intents.ts';

/**
 * Writes one record: its intent is stored only when its request is about to leave, and is on the
 * disk before it does. So no more intents are open at any moment than requests are on their way,
 * and those that are being stored meanwhile. Gives what keeps a message from leaving, where something does.
 */
export function writeDirect(context: EngineContext, connector: Connector, intent: NewIntent): Promise<Sent | Kept> {
  const { connection } = intent.effect.write.target;
  return context.slots.intent(connection, intent.item.workflow_id, async () => {
    context.seams.reach('intent:before-store');
    const row = await context.commits.run((trx) => storeIntent(context, trx, intent));
    context.seams.reach('intent:after-store');
    if (!isStored(row)) return row;
    return sendOnce(context, connector, row, intent.item.workflow_id, false);
  });
}

/**
 * Sends a write whose intent is stored, once.
 *
 * @param isAgain - true when it may have been sent before: then no refusal says that it wasn't done
 */
export async function sendOnce(
  context: EngineContext,
  connector: Connector,
  row: WriteRow,
  lane: string,
  isAgain: boolean,
): Promise<Sent> {
  const hops = connector.tellsHops ? await hopsOfItem(context, row.item_id) : undefined;
  const request = { write: writeOf(row), token: row.token, ...(hops !== undefined && { hops }) };
  context.seams.reach('send:before');
  try {
    const written = await context.slots.request(row.connection, lane, () => carryOut(connector, request));
    context.seams.reach('send:after');
    return { row, answer: { kind: 'written', ...written } };
  } catch (fault) {
    const mayBeDone = isAgain || fault instanceof Unsure || !(fault instanceof AppError);
    return { row, fault, mayBeDone };
  }
}

function carryOut(connector: Connector, request: WriteRequest): Promise<Written> {
  switch (request.write.kind) {
    case 'create':
      return connector.create(request);
    case 'update':
      return connector.update(request);
    case 'remove':
      return removed(connector, request.write);
  }
}

/** @throws Changed where it isn't there any more */
async function removed(connector: Connector, { target, id = '', before }: PlannedWrite): Promise<Written> {
  try {
    await connector.remove(target.path, id, before);
  } catch (error) {
    if (error instanceof NotThere) throw new Changed('It isn’t there any more.', { cause: error });
    throw error;
  }
  return { id };
}

/** Through how many workflows a record has gone when this one has sent it on. */
async function hopsOfItem({ db }: EngineContext, id: string): Promise<number> {
  const item = await db.selectFrom('item').select('item_state').where('id', '=', id).executeTakeFirstOrThrow();
  return hopsOf((JSON.parse(item.item_state) as ItemState).values[startId]) + 1;
}

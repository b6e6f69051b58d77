import type { Returned } from '@golden/connectors';
import {
  type FieldProblem,
  fieldAt,
  type ItemState,
  isPlaced,
  type PlannedWrite,
  returned,
  stepById,
  type WorkflowVersion,
} from '@golden/core';
import type { ItemRow, WriteRow } from '../db/schema.ts';
import type { EngineContext } from './context.ts';
import { storeItem } from './item-store.ts';
import { StoredState } from './stored-state.ts';

/** Days for which what was sent may still come back: mail servers give up after five (RFC 5321 section 4.5.4.1). */
const daysBack = 7;

/**
 * Looks whether something that was delivered has come back since, as a mail that couldn't be delivered does: its item needs a
 * person, with the reason. Once for each: what somebody has settled isn't opened again by the same one.
 */
export async function takeReturned(context: EngineContext): Promise<void> {
  const { db, seams, connections, log, redaction } = context;
  const since = new Date(Date.parse(seams.now()) - daysBack * 86_400_000).toISOString();
  for (const { id: connection, status } of await connections.list()) {
    try {
      if (status === 'broken') continue;
      const connector = await connections.connector(connection);
      if (!connector.returned) continue;
      // Of an account by which nothing ever went out, nothing comes back.
      const account = connections.accountOf(connection);
      const sent = await db
        .selectFrom('write')
        .select('token')
        .where('account', '=', account)
        .limit(1)
        .executeTakeFirst();
      if (!sent) continue;
      for (const one of await connector.returned(since)) await reopen(context, connection, one);
    } catch (error) {
      // The next look finds it.
      log.info({ said: redaction.clean((error as Error).message) }, 'what came back could not be looked for');
    }
  }
}

async function reopen(context: EngineContext, connection: string, { token, whom, reason }: Returned): Promise<void> {
  const { db, commits, workflows, seams, events } = context;
  const write = await db
    .selectFrom('write')
    .select(['item_id', 'step', 'intent'])
    .where('token', '=', token)
    .where('connection', '=', connection)
    .where('status', '=', 'done')
    .executeTakeFirst();
  if (!write) return;
  const item = await db.selectFrom('item').selectAll().where('id', '=', write.item_id).executeTakeFirst();
  // One that waits for what comes next is asked about too: that would go to the same address.
  // Nothing can be sent anew of what isn't kept any more.
  if (!item || item.emptied_at !== null || !isAtRest(item)) return;
  const version = await workflows.version(item.workflow_id, item.version);
  const isNew = await commits.run(async (trx) => {
    const told = await trx
      .selectFrom('journal')
      .select('content')
      .where('item_id', '=', item.id)
      .where('kind', '=', 'returned')
      .execute();
    if (told.some(({ content }) => (JSON.parse(content) as { token: string }).token === token)) return false;
    const taken = await trx
      .updateTable('item')
      .set({ claimed: 1 })
      .where('id', '=', item.id)
      .where('state', '=', item.state)
      .where('claimed', '=', 0)
      .returningAll()
      .executeTakeFirst();
    if (!taken) return false;
    const before = JSON.parse(taken.item_state) as ItemState;
    const message = `It didn’t reach ${whom}${reason === '' ? '' : `: ${reason}`}.`;
    const next = returned(before, write.step, message, addressOf(version, write, message));
    // Sent anew meanwhile, or not by this step any more.
    if (!next) {
      await trx.updateTable('item').set({ claimed: 0 }).where('id', '=', item.id).execute();
      return false;
    }
    const journal = [{ kind: 'returned', step: write.step, content: { token, whom, reason } }];
    await storeItem(
      context,
      trx,
      { item: taken, version },
      { stored: new StoredState(before), next, journal, keepsClaim: false },
    );
    return true;
  });
  seams.reach('returned:after-store');
  if (isNew) events.tell({ topic: 'item', workflow: item.workflow_id, id: item.id });
}

/** Whether an item was delivered, or has nothing to do but to wait for its time. */
const isAtRest = ({ state, item_state }: Pick<ItemRow, 'state' | 'item_state'>): boolean =>
  state === 'delivered' || (state === 'waiting' && (JSON.parse(item_state) as ItemState).phase === 'parked');

/** To whom it went: somebody may know a better address. */
function addressOf(
  { content }: WorkflowVersion,
  { step: id, intent }: Pick<WriteRow, 'step' | 'intent'>,
  message: string,
): FieldProblem[] {
  const step = stepById(content, id);
  const described = step && isPlaced(step) ? step.target?.described : undefined;
  const path = described?.sentTo?.to;
  if (!described || path === undefined) return [];
  const given = (JSON.parse(intent) as Pick<PlannedWrite, 'values'>).values[path];
  const label = fieldAt(described.fields, path)?.label ?? path;
  return [{ path, label, message, ...(given !== undefined && { given }) }];
}

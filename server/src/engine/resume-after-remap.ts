import type { ItemState } from '@golden/core';
import type { Trx } from '../db/group-commit.ts';
import { isUnsettled } from '../db/item-states.ts';
import type { Db } from '../db/open.ts';
import type { ItemRow } from '../db/schema.ts';
import type { EngineContext } from './context.ts';
import { hasNoOpenIntent } from './intents.ts';
import { hasWritten, restartedItem } from './restart-item.ts';

/**
 * The records of a workflow that a change of their place has stopped, with those that stand behind
 * them, as far as nothing of them is written: they can begin anew on a version that was mapped again.
 */
export async function stoppedItems(db: Db | Trx, workflowId: string): Promise<ItemRow[]> {
  const items = await db
    .selectFrom('item')
    .selectAll()
    .where('workflow_id', '=', workflowId)
    .where(isUnsettled)
    .where('cause', 'in', ['drift', 'behind'])
    .where('claimed', '=', 0)
    // What a step may have written is found out on the version that it was written by.
    .where(hasNoOpenIntent)
    .orderBy('seq')
    .execute();
  const drifted = new Set(
    items.filter((item) => item.cause === 'drift').map((item) => `${item.intake_id}\n${item.source_id}`),
  );
  return items.filter((item) => drifted.has(`${item.intake_id}\n${item.source_id}`) && !hasWritten(stateOf(item)));
}

/**
 * Lets stopped records go on with a newer version. An item else stays on its version to its end; one
 * that could do nothing yet, because its place had changed, loses nothing by beginning again. True when there were any.
 */
export async function resumeAfterRemap(context: EngineContext, workflowId: string, version: number): Promise<boolean> {
  const at = context.seams.now();
  return context.commits.run(async (trx) => {
    let isCarried = false;
    for (const item of await stoppedItems(trx, workflowId)) {
      if (item.version >= version) continue;
      isCarried = true;
      await trx
        .updateTable('item')
        .set({
          version,
          state: 'running',
          cause: null,
          message: null,
          waits_for: null,
          item_state: JSON.stringify(restartedItem(stateOf(item))),
          effect: null,
          ended_at: null,
        })
        .where('id', '=', item.id)
        .where('claimed', '=', 0)
        .execute();
      const content = JSON.stringify({ from: item.version, to: version });
      await trx.insertInto('journal').values({ item_id: item.id, at, kind: 'version', step: null, content }).execute();
    }
    return isCarried;
  });
}

const stateOf = (item: Pick<ItemRow, 'item_state'>): ItemState => JSON.parse(item.item_state) as ItemState;

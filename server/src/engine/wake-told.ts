import { sql } from 'kysely';
import type { Trx } from '../db/group-commit.ts';

/** True of a waiting item that may be woken: its workflow is on, or only takes in nothing new, and no later change of its record is on its way. */
export const mayWake = sql`item.state = 'waiting' AND item.claimed = 0 AND item.waits_for IS NULL
  AND item.workflow_id IN (SELECT id FROM workflow WHERE is_on = 1 OR waits_go_on = 1)
  AND NOT EXISTS (SELECT 1 FROM item AS later WHERE later.intake_id = item.intake_id
    AND later.source_id = item.source_id AND later.seq > item.seq AND later.state = 'running')`;

/**
 * Lets go on what something has woken. While a later change of the same record is on its way the
 * earlier one stays: that one may come to overtake it.
 */
export async function wakeTold(trx: Trx): Promise<string[]> {
  const { rows } = await sql<{ workflow_id: string }>`UPDATE item SET state = 'running', message = NULL, wake_at = NULL
    WHERE id IN (SELECT item_id FROM park WHERE woken IS NOT NULL) AND ${mayWake} RETURNING workflow_id`.execute(trx);
  return [...new Set(rows.map((row) => row.workflow_id))];
}

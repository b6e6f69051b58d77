import { sql } from 'kysely';
import type { Trx } from '../db/group-commit.ts';
import type { Db } from '../db/open.ts';
import type { ItemRow } from '../db/schema.ts';

/** The ids of an item's descendants, as a statement begins. */
const descendants = (itemId: string) => sql`WITH RECURSIVE down (id) AS (
  SELECT child_id FROM handed WHERE parent_id = ${itemId} AND child_id IS NOT NULL
  UNION SELECT handed.child_id FROM handed JOIN down ON handed.parent_id = down.id WHERE handed.child_id IS NOT NULL)`;

/** All that an item has handed over and that was taken in, over however many workflows; whoever hands over before what it hands over. */
export async function handedItems(db: Db, itemId: string): Promise<ItemRow[]> {
  const { rows } = await sql<ItemRow>`${descendants(itemId)}
    SELECT item.* FROM down CROSS JOIN item ON item.id = down.id ORDER BY item.seq`.execute(db);
  return rows;
}

/** What was handed over by an item, or by what it handed over, and isn't taken in yet, never will be. */
export async function dropNotTakenIn(trx: Trx, itemId: string): Promise<void> {
  const open = sql`${descendants(itemId)} SELECT inbox_id, key FROM handed
    WHERE state = 'handed' AND (parent_id = ${itemId} OR parent_id IN (SELECT id FROM down))`;
  await sql`UPDATE arrival SET refused = 'Taken back before it was taken in.'
    WHERE is_handed = 1 AND (inbox_id, key) IN (${open})`.execute(trx);
  await sql`UPDATE handed SET state = 'cancelled' WHERE state = 'handed' AND (inbox_id, key) IN (${open})`.execute(trx);
}

import { setImmediate } from 'node:timers/promises';
import { sql } from 'kysely';
import type { Db } from './db/open.ts';

// A workflow is removed with all that it ever took in, which may be hundreds of thousands of records: it is hidden at
// once, and what belongs to it goes piece by piece, so that others are answered in between. A process that ends in the
// middle goes on with it when it starts again.

/** Rows that go at once: a few milliseconds of work with all that hangs on them. */
const piece = 8;

/** A workflow that isn't there for anybody any more. */
export const isBeingRemoved = sql<boolean>`workflow.id IN (SELECT id FROM removed_workflow)`;

/** Hides a workflow; what belongs to it is still to go. */
export async function hideRemoved(db: Db, id: string): Promise<void> {
  await sql`INSERT OR IGNORE INTO removed_workflow (id) SELECT id FROM workflow WHERE id = ${id}`.execute(db);
}

/** The workflows that are hidden, and of which something is still there. */
export async function hiddenWorkflows(db: Db): Promise<string[]> {
  return (await db.selectFrom('removed_workflow').select('id').execute()).map(({ id }) => id);
}

/**
 * Takes a hidden workflow out with all that belongs to it.
 *
 * @param isStopped - ends it between two pieces; what is left goes the next time
 */
export async function clearRemoved(db: Db, id: string, isStopped: () => boolean = () => false): Promise<void> {
  const pieces = [
    // First what somebody could still be asked about.
    sql`DELETE FROM item WHERE seq IN (SELECT seq FROM item WHERE state IN ('running', 'unsettled', 'waiting')
      AND workflow_id = ${id} LIMIT ${piece})`,
    sql`DELETE FROM item WHERE seq IN (SELECT seq FROM item WHERE workflow_id = ${id} LIMIT ${piece})`,
    sql`DELETE FROM run WHERE id IN (SELECT id FROM run WHERE workflow_id = ${id} LIMIT ${piece})`,
    sql`DELETE FROM seen WHERE (intake_id, source_id) IN (SELECT intake_id, source_id FROM seen
      JOIN intake ON intake.id = seen.intake_id WHERE intake.workflow_id = ${id} LIMIT ${piece})`,
  ];
  for (const one of pieces)
    for (;;) {
      if (isStopped()) return;
      const { numAffectedRows } = await one.execute(db);
      if ((numAffectedRows ?? 0n) < BigInt(piece)) break;
      await setImmediate();
    }
  if (!isStopped()) await db.deleteFrom('workflow').where('id', '=', id).execute();
}

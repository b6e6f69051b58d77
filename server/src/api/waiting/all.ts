import { sql } from 'kysely';
import { z } from 'zod';
import { isWaiting } from '../../db/item-states.ts';
import { likeAnywhere } from '../../db/like.ts';
import { gatheredStep } from '../../engine/parks.ts';
import type { Services } from '../../services.ts';
import { nameIn } from '../../workflows.ts';

/** So many are shown; the others are found by searching. */
const mostRows = 200;

export const allWaitingQuery = z.object({ search: z.string().max(200).default('') });

export const allWaiting = z.object({
  /** How many wait, by the search. */
  total: z.int(),
  rows: z.array(
    z.object({
      id: z.string(),
      runId: z.string(),
      workflowId: z.string(),
      workflow: z.string(),
      title: z.string(),
      /** What it waits for. */
      message: z.string(),
      until: z.string().nullable(),
      /** The step that asks a person about it; null where it waits for something else. */
      asks: z.string().nullable(),
      /** True where its time has come while its workflow was off. */
      isOverdue: z.boolean(),
    }),
  ),
});

/** Who waits for a time or for something to happen, in whatever workflow, the next first. */
export async function waitingEverywhere(
  { db, seams }: Pick<Services, 'db' | 'seams'>,
  { search }: z.infer<typeof allWaitingQuery>,
): Promise<z.infer<typeof allWaiting>> {
  const pattern = likeAnywhere(search.trim());
  const rows = await db
    .selectFrom('item')
    .leftJoin('park', 'park.item_id', 'item.id')
    .leftJoin('ask', 'ask.item_id', 'item.id')
    .innerJoin('workflow', 'workflow.id', 'item.workflow_id')
    .select(['item.id', 'item.run_id', 'item.workflow_id', 'item.title', 'workflow.draft', 'ask.step as asks'])
    // What is held until it may go out has no park of its own: its time stands at the record.
    .select((eb) => [
      eb.fn.coalesce('park.message', 'item.message', sql<string>`''`).as('message'),
      eb.fn.coalesce('park.until', 'item.wake_at').as('until'),
    ])
    .select((eb) => eb.fn.countAll<number>().over().as('total'))
    .where(isWaiting)
    .where('item.waits_for', 'is', null)
    .where((eb) => eb.or([eb('park.step', '!=', gatheredStep), eb('park.step', 'is', null)]))
    .where(sql<boolean>`item.title LIKE ${pattern} ESCAPE '\\'`)
    // What waits for no time stands last.
    .orderBy(sql`coalesce(park.until, item.wake_at) IS NULL`)
    .orderBy(sql`coalesce(park.until, item.wake_at)`)
    .orderBy('item.seq')
    .limit(mostRows)
    .execute();
  const now = seams.now();
  return {
    total: rows[0]?.total ?? 0,
    rows: rows.map(({ id, run_id, workflow_id, title, draft, message, until, asks }) => ({
      id,
      runId: run_id,
      workflowId: workflow_id,
      workflow: nameIn(draft),
      title,
      message,
      until,
      asks,
      isOverdue: until !== null && until <= now,
    })),
  };
}

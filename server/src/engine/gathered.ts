import type { Start } from '@golden/core';
import { sql } from 'kysely';
import type { Trx } from '../db/group-commit.ts';
import { isGathered, isWaiting } from '../db/item-states.ts';
import type { EngineContext } from './context.ts';
import { markGathered } from './mark-doubles.ts';
import { gatheredStep } from './parks.ts';

type Gather = NonNullable<Start['gather']>;

/** What is said of a record that waits for others. */
export const gatheredMessage = 'Waits until enough records have come.';

/** When a record that was taken in now goes on at the latest. */
export const gatheredUntil = ({ minutes }: Gather, now: string): string =>
  new Date(Date.parse(now) + minutes * 60_000).toISOString();

/** Parks records before they begin. Later changes of one gather beside it, and keep their order. */
export async function gatherItems(trx: Trx, gather: Gather, ids: readonly string[], now: string): Promise<void> {
  const until = gatheredUntil(gather, now);
  const park = { step: gatheredStep, until, who: null, holds_later: 1, message: gatheredMessage, woken: null, at: now };
  await trx
    .insertInto('park')
    .values(ids.map((item_id) => ({ item_id, ...park })))
    .execute();
}

/**
 * Lets go what has gathered long enough, or is enough by now, of the workflows that are on; which of
 * them are the same person or firm is told first. Gives the workflows of which something can go on.
 */
export async function releaseGathered(context: EngineContext): Promise<string[]> {
  const { db, workflows, seams, commits } = context;
  const gathered = await db
    .selectFrom('park')
    // Few are gathered of all that ever came: they are begun with.
    .crossJoin('item')
    .innerJoin('workflow', 'workflow.id', 'item.workflow_id')
    .select(['item.workflow_id', 'item.version', (eb) => eb.fn.countAll<number>().as('count')])
    .select((eb) => eb.fn.min('park.at').as('first'))
    .where(isGathered)
    .whereRef('item.id', '=', 'park.item_id')
    .where(isWaiting)
    .where('workflow.is_on', '=', 1)
    .groupBy(['item.workflow_id', 'item.version'])
    .execute();
  const released: string[] = [];
  for (const { workflow_id, version, count, first } of gathered) {
    const known = await workflows.readableVersion(workflow_id, version);
    if (!known) continue;
    const { content } = known;
    const { gather } = content.start;
    const age = (Date.parse(seams.now()) - Date.parse(first)) / 60_000;
    // An age below zero tells of a clock that was put back: nothing waits for it to catch up.
    if (gather && count < gather.records && age >= 0 && age < gather.minutes) continue;
    await commits.run(async (trx) => {
      const ids = JSON.stringify(await markGathered(trx, workflow_id, version, content));
      await sql`UPDATE item SET state = 'running', message = NULL, wake_at = NULL
        WHERE id IN (SELECT value FROM json_each(${ids}))`.execute(trx);
      await sql`DELETE FROM park WHERE item_id IN (SELECT value FROM json_each(${ids}))`.execute(trx);
    });
    seams.reach('gathered:after-store');
    released.push(workflow_id);
  }
  return released;
}

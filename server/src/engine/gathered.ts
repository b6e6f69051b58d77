import type { EngineContext } from './context.ts';
import { markGathered } from './mark-doubles.ts';

/**
 * Lets go what has gathered long enough, or is enough by now, of the workflows that are on; which of
 * them are the same person or firm is told first. Gives the workflows of which something can go on.
 */
export async function releaseGathered(context: EngineContext): Promise<string[]> {
  const { db, workflows, seams, commits } = context;
  const gathered = await db
    .selectFrom('item')
    .innerJoin('workflow', 'workflow.id', 'item.workflow_id')
    .select(['item.workflow_id', 'item.version', (eb) => eb.fn.countAll<number>().as('count')])
    .select((eb) => eb.fn.min('item.taken_at').as('first'))
    .where('item.is_gathered', '=', 1)
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
    // An age below nought tells of a clock that was put back: nothing waits for it to catch up.
    if (gather && count < gather.records && age >= 0 && age < gather.minutes) continue;
    await commits.run(async (trx) => {
      await markGathered(trx, workflow_id, version, content);
      await trx
        .updateTable('item')
        .set({ is_gathered: 0, state: 'running', message: null })
        .where('workflow_id', '=', workflow_id)
        .where('version', '=', version)
        .where('is_gathered', '=', 1)
        .execute();
    });
    seams.reach('gathered:after-store');
    released.push(workflow_id);
  }
  return released;
}

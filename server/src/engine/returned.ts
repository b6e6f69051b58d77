import { isPlaced } from '@golden/core';
import { isUnsettled } from '../db/item-states.ts';
import type { EngineContext } from './context.ts';
import { decideAll } from './decisions.ts';
import { checkDestination } from './destination-check.ts';

/**
 * Records that stopped because their place had changed go on by themselves once it is as it was: a file
 * that was missing for a moment, a column that somebody has put back. True when something can go on.
 */
export async function retryReturned(context: EngineContext, workflowId: string): Promise<boolean> {
  const stopped = await context.db
    .selectFrom('item')
    .select(['id', 'workflow_id', 'version'])
    .where('workflow_id', '=', workflowId)
    .where(isUnsettled)
    .where('cause', '=', 'drift')
    .where('claimed', '=', 0)
    .execute();
  let isAny = false;
  for (const version of new Set(stopped.map((item) => item.version))) {
    if (!(await isInOrder(context, workflowId, version))) continue;
    await decideAll(
      context,
      stopped.filter((item) => item.version === version),
      { kind: 'retry' },
    );
    isAny = true;
  }
  return isAny;
}

async function isInOrder(context: EngineContext, workflowId: string, version: number): Promise<boolean> {
  const { content } = await context.workflows.version(workflowId, version);
  for (const step of content.steps)
    if (isPlaced(step) && !step.isOff && (await checkDestination(context, content, step))) return false;
  return true;
}

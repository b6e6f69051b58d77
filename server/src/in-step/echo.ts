import type { EngineContext } from '../engine/context.ts';
import type { Echo } from '../engine/own-writes.ts';
import { pairWith, workflowsOf } from './pairs.ts';

/**
 * What is an echo for one direction of a pair, and for what carries removals that way: whatever the pair did itself, and
 * what came from the place that it leads to. Undefined for any other workflow, for which all that is written by us starts nothing.
 */
export async function echoFor(
  { db, connections, workflows }: Pick<EngineContext, 'db' | 'connections' | 'workflows'>,
  workflow: string,
): Promise<Echo | undefined> {
  const pair = await pairWith(db, workflow);
  if (!pair) return undefined;
  // Where this direction leads to the other one begins.
  const leadsThere = workflow === pair.there_id || workflow === pair.removed_here_id;
  const { draft } = await workflows.get(leadsThere ? pair.here_id : pair.there_id);
  const { source } = draft.start;
  if (!source) return undefined;
  return {
    workflows: new Set(workflowsOf(pair)),
    to: { account: connections.accountOf(source.connection), place: JSON.stringify(source.path) },
  };
}

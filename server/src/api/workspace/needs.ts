import { startId, unsettledCauses } from '@golden/core';
import { sql } from 'kysely';
import { z } from 'zod';
import { isUnsettled } from '../../db/item-states.ts';
import type { Db } from '../../db/open.ts';
import { isBeingRemoved } from '../../removing.ts';
import { nameIn } from '../../workflows.ts';

/** What a check was held for. */
const HeldSchema = z.object({
  kind: z.enum(['surge', 'removed']),
  count: z.int(),
  of: z.int(),
  examples: z.array(z.string()),
  at: z.string(),
});

/** Something that needs a person: records with one cause, or a source that can't be read. */
export const NeedSchema = z.object({
  cause: z.enum(unsettledCauses),
  workflowId: z.string(),
  workflow: z.string(),
  /** Null when records of several runs need it, or the source itself couldn’t be read. */
  runId: z.string().nullable(),
  /** Records that wait; none when the source itself can’t be read. */
  count: z.int(),
  message: z.string(),
  since: z.string(),
  connectionId: z.string().nullable(),
  /** The step that it stopped at, where one is known: `start` when the source can’t be read. */
  sentence: z.string().nullable(),
  /** What a check was held for, and what a person says to it. */
  held: HeldSchema.nullable(),
});
export type Need = z.infer<typeof NeedSchema>;

/** What a check was held for, as it was stored; null where that can't be read. */
function heldIn(stored: string | null): Need['held'] {
  if (stored === null) return null;
  try {
    return HeldSchema.safeParse(JSON.parse(stored)).data ?? null;
  } catch {
    return null;
  }
}

/** Records that need a person for one cause, as one of them says it. */
interface OpenGroup {
  readonly cause: Need['cause'] | null;
  readonly workflow_id: string;
  readonly waits_for: string | null;
  readonly count: number;
  readonly since: string;
  readonly runs: number;
  readonly draft: string;
  /** Of the newest of them. */
  readonly run_id: string;
  readonly message: string | null;
  readonly step: string | null;
}

/**
 * What needs a person, counted from the index alone however much it is; of each cause of a workflow only the newest
 * record is read.
 */
async function openGroups(db: Db): Promise<readonly OpenGroup[]> {
  const { rows } = await sql<OpenGroup>`
    WITH open AS MATERIALIZED (
      SELECT cause, workflow_id, waits_for, count(*) AS count, min(taken_at) AS since,
        (min(run_id) <> max(run_id)) + 1 AS runs, max(seq) AS newest
      FROM item INDEXED BY item_unsettled WHERE ${isUnsettled} AND cause <> 'behind' GROUP BY cause, workflow_id, waits_for)
    SELECT open.*, item.run_id, item.message, workflow.draft,
      (SELECT result.key FROM json_each(item.item_state, '$.steps') AS result
        WHERE json_extract(result.value, '$.kind') = 'unsettled' LIMIT 1) AS step
    FROM open JOIN item ON item.seq = open.newest JOIN workflow ON workflow.id = open.workflow_id
    WHERE NOT ${isBeingRemoved} ORDER BY open.newest DESC`.execute(db);
  return rows;
}

/** All that needs a person, each cause of a workflow once; a broken connection is one case whatever waits for it. */
export async function needsOf({ db }: { readonly db: Db }): Promise<Need[]> {
  const open = await openGroups(db);
  const stuck = await db
    .selectFrom('trigger_state')
    .innerJoin('workflow', 'workflow.id', 'trigger_state.workflow_id')
    .select(['trigger_state.cause', 'trigger_state.workflow_id', 'trigger_state.message', 'trigger_state.waits_for'])
    .select(['trigger_state.last_checked_at', 'trigger_state.held', 'workflow.draft'])
    .where('workflow.is_on', '=', 1)
    .where('trigger_state.message', 'is not', null)
    .execute();
  const needs = new Map<string, Need & { workflows: Set<string> }>();
  const add = (one: Need): void => {
    const name = one.connectionId ? `connection|${one.connectionId}` : `${one.workflowId}|${one.cause}`;
    const known = needs.get(name);
    if (!known) {
      needs.set(name, { ...one, workflows: new Set([one.workflowId]) });
      return;
    }
    known.workflows.add(one.workflowId);
    const workflow = known.workflows.size > 1 ? `${known.workflows.size} workflows` : known.workflow;
    // Records of several runs: no one of them shows all.
    const runId = known.count === 0 ? one.runId : known.runId === one.runId || one.count === 0 ? known.runId : null;
    const since = one.since < known.since ? one.since : known.since;
    needs.set(name, { ...known, workflow, since, count: known.count + one.count, runId });
  };
  for (const item of open) {
    add({
      cause: item.cause ?? 'unsure',
      workflowId: item.workflow_id,
      workflow: nameIn(item.draft),
      runId: item.runs > 1 ? null : item.run_id,
      count: item.count,
      message: item.message ?? '',
      since: item.since,
      connectionId: item.waits_for,
      sentence: item.step?.split('#')[0] ?? null,
      held: null,
    });
  }
  for (const one of stuck) {
    add({
      cause: one.cause ?? 'connection',
      workflowId: one.workflow_id,
      workflow: nameIn(one.draft),
      runId: null,
      count: 0,
      message: one.message ?? '',
      since: one.last_checked_at ?? '',
      connectionId: one.waits_for,
      sentence: startId,
      held: heldIn(one.held),
    });
  }
  return [...needs.values()].map(({ workflows: _workflows, ...need }) => need);
}

import {
  lackingIn,
  plainStepId,
  type TextTemplate,
  textTemplateUses,
  type WorkflowContent,
  withTextTemplate,
} from '@golden/core';
import { isWaiting } from '../db/item-states.ts';
import type { Db } from '../db/open.ts';
import { DraftConflict, type Workflow, type Workflows } from '../workflows.ts';

interface Parts {
  readonly db: Db;
  readonly workflows: Workflows;
}

/** A workflow that uses a template, and how far it is behind it. */
export interface TextInWorkflow {
  readonly id: string;
  readonly name: string;
  readonly isOn: boolean;
  /** The oldest version of the text in its draft, and in what is live; null where it isn't used there. */
  readonly draft: number | null;
  readonly live: number | null;
  /** Records that wait and have it before them in another version than the newest. */
  readonly waiting: number;
  /** Names in the text that stand for no field there. */
  readonly lacking: readonly string[];
}

/** Where a text is used, in drafts and in what is live, and for how many records it still comes in an older version. */
export async function usesOfText(parts: Parts, text: TextTemplate): Promise<TextInWorkflow[]> {
  const { workflows } = parts;
  const waiting = await waitingFor(parts, text);
  const uses: TextInWorkflow[] = [];
  for (const workflow of await workflows.list()) {
    const { id, draft, isOn } = workflow;
    const inDraft = oldest(draft, text.id);
    const inLive = oldest(await liveContent(workflows, workflow), text.id);
    const count = waiting.get(id) ?? 0;
    if (inDraft === null && inLive === null && count === 0) continue;
    uses.push({
      id,
      name: draft.name,
      isOn,
      draft: inDraft,
      live: inLive,
      waiting: count,
      lacking: lackingIn(draft, text),
    });
  }
  return uses;
}

/** Puts the newest words of a text into the drafts of workflows that use it; gives how many were changed. */
export async function putIntoDrafts(workflows: Workflows, text: TextTemplate, ids: readonly string[]): Promise<number> {
  let changed = 0;
  for (const id of ids) if (await putIntoDraft(workflows, text, id)) changed += 1;
  return changed;
}

async function putIntoDraft(workflows: Workflows, text: TextTemplate, id: string, isAgain = false): Promise<boolean> {
  const { draft, draftRev } = await workflows.get(id);
  const next = withTextTemplate(draft, text);
  if (JSON.stringify(next) === JSON.stringify(draft)) return false;
  try {
    await workflows.saveDraft(id, next, draftRev);
    return true;
  } catch (error) {
    // Somebody is at it: what they have saved meanwhile gets the words as well.
    if (error instanceof DraftConflict && !isAgain) return putIntoDraft(workflows, text, id, true);
    throw error;
  }
}

const liveContent = async (
  workflows: Workflows,
  { id, liveVersion }: Workflow,
): Promise<WorkflowContent | undefined> =>
  liveVersion === null ? undefined : (await workflows.readableVersion(id, liveVersion))?.content;

function oldest(content: WorkflowContent | undefined, id: string): number | null {
  const versions = content ? textTemplateUses(content, id).map(({ version }) => version) : [];
  return versions.length === 0 ? null : Math.min(...versions);
}

/** How many records wait, by workflow, that come to the text in an older version after what they wait at. */
async function waitingFor({ db, workflows }: Parts, { id, version }: TextTemplate): Promise<Map<string, number>> {
  const groups = await db
    .selectFrom('park')
    .innerJoin('item', 'item.id', 'park.item_id')
    .select(['item.workflow_id', 'item.version', 'park.step', (eb) => eb.fn.countAll<number>().as('count')])
    .where(isWaiting)
    .groupBy(['item.workflow_id', 'item.version', 'park.step'])
    .execute();
  const waiting = new Map<string, number>();
  for (const { workflow_id, version: number, step, count } of groups) {
    const content = (await workflows.readableVersion(workflow_id, number))?.content;
    if (!content) continue;
    const at = content.steps.findIndex((one) => one.id === plainStepId(step));
    const after = new Set(content.steps.slice(at + 1).map((one) => one.id));
    const comes = textTemplateUses(content, id).some((use) => use.version < version && after.has(use.step));
    if (comes) waiting.set(workflow_id, (waiting.get(workflow_id) ?? 0) + Number(count));
  }
  return waiting;
}

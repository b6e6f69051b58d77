import { newerNumber } from '../../building/editions.ts';
import { stoppedItems } from '../../engine/resume-after-remap.ts';
import type { Services } from '../../services.ts';

/** A workflow with its draft as the editor needs it. */
export async function viewWorkflow(services: Services, id: string) {
  const { db, workflows, stopSwitch } = services;
  const workflow = await workflows.get(id);
  const { newest, isDraftChanged } = await workflows.versionsOf(id);
  const trigger = await db.selectFrom('trigger_state').selectAll().where('workflow_id', '=', id).executeTakeFirst();
  return {
    id,
    content: workflow.draft,
    folder: workflow.folder,
    rev: workflow.draftRev,
    savedAt: workflow.draftAt,
    liveVersion: workflow.liveVersion,
    newestVersion: newest,
    isDraftChanged,
    newerEdition: newerNumber(services, workflow.draft) ?? null,
    isOn: workflow.isOn,
    isStopped: stopSwitch.now !== null,
    nextAt: workflow.isOn && !stopSwitch.now ? (trigger?.next_at ?? null) : null,
    lastCheckedAt: trigger?.last_checked_at ?? null,
    message: trigger?.message ?? null,
    stopped: (await stoppedItems(db, id)).length,
  };
}

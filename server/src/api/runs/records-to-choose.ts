import { recordTitle } from '@golden/core';
import { chunks } from '../../engine/change-detection.ts';
import { NotPossible } from '../../engine/errors.ts';
import type { Services } from '../../services.ts';

/** Records that are shown at most. */
const mostShown = 60;

/** Records of a live workflow's source to choose from: those in which a text occurs, or the newest; the newest first. */
export async function recordsToChoose({ workflows, engine, db }: Services, workflowId: string, text: string) {
  const { liveVersion } = await workflows.get(workflowId);
  if (liveVersion === null) throw new NotPossible('The workflow isn’t live yet.');
  const { start } = (await workflows.version(workflowId, liveVersion)).content;
  const found =
    text.trim() === ''
      ? await engine.sources.last(start, mostShown)
      : await engine.sources.search(start, text, mostShown);
  const sent = new Set<string>();
  const ids = found.map(({ id }) => id);
  for (const some of chunks(ids, 400)) {
    const items = await db
      .selectFrom('item')
      .select('source_id')
      .where('workflow_id', '=', workflowId)
      .where('source_id', 'in', some)
      .execute();
    for (const { source_id } of items) sent.add(source_id);
  }
  return found.map(({ id, record, updated, created }) => ({
    id,
    title: recordTitle(record),
    isSent: sent.has(id),
    when: updated ?? created ?? null,
  }));
}

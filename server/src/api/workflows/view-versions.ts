import { describeChanges, sentenceText, writeBrief } from '@golden/core';
import type { Services } from '../../services.ts';

/** The versions of a workflow, each with what it changed against the one before, in sentences. */
export async function viewVersions({ db, workflows, connections }: Services, id: string) {
  const { draft, liveVersion } = await workflows.get(id);
  const history = await workflows.history(id);
  const names = Object.fromEntries((await connections.list()).map((one) => [one.id, one.name]));
  const runs = await db
    .selectFrom('run')
    .select(['version', (eb) => eb.fn.countAll<number>().as('runs'), (eb) => eb.fn.sum<number>('taken_in').as('items')])
    .where('workflow_id', '=', id)
    .groupBy('version')
    .execute();
  const [newest] = history;
  return {
    draft: newest ? describeChanges(newest.content, draft, names, await workflows.locale(draft)) : [],
    versions: history.map((version, at) => {
      const before = history[at + 1];
      const counts = runs.find((run) => run.version === version.number);
      return {
        number: version.number,
        createdAt: version.createdAt,
        isLive: version.number === liveVersion,
        runs: counts?.runs ?? 0,
        items: Number(counts?.items ?? 0),
        changes: before ? describeChanges(before.content, version.content, names, version.locale) : [],
        sentences: writeBrief(version.content, names).map(sentenceText),
      };
    }),
  };
}

import { fieldAt, type WorkflowContent, writeSteps } from '@golden/core';
import type { Services } from '../services.ts';

/** A field of a step that another live workflow writes as well. */
export interface AlsoWrites {
  readonly step: string;
  readonly path: string;
  readonly label: string;
  readonly place: string;
  readonly workflow: string;
  readonly name: string;
}

/** The fields of a draft's writes that other live workflows write in the same places. */
export async function alsoWrites(
  services: Services,
  workflowId: string,
  draft: WorkflowContent,
): Promise<AlsoWrites[]> {
  const rows = await services.db
    .selectFrom('workflow')
    .innerJoin('workflow_version', (join) =>
      join
        .onRef('workflow_version.workflow_id', '=', 'workflow.id')
        .onRef('workflow_version.number', '=', 'workflow.live_version'),
    )
    .select(['workflow.id', 'workflow_version.content'])
    .where('workflow.is_on', '=', 1)
    .where('workflow.id', '!=', workflowId)
    .execute();
  const others = rows.flatMap(({ id, content }) => {
    const { name, steps } = JSON.parse(content) as WorkflowContent;
    return writeSteps({ steps }).flatMap((step) => (step.isOff || !step.target ? [] : [{ id, name, step }]));
  });
  return writeSteps(draft).flatMap((step) => {
    const { target } = step;
    if (!target || step.isOff || step.mode === 'append') return [];
    return others
      .filter(
        ({ step: { target: there } }) =>
          there?.connection === target.connection && there.path.join('\n') === target.path.join('\n'),
      )
      .flatMap(({ id, name, step: other }) =>
        Object.keys(step.mapping)
          .filter((path) => other.mapping[path] !== undefined)
          .map((path) => ({
            step: step.id,
            path,
            label: fieldAt(target.described.fields, path)?.label ?? path.slice(1),
            place: target.labels.at(-1) ?? '',
            workflow: id,
            name,
          })),
      );
  });
}

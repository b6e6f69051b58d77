import { isPlaced } from '../steps/schemas.ts';
import { fieldAt } from '../values/field.ts';
import type { WorkflowContent } from '../workflow/schema.ts';
import { stepById } from './lay-out.ts';
import { type PlannedChange, plannedChanges } from './marks.ts';
import type { ItemState } from './state.ts';

/** All that would change by one record in a workflow, field by field, each under its destination's name. */
export function plannedIn(content: WorkflowContent, state: ItemState): PlannedChange[] {
  return plannedChanges(state, (id) => {
    const step = stepById(content, id);
    if (!step || !isPlaced(step) || !step.target) return [];
    const { fields } = step.target.described;
    return Object.keys(step.mapping).map((path) => fieldAt(fields, path) ?? { path, label: path.slice(1) });
  });
}

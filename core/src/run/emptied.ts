import type { StepResult } from '../steps/results.ts';
import { writePointer } from '../values/pointer.ts';
import type { JsonRecord } from '../values/value.ts';
import type { WorkflowContent } from '../workflow/schema.ts';
import { layOut } from './lay-out.ts';
import type { PlannedWrite } from './plan.ts';
import type { ItemState } from './state.ts';

/**
 * An item that has ended long ago, without what its record held: what each step came to stays, with the ids, the
 * reasons and the names of the fields that were changed. Of a list that it was done for each item of, their number
 * stays.
 */
export function emptied(content: WorkflowContent, state: ItemState): ItemState {
  const { sourceId, stopped, reached, double, instead, skipsWaits } = state;
  return {
    shape: state.shape,
    at: state.at,
    phase: state.phase,
    takenAt: state.takenAt,
    values: listsOnly(content, state),
    steps: Object.fromEntries(Object.entries(state.steps).map(([id, result]) => [id, withoutValues(result)])),
    overrides: {},
    choices: state.choices,
    isEmptied: true,
    ...(sourceId !== undefined && { sourceId }),
    ...(stopped && { stopped }),
    ...(reached && { reached }),
    ...(double && { double }),
    ...(instead !== undefined && { instead }),
    ...(skipsWaits && { skipsWaits }),
  };
}

/** A write that was done long ago: what it was and whom it reached, without the values. */
export function emptiedWrite({ kind, target, id }: PlannedWrite): PlannedWrite {
  return { kind, target, ...(id !== undefined && { id }), values: {}, types: {} };
}

/** As many empty records in each list as it had: the turns are told by them. */
function listsOnly(content: WorkflowContent, state: ItemState): ItemState['values'] {
  const turns = new Map<string, number>();
  for (const { turn } of layOut(content, state.values))
    if (turn) turns.set(turn.each, Math.max(turns.get(turn.each) ?? 0, turn.number));
  const values: Record<string, JsonRecord> = {};
  for (const step of content.steps) {
    const count = turns.get(step.id);
    if (step.kind !== 'each' || !step.over || count === undefined) continue;
    const list = Array.from({ length: count }, () => ({}));
    values[step.over.step] = writePointer(values[step.over.step] ?? {}, step.over.path, list);
  }
  return values;
}

function withoutValues(result: StepResult): StepResult {
  switch (result.kind) {
    case 'written': {
      const { kind, outcome, id, readBack, by, link } = result;
      const labels = result.changedFields ?? result.changes.map(({ label }) => label);
      return {
        kind,
        outcome,
        id,
        changes: [],
        ...(labels.length > 0 && { changedFields: labels }),
        readBack,
        differences: [],
        ...(by && { by }),
        ...(link && { link }),
      };
    }
    case 'found': {
      const { candidates: _others, ...found } = result;
      return found;
    }
    case 'computed':
      return { kind: result.kind, values: {} };
    case 'approved':
      return { ...result, shown: { ...result.shown, fields: [] }, changes: {} };
    case 'unsettled':
      return { kind: result.kind, cause: result.cause, message: result.message, fields: [] };
    case 'handed': {
      const { would: _would, ...handed } = result;
      return handed;
    }
    default:
      return result;
  }
}

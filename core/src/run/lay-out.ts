import type { Scope } from '../mapping/filling.ts';
import { readPath } from '../values/paths.ts';
import { isRecord, type JsonRecord, type Value } from '../values/value.ts';
import type { EachStep, Step, WorkflowContent } from '../workflow/schema.ts';

/** Which turn of a "for each" a step is done in. */
export interface Turn {
  readonly each: string;
  /** Counted from 1. */
  readonly number: number;
  readonly item: JsonRecord;
}

/** A step in the order it is done for one record: those within a "for each" once for each item. */
export interface LaidOutStep {
  /** The step's id; with its turn after a `#` within a "for each". */
  readonly id: string;
  readonly step: Step;
  readonly turn?: Turn;
}

/** More items than any order or invoice has; beyond it nothing is begun. */
export const mostTurns = 1000;

/** The id of the step itself, without its turn. */
export const plainStepId = (id: string): string => id.split('#')[0] ?? id;

/** The step behind an id with or without a turn. */
export function stepById(content: WorkflowContent, id: string): Step | undefined {
  const plain = plainStepId(id);
  return content.steps.find((step) => step.id === plain);
}

const flat = new WeakMap<WorkflowContent, readonly LaidOutStep[]>();

/**
 * The steps of a workflow as one record does them. What comes before a "for each" never changes by
 * it, so that a place among the steps, once reached, stays the same place.
 */
export function layOut(content: WorkflowContent, values: Scope): readonly LaidOutStep[] {
  if (!content.steps.some((step) => step.kind === 'each')) {
    const known = flat.get(content) ?? content.steps.map((step) => ({ id: step.id, step }));
    flat.set(content, known);
    return known;
  }
  return content.steps.flatMap((step): LaidOutStep[] => {
    if (step.kind === 'each') {
      const inner = content.steps.filter((one) => withinOf(one) === step.id);
      const turns = step.isOff ? [] : turnsOf(step, values).slice(0, mostTurns);
      return [
        { id: step.id, step },
        ...turns.flatMap((turn) => inner.map((one) => ({ id: `${one.id}#${turn.number}`, step: one, turn }))),
      ];
    }
    const each = withinOf(step);
    const isWithin = each !== undefined && content.steps.some((one) => one.id === each && one.kind === 'each');
    return isWithin ? [] : [{ id: step.id, step }];
  });
}

/** The "for each" that a step stands within. */
export function withinOf(step: Step): string | undefined {
  return step.kind === 'each' ? undefined : step.within;
}

/** The items that a "for each" goes over, for what is known by now. */
export function turnsOf(step: EachStep, values: Scope): Turn[] {
  const record = step.over && values[step.over.step];
  const list: Value | undefined = step.over && record ? readPath(record, step.over.path) : undefined;
  const items = list === undefined || list === null ? [] : Array.isArray(list) ? list : [list];
  return items.map((item: Value, at: number) => ({
    each: step.id,
    number: at + 1,
    item: isRecord(item) ? item : { value: item },
  }));
}

/** What is known to a step: all of it, and within a "for each" the item and what this turn wrote. */
export function scopeAt(content: WorkflowContent, values: Scope, turn: Turn | undefined): Scope {
  if (!turn) return values;
  const scope: Record<string, JsonRecord> = { ...values, [turn.each]: turn.item };
  for (const step of content.steps) {
    const made = withinOf(step) === turn.each ? values[`${step.id}#${turn.number}`] : undefined;
    if (made) scope[step.id] = made;
  }
  return scope;
}

/** All that a step came to: one result, or one a turn within a "for each". */
export function resultsOf<T>(results: Readonly<Record<string, T>>, stepId: string): T[] {
  const own = results[stepId];
  const turns = Object.entries(results).filter(([id]) => id !== stepId && plainStepId(id) === stepId);
  return [...(own === undefined ? [] : [own]), ...turns.map(([, result]) => result)];
}

/** What is known to a step in its first turn; where it stands in none, all that is known. */
export function firstScopeOf(content: WorkflowContent, values: Scope, stepId: string): Scope {
  const first = layOut(content, values).find((one) => plainStepId(one.id) === stepId);
  return scopeAt(content, values, first?.turn);
}

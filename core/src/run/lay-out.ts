import type { Scope } from '../mapping/filling.ts';
import { handsOverAlone } from '../steps/hand-over/whole-list.ts';
import { definitionOf } from '../steps/registry.ts';
import { type Step, withinOf } from '../steps/schemas.ts';
import { idInTurn, itemsOf, mostTurns, plainStepId, type Turn } from '../steps/turn.ts';
import type { JsonRecord } from '../values/value.ts';
import type { WorkflowContent } from '../workflow/schema.ts';

/** A step in the order it is done for one record: those within a "for each" once for each item. */
export interface LaidOutStep {
  /** The step's id; with its turn after a `#` within a "for each". */
  readonly id: string;
  readonly step: Step;
  readonly turn?: Turn;
}

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
  const holders = content.steps.filter((step) => definitionOf(step).over);
  if (holders.length === 0) {
    const known = flat.get(content) ?? content.steps.map((step) => ({ id: step.id, step }));
    flat.set(content, known);
    return known;
  }
  const holding = new Set(holders.map((step) => step.id));
  return content.steps.flatMap((step): LaidOutStep[] => {
    if (holding.has(step.id)) {
      const alone = handsOverAlone(content, step.id);
      if (alone) return [{ id: step.id, step }, ...(step.isOff ? [] : [{ id: alone.id, step: alone }])];
      const inner = content.steps.filter((one) => withinOf(one) === step.id);
      const turns = step.isOff ? [] : turnsOf(step, values).slice(0, mostTurns);
      return [
        { id: step.id, step },
        ...turns.flatMap((turn) => inner.map((one) => ({ id: idInTurn(one.id, turn.number), step: one, turn }))),
      ];
    }
    const within = withinOf(step);
    return within !== undefined && holding.has(within) ? [] : [{ id: step.id, step }];
  });
}

/** The turns of a step that holds others, for what is known by now. */
function turnsOf(step: Step, values: Scope): Turn[] {
  const over = definitionOf(step).over?.(step) ?? null;
  return itemsOf(over, values).map((item, at) => ({ each: step.id, number: at + 1, item }));
}

/** What is known to a step: all of it, and within a "for each" the item and what this turn wrote. */
export function scopeAt(content: WorkflowContent, values: Scope, turn: Turn | undefined): Scope {
  if (!turn) return values;
  const scope: Record<string, JsonRecord> = { ...values, [turn.each]: turn.item };
  for (const step of content.steps) {
    const made = withinOf(step) === turn.each ? values[idInTurn(step.id, turn.number)] : undefined;
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
  const within = first && !first.turn ? withinOf(first.step) : undefined;
  if (within === undefined) return scopeAt(content, values, first?.turn);
  // A list that is handed over as a whole has no turns.
  const each = stepById(content, within);
  return scopeAt(content, values, each && turnsOf(each, values)[0]);
}

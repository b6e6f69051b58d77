import type { Ref, Scope } from '../mapping/filling.ts';
import { businessId, startId, waitLinksId } from '../mapping/refs.ts';
import { handsOverAlone } from '../steps/hand-over/whole-list.ts';
import { definitionOf } from '../steps/registry.ts';
import { isPlaced, type Step, withinOf } from '../steps/schemas.ts';
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

/** What a workflow's steps are to a record, whatever the record: worked out once for each content, which never changes. */
interface Plan {
  /** The steps that hold others. */
  readonly holders: readonly Step[];
  /** The steps as they are, none of them in a turn. */
  readonly flat: readonly LaidOutStep[];
  /** By the step that holds them. */
  readonly inner: ReadonlyMap<string, readonly Step[]>;
  /** Steps that hold one that fills lines: each line has what was found for it in whatever turn. */
  readonly seeingAll: ReadonlySet<string>;
  /** What is known outside of turns is known by these ids. */
  readonly ids: readonly string[];
  /** The steps as records did them, by the first list that they have and while that is known. */
  readonly laidOut: WeakMap<JsonRecord, LaidOut>;
}

interface LaidOut {
  /** The records that hold the lists, by holder. */
  readonly lists: readonly (JsonRecord | undefined)[];
  readonly steps: readonly LaidOutStep[];
}

const plans = new WeakMap<WorkflowContent, Plan>();

function planOf(content: WorkflowContent): Plan {
  const known = plans.get(content);
  if (known) return known;
  const { steps } = content;
  const holders = steps.filter((step) => definitionOf(step).over);
  const inner = new Map(holders.map(({ id }) => [id, steps.filter((step) => withinOf(step) === id)]));
  const plan: Plan = {
    holders,
    inner,
    flat: steps.map((step) => ({ id: step.id, step })),
    seeingAll: new Set([...inner].filter(([, within]) => within.some(fillsLines)).map(([id]) => id)),
    ids: [startId, businessId, waitLinksId, ...steps.filter((step) => !inner.has(step.id)).map(({ id }) => id)],
    laidOut: new WeakMap(),
  };
  plans.set(content, plan);
  return plan;
}

const fillsLines = (step: Step): boolean =>
  isPlaced(step) && Object.values(step.mapping).some(({ kind }) => kind === 'lines');

/**
 * The steps of a workflow as one record does them. What comes before a "for each" never changes by
 * it, so that a place among the steps, once reached, stays the same place.
 */
export function layOut(content: WorkflowContent, values: Scope): readonly LaidOutStep[] {
  const plan = planOf(content);
  const { holders, laidOut } = plan;
  if (holders.length === 0) return plan.flat;
  const lists = holders.map((step) => values[overOf(step)?.step ?? '']);
  const first = lists.find((one) => one !== undefined);
  const known = first && laidOut.get(first);
  if (known?.lists.every((one, at) => one === lists[at])) return known.steps;
  const steps = layOutAnew(content, values);
  if (first) laidOut.set(first, { lists, steps });
  return steps;
}

function layOutAnew(content: WorkflowContent, values: Scope): LaidOutStep[] {
  const { inner } = planOf(content);
  return content.steps.flatMap((step): LaidOutStep[] => {
    const within = inner.get(step.id);
    if (within) {
      const alone = handsOverAlone(content, step.id);
      if (alone) return [{ id: step.id, step }, ...(step.isOff ? [] : [{ id: alone.id, step: alone }])];
      const turns = step.isOff ? [] : turnsOf(step, values).slice(0, mostTurns);
      return [
        { id: step.id, step },
        ...turns.flatMap((turn) => within.map((one) => ({ id: idInTurn(one.id, turn.number), step: one, turn }))),
      ];
    }
    return inner.has(withinOf(step) ?? '') ? [] : [{ id: step.id, step }];
  });
}

const overOf = (step: Step): Ref | null => definitionOf(step).over?.(step) ?? null;

/** The turns of a step that holds others, for what is known by now. */
function turnsOf(step: Step, values: Scope): Turn[] {
  return itemsOf(overOf(step), values).map((item, at) => ({ each: step.id, number: at + 1, item }));
}

/**
 * What is known to a step: all of it, and within a "for each" the item and what this turn made known. A turn isn't given
 * what the others made, which it can't refer to: a thousand of them would be copied a thousand times.
 */
export function scopeAt(content: WorkflowContent, values: Scope, turn: Turn | undefined): Scope {
  if (!turn) return values;
  const { inner, seeingAll, ids } = planOf(content);
  const scope: Record<string, JsonRecord> = seeingAll.has(turn.each) ? { ...values } : picked(values, ids);
  scope[turn.each] = turn.item;
  for (const { id } of inner.get(turn.each) ?? []) {
    const made = values[idInTurn(id, turn.number)];
    if (made) scope[id] = made;
  }
  return scope;
}

function picked(values: Scope, ids: readonly string[]): Record<string, JsonRecord> {
  const scope: Record<string, JsonRecord> = {};
  for (const id of ids) {
    const record = values[id];
    if (record) scope[id] = record;
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

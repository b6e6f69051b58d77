import { evaluate } from '../conditions/evaluate.ts';
import { type HandedRecord, handedOne, itemsHanded } from '../steps/hand-over/handed.ts';
import { aroundWorkflow, evaluationContextOf } from '../workflow/references.ts';
import type { WorkflowVersion } from '../workflow/schema.ts';
import { layOut, scopeAt } from './lay-out.ts';
import type { ItemState } from './state.ts';

/** A part of what one record hands over. */
export interface HandedPiece {
  readonly records: readonly HandedRecord[];
  /** True for items of a list, each known by its number. */
  readonly isList: boolean;
  /** Items of this part that don't meet the step's "only if". */
  readonly passedOver: number;
}

/**
 * A part of the items that a step hands over, as they are handed over.
 *
 * @param id - the step, with the number of its own turn
 * @param from - the first of them, counted from 0
 * @param count - at most so many
 */
export function handedPiece(
  version: WorkflowVersion,
  state: ItemState,
  id: string,
  from: number,
  count: number,
): HandedPiece {
  const { content } = version;
  const laidOut = layOut(content, state.values).find((one) => one.id === id);
  if (laidOut?.step.kind !== 'hand_over') return { records: [], isList: false, passedOver: 0 };
  const { step, turn } = laidOut;
  const evaluation = { ...evaluationContextOf(version, state.takenAt), ...(turn && { lineNumber: turn.number }) };
  const around = aroundWorkflow(content);
  const doing = { version, step, id, turn, scope: scopeAt(content, state.values, turn), evaluation, around };
  const items = itemsHanded(doing);
  if (!items) return { records: [handedOne(doing, state)], isList: false, passedOver: 0 };
  const records: HandedRecord[] = [];
  let passedOver = 0;
  for (const [at, item] of items.slice(from, from + count).entries()) {
    const number = from + at + 1;
    const scope = { ...state.values, [step.within as string]: item };
    const here = { ...evaluation, lineNumber: number };
    if (step.onlyIf && !evaluate(step.onlyIf, scope, here, around.nameOf).isKept) {
      passedOver += 1;
      continue;
    }
    const one = { ...doing, scope, evaluation: here };
    records.push({ ...handedOne(one, { ...state, overrides: {} }), turn: number });
  }
  return { records, isList: true, passedOver };
}

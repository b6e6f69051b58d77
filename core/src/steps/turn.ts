import type { Ref, Scope } from '../mapping/filling.ts';
import { readPath } from '../values/paths.ts';
import { isRecord, type JsonRecord, type Value } from '../values/value.ts';

/** Which turn of a "for each" a step is done in. */
export interface Turn {
  readonly each: string;
  /** Counted from 1. */
  readonly number: number;
  readonly item: JsonRecord;
}

/** The id of the step itself, without its turn. */
export const plainStepId = (id: string): string => id.split('#')[0] ?? id;

/** The id of a step in a turn. */
export const idInTurn = (id: string, turn: number): string => `${id}#${turn}`;

/** More items than any order or invoice has; beyond it nothing is begun. */
export const mostTurns = 1000;

/** The items that a list holds for what is known by now; a single value counts as a list of one. */
export function itemsOf(over: Ref | null, known: Scope): JsonRecord[] {
  const record = over && known[over.step];
  const list: Value | undefined = over && record ? readPath(record, over.path) : undefined;
  const items = list === undefined || list === null ? [] : Array.isArray(list) ? list : [list];
  return items.map((item: Value) => (isRecord(item) ? item : { value: item }));
}

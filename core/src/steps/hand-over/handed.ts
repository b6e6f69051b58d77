import { type Mapped, mapRecord } from '../../mapping/map-record.ts';
import type { ItemState } from '../../run/state.ts';
import { nest } from '../../values/pointer.ts';
import type { JsonRecord } from '../../values/value.ts';
import type { Doing } from '../definition.ts';
import { itemsOf } from '../turn.ts';
import type { HandOverStep } from './schema.ts';
import { handsOverAlone } from './whole-list.ts';

/** One record as it is handed over. */
export interface HandedRecord {
  /** Its number in the list, counted from 1; 0 for the record itself. */
  readonly turn: number;
  readonly record: JsonRecord;
  /** Values that could not be made. */
  readonly problems: Mapped['problems'];
}

/** The items that are handed over by one step; undefined where it is the record itself, or one in its turn. */
export function itemsHanded({ step, turn, version, scope }: Doing<HandOverStep>): readonly JsonRecord[] | undefined {
  if (turn || step.within === undefined || !handsOverAlone(version.content, step.within)) return undefined;
  const each = version.content.steps.find(({ id }) => id === step.within);
  return itemsOf(each?.kind === 'each' ? each.over : null, scope);
}

/** The record itself, or the one of its turn, as it is handed over. */
export function handedOne({ step, scope, evaluation, turn, id }: Doing<HandOverStep>, state: ItemState): HandedRecord {
  const fields = step.target?.described.fields ?? [];
  const { values, problems } = mapRecord(step.mapping, fields, scope, evaluation, state.overrides[id]);
  return { turn: turn?.number ?? 0, record: nest(values), problems };
}

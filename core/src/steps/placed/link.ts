import type { Ladder } from '../../matching/lookup/ladder.ts';
import type { LinkSubject } from '../../run/recognised.ts';
import type { ItemState } from '../../run/state.ts';
import type { Pointer } from '../../values/pointer.ts';
import { readPointer } from '../../values/pointer.ts';
import { toText } from '../../values/value.ts';
import type { Doing } from '../definition.ts';
import type { PlacedStep } from '../schemas.ts';

/** The ways by which a step recognises its record, where it has any. */
export function ladderOf(step: PlacedStep): Ladder | undefined {
  if (step.kind === 'lookup') return step.ladder;
  return step.kind === 'write' && step.mode === 'create_or_update' ? step.ladder : undefined;
}

/** Whose match a step remembers: the record that starts the item, or the one whose id stands in a field. */
export function linkSubject(
  { version, step, scope, around }: Doing<PlacedStep>,
  state: ItemState,
): LinkSubject | undefined {
  const remembers = ladderOf(step)?.remembers;
  const { source } = version.content.start;
  if (!remembers || remembers === 'nothing' || !source) return undefined;
  if (remembers === 'start') {
    const id = state.sourceId;
    return id === undefined ? undefined : { connection: source.connection, place: source.path, id };
  }
  const field = around.fieldOf(remembers);
  const record = scope[remembers.step];
  const id = record === undefined ? '' : toText(readPointer(record, remembers.path as Pointer));
  const there = around.placeOf(remembers.step);
  if (!field?.idOf || !there || id === '') return undefined;
  return { connection: there.connection, place: [...there.path.slice(0, -1), field.idOf], id };
}

/** How the record was recognised, and whose match is remembered, where a ladder did it. */
export function matchOf(doing: Doing<PlacedStep>, state: ItemState) {
  if (!ladderOf(doing.step)) return {};
  const link = linkSubject(doing, state);
  return { ...(state.pendingBy && { by: state.pendingBy }), ...(link && { link }) };
}

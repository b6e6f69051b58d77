import type { FieldProblem } from '../../run/outcome.ts';
import type { Found, PlannedWrite } from '../../run/plan.ts';
import type { ItemState } from '../../run/state.ts';
import { isSameValue } from '../../values/coerce.ts';
import { fieldAt } from '../../values/field.ts';
import { readPointer } from '../../values/pointer.ts';
import { recordTitle } from '../../values/title.ts';
import { isSameJson } from '../../values/value.ts';
import { leaveOut, type Move, needsPerson } from '../move.ts';
import { type At, targetOf } from './at.ts';
import { send } from './send.ts';

// A record is removed for good because the one that it was in step with is. Only who is remembered counts for that,
// never a likeness, and what somebody has changed of the fields that the two share is never lost unasked.

/** Whether a step removes what it finds instead of writing to it. */
export const removes = ({ step }: Pick<At, 'step'>): boolean => step.kind === 'write' && step.removes !== undefined;

/** Removes a record that was found, or asks a person first. */
export function removeFound(at: At, state: ItemState, found: Found): Move {
  const seen = state.toRemove?.[at.id];
  const isSaid = seen !== undefined && isSameJson(seen, found.record);
  return (isSaid ? undefined : whyAsked(at, state, found)) ?? send(at, planned(at, state, found));
}

/** Nobody is there to be removed. */
export function nothingToRemove({ place }: At, state: ItemState, isGone: boolean): Move {
  const { singular } = place.described;
  const why = isGone
    ? `The ${singular} that it was in step with isn’t there any more either.`
    : `It wasn’t in step with any ${singular}.`;
  return leaveOut(state, why);
}

function whyAsked(at: At, { toRemove: _seen, ...state }: ItemState, found: Found): Move | undefined {
  const fields = changedThere(at, found);
  const asksAlways = at.step.kind === 'write' && at.step.removes === 'asks';
  if (!asksAlways && found.last && fields.length === 0) return undefined;
  const which = `the ${at.place.described.singular} “${recordTitle(found.record)}”`;
  const labels = fields.map(({ label }) => label).join(', ');
  const message =
    fields.length > 0
      ? `It was removed where it comes from, but somebody has changed ${which} since both were the same: ${labels}. Say whether it is removed all the same.`
      : `It was removed where it comes from. Say whether ${which} is removed too.`;
  return needsPerson(state, 'removal', message, { fields, toRemove: { id: found.id, record: found.record } });
}

/** The fields that somebody has changed there since both sides agreed on them. */
const changedThere = ({ place }: At, { record, last = {} }: Found): FieldProblem[] =>
  Object.entries(last).flatMap(([path, { sent, read }]) => {
    const field = fieldAt(place.described.fields, path);
    const there = readPointer(record, path) ?? null;
    const agreed = read === undefined ? sent : read;
    if (!field || isSameValue(agreed, there, field.type) || isSameValue(sent, there, field.type)) return [];
    return [{ path, label: field.label, message: 'It was changed there.', given: agreed, there }];
  });

function planned(at: At, state: ItemState, { id, record }: Found): ItemState {
  const pending: PlannedWrite = { kind: 'remove', target: targetOf(at), id, values: {}, types: {}, before: record };
  return { ...state, phase: 'writing', pending, pendingChanges: [] };
}

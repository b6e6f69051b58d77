import {
  type Advance,
  beginItem,
  businessId,
  type ItemState,
  type JsonRecord,
  startId,
  waitLinksId,
} from '@golden/core';

/** An item at its beginning again, with the values that a person set. Only for one of which nothing is written. */
export function restartedItem(state: ItemState): ItemState {
  const begun = beginItem(state.values[startId] ?? {}, state.takenAt, {
    business: state.values[businessId],
    links: state.values[waitLinksId],
    ...(state.sourceId !== undefined && { sourceId: state.sourceId }),
  });
  return { ...begun, overrides: state.overrides, ...(state.double && { double: state.double }) };
}

/** True when something of an item stands in a destination. */
export const hasWritten = (state: ItemState): boolean =>
  Object.values(state.steps).some(
    (result) => result.kind === 'written' || (result.kind === 'unsettled' && result.stands !== undefined),
  );

/**
 * An item whose record is another one by now, at its beginning again. What a person set by hand was said of the record
 * as it was; whom they chose holds.
 */
export function begunAnew(state: ItemState, record: JsonRecord): ItemState {
  const begun = restartedItem({ ...state, values: { ...state.values, [startId]: record }, overrides: {} });
  return { ...begun, choices: state.choices, ...(state.leftGone && { leftGone: state.leftGone }) };
}

/** An item whose record was removed before anything was done with it. */
export const goneMeanwhile = (state: ItemState): Advance => leftOutAtStart(state, 'The record isn’t there any more.');

/** An item for a record that was gone from its listing, and is there all the same. */
export const thereAfterAll = (state: ItemState): Advance =>
  leftOutAtStart(state, 'It wasn’t in the list, but it is still there where it comes from: nothing is removed.');

const leftOutAtStart = (state: ItemState, why: string): Advance => ({
  state: { ...state, phase: 'ended', stopped: { ...state.stopped, [startId]: why } },
  outcome: { kind: 'left_out', step: startId, why },
});

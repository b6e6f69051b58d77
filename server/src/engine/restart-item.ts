import { beginItem, businessId, type ItemState, startId, waitLinksId } from '@golden/core';

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

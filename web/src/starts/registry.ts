import type { Trigger, TriggerKind } from '@golden/core';
import { event } from './event/view.tsx';
import { every } from './every/view.tsx';
import { hand } from './hand/view.tsx';
import { handed } from './handed/view.ts';
import { times } from './times/view.tsx';
import type { TriggerView } from './view.ts';

/** How each kind of start is seen, in the order in which they are offered. */
export const triggerViews: { readonly [K in TriggerKind]: TriggerView<K> } = {
  every,
  times,
  event,
  hand,
  handed,
};

/** How a trigger's kind is seen. */
export function triggerViewOf({ kind }: Pick<Trigger, 'kind'>): TriggerView<TriggerKind> {
  return triggerViews[kind] as unknown as TriggerView<TriggerKind>;
}

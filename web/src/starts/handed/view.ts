import type { TriggerView } from '../view.ts';

/** A start that other workflows hand over to. */
export const handed: TriggerView<'handed'> = {
  label: 'as soon as it is handed over',
  isForListed: false,
  Setting: () => null,
};

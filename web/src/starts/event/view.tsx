import type { TriggerView } from '../view.ts';

/** A start that is told. */
export const event: TriggerView<'event'> = {
  label: 'as soon as it comes',
  isForListed: false,
  Setting: () => null,
};

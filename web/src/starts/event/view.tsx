import type { TriggerView } from '../view.ts';

/** A start that is told. */
export const event: TriggerView<'event'> = {
  label: 'as soon as the app posts an event',
  isForListed: true,
  Setting: () => null,
};

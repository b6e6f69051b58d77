import type { TriggerView } from '../view.ts';

export const event: TriggerView<'event'> = {
  label: 'as soon as it comes',
  isForListed: false,
  Setting: () => null,
};

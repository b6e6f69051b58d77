import type { TriggerView } from '../view.ts';

export const hand: TriggerView<'hand'> = {
  label: 'only when I say so',
  isForListed: true,
  Setting: () => <span className="text-sm text-ink-2">with “Check now” under Runs</span>,
};

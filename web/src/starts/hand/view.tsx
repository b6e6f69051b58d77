import type { TriggerView } from '../view.ts';

/** A start that a person begins. */
export const hand: TriggerView<'hand'> = {
  label: 'by hand',
  isForListed: true,
  Setting: () => <span className="text-sm text-ink-2">with “Check now” under Runs</span>,
};

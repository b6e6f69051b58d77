import { Filter } from 'lucide-react';
import type { StepView } from '../view.ts';
import { ConditionSheet } from './ConditionSheet.tsx';

/** A condition on screen. */
export const condition: StepView<'condition'> = {
  icon: Filter,
  add: 'Add a condition',
  Sheet: ConditionSheet,
  title: () => 'Keep those',
  cell: () => 'kept',
  story: ({ why }) => <span>Kept: {why}</span>,
  counts: { kept: 'kept' },
};

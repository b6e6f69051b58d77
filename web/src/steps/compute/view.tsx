import { toText } from '@golden/core';
import { Calculator } from 'lucide-react';
import type { StepView } from '../view.ts';
import { ComputeSheet } from './ComputeSheet.tsx';

/** Calculated values on screen. */
export const compute: StepView<'compute'> = {
  icon: Calculator,
  add: 'Calculate values',
  Sheet: ComputeSheet,
  title: (step) => step.name ?? 'Work out',
  cell: ({ values }) => Object.values(values).map(toText).join(', '),
  story: ({ values }) => (
    <span>
      Worked out:{' '}
      {Object.entries(values)
        .map(([name, value]) => `${name} ${toText(value) || 'empty'}`)
        .join(', ')}
    </span>
  ),
  counts: { computed: 'calculated' },
};

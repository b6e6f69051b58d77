import { Repeat } from 'lucide-react';
import type { StepView } from '../view.ts';
import { EachSheet } from './EachSheet.tsx';

/** A “for each” on screen. */
export const each: StepView<'each'> = {
  icon: Repeat,
  add: 'For each…',
  Sheet: EachSheet,
  title: (step) => step.name ?? 'For each',
  cell: ({ count }) => (count === 1 ? '1 time' : `${count} times`),
  story: ({ count }) => <span className="text-ink-2">For each of {count}</span>,
  counts: { each: 'done' },
};

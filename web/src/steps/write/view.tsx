import { PenLine } from 'lucide-react';
import { OutcomeMark, writeLooks } from '../../parts/OutcomeMark.tsx';
import { Written, WrittenCell, writtenCounts } from '../placed/Written.tsx';
import type { StepView } from '../view.ts';
import { MappingSheet } from './MappingSheet.tsx';

/** A write on screen. */
export const write: StepView<'write'> = {
  icon: PenLine,
  add: 'Add or update a record',
  Sheet: MappingSheet,
  title: (step) => {
    const where = step.target?.labels.at(-1) ?? '…';
    if (step.target?.described.sentTo) return `Send from ${where}`;
    return step.mode === 'append' ? `Append to ${where}` : `Create or update in ${where}`;
  },
  cell: (result, step) =>
    result.kind === 'not_sent' ? (
      <OutcomeMark look={writeLooks.left_out} text={`not sent: ${result.why}`} />
    ) : (
      <WrittenCell result={result} target={step.target} />
    ),
  story: (result, isRehearsal) =>
    result.kind === 'not_sent' ? (
      <OutcomeMark
        look={writeLooks.left_out}
        text={`${isRehearsal ? 'Would not be sent' : 'Not sent'}: ${result.why}`}
      />
    ) : (
      <Written result={result} isRehearsal={isRehearsal} />
    ),
  counts: { ...writtenCounts, not_sent: 'not sent' },
};

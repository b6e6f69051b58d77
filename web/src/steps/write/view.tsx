import { PenLine } from 'lucide-react';
import { OutcomeMark, writeLooks } from '../../parts/OutcomeMark.tsx';
import { Written, WrittenCell, writtenCounts } from '../placed/Written.tsx';
import type { StepView } from '../view.ts';
import { MappingSheet } from './MappingSheet.tsx';
import { RemovingSheet } from './RemovingSheet.tsx';

/** A write on screen. */
export const write: StepView<'write'> = {
  icon: PenLine,
  add: 'Add or update a record',
  Sheet: ({ step, samples }) =>
    step.removes ? <RemovingSheet step={step} /> : <MappingSheet step={step} samples={samples} />,
  title: (step) => {
    const where = step.target?.labels.at(-1) ?? '…';
    if (step.removes) return `Remove from ${where}`;
    if (step.target?.described.sentTo) return `Send from ${where}`;
    return step.mode === 'append' ? `Append to ${where}` : `Create or update in ${where}`;
  },
  cell: (result, step) => {
    if (result.kind === 'not_sent') return <OutcomeMark look={writeLooks.left_out} text={`not sent: ${result.why}`} />;
    if (result.kind === 'not_found') return <em className="text-ink-3">none there</em>;
    return <WrittenCell result={result} target={step.target} />;
  },
  story: (result, isRehearsal) => {
    if (result.kind === 'not_sent')
      return (
        <OutcomeMark
          look={writeLooks.left_out}
          text={`${isRehearsal ? 'Would not be sent' : 'Not sent'}: ${result.why}`}
        />
      );
    if (result.kind === 'not_found')
      return <span className="text-ink-2">None is there, so nothing is written: {result.why}</span>;
    return <Written result={result} isRehearsal={isRehearsal} />;
  },
  counts: { ...writtenCounts, not_found: 'none there', not_sent: 'not sent' },
};

import { Search } from 'lucide-react';
import { matchedText } from '../placed/matched-text.ts';
import { Written, WrittenCell, writtenCounts } from '../placed/Written.tsx';
import type { StepView } from '../view.ts';
import { LookupSheet } from './LookupSheet.tsx';

/** A lookup on screen. */
export const lookup: StepView<'lookup'> = {
  icon: Search,
  add: 'Look something up',
  Sheet: LookupSheet,
  title: (step) => step.name ?? `Find the ${step.target?.described.singular ?? '…'}`,
  cell: (result, step) => {
    if (result.kind === 'found') return result.title;
    if (result.kind === 'not_found') return <em className="text-ink-3">none</em>;
    return <WrittenCell result={result} target={step.target} />;
  },
  story: (result, isRehearsal) => {
    if (result.kind === 'not_found') return <span className="text-ink-2">None found: {result.why}</span>;
    if (result.kind === 'written') return <Written result={result} isRehearsal={isRehearsal} />;
    return (
      <span>
        Found: {result.title} <span className="text-sm text-ink-2">{matchedText(result.by)}</span>
      </span>
    );
  },
  counts: { ...writtenCounts, found: 'found', not_found: 'none' },
};

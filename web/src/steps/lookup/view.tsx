import type { LookupStep } from '@golden/core';
import { Search } from 'lucide-react';
import { counted, formatNumber } from '../../parts/formats.ts';
import { matchedText } from '../placed/matched-text.ts';
import { Written, WrittenCell, writtenCounts } from '../placed/Written.tsx';
import type { StepView } from '../view.ts';
import { LookupSheet } from './LookupSheet.tsx';

/** A lookup on screen. */
export const lookup: StepView<'lookup'> = {
  icon: Search,
  add: 'Look something up',
  Sheet: LookupSheet,
  title: (step) =>
    step.name ??
    (step.all
      ? `Find all ${step.target?.described.plural ?? '…'}`
      : `Find the ${step.target?.described.singular ?? '…'}`),
  cell: (result, step) => {
    if (result.kind === 'found') return result.title;
    if (result.kind === 'listed') return listedWords(result.count, step);
    if (result.kind === 'not_found') return <em className="text-ink-3">none</em>;
    return <WrittenCell result={result} target={step.target} />;
  },
  story: (result, isRehearsal) => {
    if (result.kind === 'listed') return <span>Found: {counted(result.count, 'record')}</span>;
    if (result.kind === 'not_found') return <span className="text-ink-2">None found: {result.why}</span>;
    if (result.kind === 'written') return <Written result={result} isRehearsal={isRehearsal} />;
    return (
      <span>
        Found: {result.title} <span className="text-sm text-ink-2">{matchedText(result.by)}</span>
      </span>
    );
  },
  counts: { ...writtenCounts, found: 'found', not_found: 'none', listed: 'listed' },
};

/** "3 invoices". */
function listedWords(count: number, { target }: LookupStep): string {
  const { singular = 'record', plural = 'records' } = target?.described ?? {};
  return `${formatNumber(count)} ${count === 1 ? singular : plural}`;
}

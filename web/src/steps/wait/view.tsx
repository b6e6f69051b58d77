import type { WaitedResult } from '@golden/core';
import { Hourglass } from 'lucide-react';
import { formatDayAndTime } from '../../parts/formats.ts';
import { useZone } from '../../parts/use-zone.ts';
import type { StepView } from '../view.ts';
import { WaitSheet } from './WaitSheet.tsx';

/** A wait on screen. */
export const wait: StepView<'wait'> = {
  icon: Hourglass,
  add: 'Wait',
  Sheet: WaitSheet,
  title: (step) => step.name ?? 'Wait',
  cell: (result) => <Waited result={result} />,
  story: (result) => <Waited result={result} isWhole />,
  counts: { waited: 'wait first' },
};

/** What ended it before its time, as a sentence; what came before this was kept says no more. */
function endedBy(because: string | undefined): string {
  if (because === undefined) return 'Ended early.';
  return because === 'continue link' ? 'Sent on by its continue link.' : `Ended early. ${because}`;
}

/** What ended a wait, or when it would end. */
function Waited({
  result: { until, by, because },
  isWhole = false,
}: {
  readonly result: WaitedResult;
  readonly isWhole?: boolean;
}) {
  const at = formatDayAndTime(until, useZone());
  switch (by) {
    case 'skipped':
      return (
        <span className="text-plum">{isWhole ? `Would wait until ${at}; not waited for here` : `until ${at}`}</span>
      );
    case 'passed':
      return <span className="text-ink-2">{isWhole ? `Its time had passed: ${at}` : `passed: ${at}`}</span>;
    case 'person':
      return <span>{isWhole ? `Sent on by a person; it would have waited until ${at}` : 'sent on by a person'}</span>;
    case 'event':
      return <span>{isWhole ? `${endedBy(because)} It would have waited until ${at}.` : 'ended early'}</span>;
    case 'time':
      return <span>{isWhole ? `Waited until ${at}` : at}</span>;
  }
}

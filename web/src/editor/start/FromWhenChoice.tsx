import { dateInWords, type FromWhen } from '@golden/core';
import { Slider } from 'radix-ui';
import { lazy, Suspense, useEffect, useState } from 'react';
import { useCounts } from '../../api/queries.ts';
import { DateField } from '../../parts/DateField.tsx';
import { formatNumber } from '../../parts/formats.ts';
import { ProblemMessage } from '../../parts/Messages.tsx';
import { useEditor } from '../draft/context.tsx';
import { axisOf, barsOf, fromWhenAt, sentFrom, startKey, stopOf } from './time-axis.ts';

const DayChart = lazy(async () => ({ default: (await import('./DayChart.tsx')).DayChart }));

interface FromWhenProps {
  readonly fromWhen: FromWhen;
  readonly onChange: (fromWhen: FromWhen) => void;
}

/** Where in time it begins: the records by day, and a line between those that are known and those that are sent. */
export function FromWhenChoice({ fromWhen: kept, onChange }: FromWhenProps) {
  const { workflow, sourceKey, draft } = useEditor();
  const isSaved = draft.state.kind === 'saved';
  const [moving, setMoving] = useState<number>();
  // What is kept now is where the line stands, whoever moved it there.
  // biome-ignore lint/correctness/useExhaustiveDependencies: each change of what is kept ends the move
  useEffect(() => setMoving(undefined), [kept]);
  const { data: counts, error } = useCounts(workflow.id, startKey(sourceKey, draft.content.start), isSaved);
  if (error) return <ProblemMessage>{error.message}</ProblemMessage>;
  if (!counts) return <p className="text-ink-2">Counting the records…</p>;
  const axis = axisOf(counts);
  // While the line is dragged nothing is saved: letting go is one change, undone as one.
  const fromWhen = moving === undefined ? kept : fromWhenAt(axis, moving);
  const stop = stopOf(axis, fromWhen);
  const sent = sentFrom(counts, fromWhen);
  const bars = barsOf(axis, counts.days);
  const hasDates = counts.days.length > 0;
  return (
    <div className="max-w-[680px]">
      <div className="mb-1 flex items-baseline justify-between gap-4">
        <Side count={counts.all - sent} text="already known, not sent" />
        <span className="flex items-baseline gap-2">
          <span className="text-ink-2">{beginning(fromWhen)}</span>
          {hasDates && (
            <DateField
              label="Begin with the date"
              value={fromWhen.kind === 'since' ? fromWhen.at.slice(0, 10) : ''}
              until={counts.today}
              onChange={(at) => onChange({ kind: 'since', at })}
            />
          )}
        </span>
        <Side count={sent} text="sent when it goes live" isSent />
      </div>
      <Slider.Root
        min={0}
        max={axis.stops}
        value={[stop]}
        onValueChange={([next]) => setMoving(next)}
        onValueCommit={([next = axis.stops]) => onChange(fromWhenAt(axis, next))}
        className={`relative block touch-none select-none ${hasDates ? 'h-[66px] cursor-ew-resize border-b border-line-1' : 'h-7'}`}
      >
        {hasDates && (
          <div className="absolute inset-x-[6px] inset-y-0" aria-hidden="true">
            <Suspense fallback={null}>
              <DayChart
                bars={bars}
                from={fromWhen.kind === 'now' ? undefined : fromWhen.kind === 'all' ? '' : fromWhen.at.slice(0, 10)}
              />
            </Suspense>
          </div>
        )}
        {!hasDates && <Slider.Track className="absolute inset-x-0 top-2.5 block h-2 rounded-full bg-line-1" />}
        <Slider.Thumb
          aria-label="From when"
          aria-valuetext={`${beginning(fromWhen, true)}: ${formatNumber(counts.all - sent)} already known, ${formatNumber(sent)} sent`}
          className={`group relative block w-3 cursor-ew-resize outline-none ${hasDates ? 'h-[66px]' : 'h-7'}`}
        >
          <span
            aria-hidden="true"
            className="absolute inset-y-0 left-[5px] w-[2px] bg-ink-1 group-focus-visible:left-[4px] group-focus-visible:w-[4px]"
          />
          <span
            aria-hidden="true"
            className="absolute top-0 left-0 size-3 rounded-full border-2 border-ink-1 bg-raised group-focus-visible:bg-pine"
          />
        </Slider.Thumb>
      </Slider.Root>
      <div className="mt-1 flex justify-between text-sm text-ink-2">
        <span>{hasDates ? dateInWords(axis.first) : 'everything'}</span>
        <span>
          {hasDates
            ? 'Move the line with the pointer or the arrow keys; all the way to the left sends everything.'
            : 'This place keeps no dates: it begins with everything, or from now on.'}
        </span>
        <span>now</span>
      </div>
    </div>
  );
}

/** Where the line stands, in words. */
function beginning(fromWhen: FromWhen, isWhole = false): string {
  if (fromWhen.kind === 'now') return 'From now on';
  if (fromWhen.kind === 'all') return 'Everything, and what comes';
  return isWhole ? `From ${dateInWords(fromWhen.at.slice(0, 10))} on` : 'From';
}

function Side({
  count,
  text,
  isSent = false,
}: {
  readonly count: number;
  readonly text: string;
  readonly isSent?: boolean;
}) {
  return (
    <span className={isSent ? 'text-right text-pine' : 'text-ink-2'}>
      <span className="font-serif text-xl">{formatNumber(count)}</span> {text}
    </span>
  );
}

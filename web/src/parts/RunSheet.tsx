import {
  fieldAt,
  type ItemState,
  resultsOf,
  type Step,
  type StepResult,
  toText,
  type WorkflowContent,
} from '@golden/core';
import { useInfiniteQuery } from '@tanstack/react-query';
import { useVirtualizer } from '@tanstack/react-virtual';
import { useEffect, useRef } from 'react';
import type { SheetRow } from '../api/queries.ts';
import { OutcomeMark, stateLooks, writeLooks } from './OutcomeMark.tsx';

interface RunSheetProps {
  readonly content: WorkflowContent;
  /** How many of each outcome every step came to. */
  readonly writes: Readonly<Record<string, Readonly<Record<string, number>>>>;
  readonly queryKey: readonly unknown[];
  readonly load: (from: number, limit: number) => Promise<SheetRow[]>;
  readonly total: number;
  readonly chosen: string | undefined;
  readonly onChoose: (row: SheetRow) => void;
}

const pageSize = 200;
const rowHeight = 32;

/** The grid of a run or a rehearsal: a row a record, a column a step, a cell an outcome. */
export function RunSheet({ content, writes, queryKey, load, total, chosen, onChoose }: RunSheetProps) {
  const scroller = useRef<HTMLDivElement>(null);
  const pages = useInfiniteQuery({
    queryKey: [...queryKey],
    initialPageParam: 0,
    queryFn: ({ pageParam }) => load(pageParam, pageSize),
    getNextPageParam: (last, all) => (last.length === pageSize ? all.length * pageSize : undefined),
  });
  const rows = pages.data?.pages.flat() ?? [];
  const virtual = useVirtualizer({
    count: rows.length,
    getScrollElement: () => scroller.current,
    estimateSize: () => rowHeight,
    overscan: 12,
  });
  const shown = virtual.getVirtualItems();
  const lastShown = shown.at(-1)?.index ?? 0;
  const { hasNextPage, isFetchingNextPage, fetchNextPage } = pages;
  useEffect(() => {
    if (lastShown >= rows.length - 20 && hasNextPage && !isFetchingNextPage) void fetchNextPage();
  }, [lastShown, rows.length, hasNextPage, isFetchingNextPage, fetchNextPage]);
  const columns = `minmax(190px,1.2fr) ${content.steps.map(() => 'minmax(170px,1fr)').join(' ')} minmax(130px,0.7fr)`;
  const recordWord = content.start.source?.described.singular ?? 'record';
  const move = (from: number, by: number): void => {
    const next = rows[from + by];
    if (!next) return;
    virtual.scrollToIndex(from + by);
    onChoose(next);
    requestAnimationFrame(() => scroller.current?.querySelector<HTMLElement>(`[data-at="${from + by}"]`)?.focus());
  };
  return (
    // A wide grid scrolls; the keyboard reaches it too.
    // biome-ignore lint/a11y/useSemanticElements: rows are virtual, which a table can't be
    <div
      ref={scroller}
      role="table"
      aria-label="Run sheet"
      aria-rowcount={total}
      className="h-full overflow-auto bg-sheet"
    >
      {/* biome-ignore lint/a11y/useSemanticElements: see above */}
      {/* biome-ignore lint/a11y/useFocusableInteractive: a heading row */}
      <div
        role="row"
        className="sticky top-0 z-10 grid min-w-fit border-b border-line-1 bg-paper"
        style={{ gridTemplateColumns: columns }}
      >
        <Head title="Record" note={recordWord} />
        {content.steps.map((step) => (
          <Head key={step.id} title={stepTitle(step)} note={countsText(writes[step.id] ?? {})} />
        ))}
        <Head title="Outcome" note="" />
      </div>
      {/* biome-ignore lint/a11y/useSemanticElements: see above */}
      <div role="rowgroup" className="relative min-w-fit" style={{ height: virtual.getTotalSize() }}>
        {shown.map(({ index, start }) => {
          const row = rows[index] as SheetRow;
          const state = row.detail as ItemState;
          const isChosen = row.id === chosen;
          return (
            // biome-ignore lint/a11y/useSemanticElements: see above
            <div
              key={row.id}
              role="row"
              data-at={index}
              tabIndex={isChosen || (chosen === undefined && index === 0) ? 0 : -1}
              aria-rowindex={index + 2}
              aria-selected={isChosen}
              onClick={() => onChoose(row)}
              onKeyDown={(event) => {
                if (event.key === 'Enter') onChoose(row);
                if (event.key === 'ArrowDown' || event.key === 'ArrowUp') {
                  event.preventDefault();
                  move(index, event.key === 'ArrowDown' ? 1 : -1);
                }
              }}
              className={`absolute inset-x-0 grid cursor-pointer border-b border-line-2 focus-visible:outline-offset-[-2px] ${isChosen ? 'bg-pine-faint shadow-[inset_3px_0_0_var(--pine)]' : 'hover:bg-pine-faint'}`}
              style={{ gridTemplateColumns: columns, transform: `translateY(${start}px)`, height: rowHeight }}
            >
              <Cell>{row.title}</Cell>
              {content.steps.map((step) => (
                <StepCell key={step.id} step={step} results={resultsOf(state.steps, step.id)} />
              ))}
              <Cell>
                <OutcomeMark look={stateLooks[row.state]} />
              </Cell>
            </div>
          );
        })}
      </div>
    </div>
  );
}

function Head({ title, note }: { readonly title: string; readonly note: string }) {
  return (
    // biome-ignore lint/a11y/useSemanticElements: rows are virtual, which a table can't be
    // biome-ignore lint/a11y/useFocusableInteractive: a heading
    <div role="columnheader" className="border-r border-line-2 px-2.5 py-1.5 last:border-r-0">
      <span className="block font-semibold">{title}</span>
      <span className="block truncate text-sm text-ink-2">{note}</span>
    </div>
  );
}

function Cell({ children, isHatched = false }: { readonly children?: React.ReactNode; readonly isHatched?: boolean }) {
  return (
    // biome-ignore lint/a11y/useSemanticElements: rows are virtual, which a table can't be
    <div
      role="cell"
      className={`flex min-w-0 items-center truncate border-r border-line-2 px-2.5 last:border-r-0 ${isHatched ? 'hatched' : ''}`}
    >
      <span className="min-w-0 truncate">{children}</span>
    </div>
  );
}

/** A step's outcome for one record; within a "for each" the one that needs a person first, with how many there are. */
function StepCell({ step, results }: { readonly step: Step; readonly results: readonly StepResult[] }) {
  const result = results.find((one) => one.kind === 'unsettled') ?? results[0];
  if (results.length > 1 && result?.kind === 'written')
    return (
      <Cell>
        <OutcomeMark look={writeLooks[result.outcome]} text={turnsText(results)} />
      </Cell>
    );
  if (!result || result.kind === 'blocked' || result.kind === 'off') return <Cell isHatched />;
  switch (result.kind) {
    case 'kept':
      return <Cell>kept</Cell>;
    case 'found':
      return <Cell>{result.title}</Cell>;
    case 'not_found':
      return (
        <Cell>
          <em className="text-ink-3">none</em>
        </Cell>
      );
    case 'computed':
      return <Cell>{Object.values(result.values).map(toText).join(', ')}</Cell>;
    case 'each':
      return <Cell>{result.count === 1 ? '1 time' : `${result.count} times`}</Cell>;
    case 'left_out':
      return (
        <Cell>
          <OutcomeMark look={writeLooks.left_out} text={result.why.split(';')[0]} />
        </Cell>
      );
    case 'unsettled':
      return (
        <Cell>
          <OutcomeMark look={writeLooks.unsettled} text={result.message} />
        </Cell>
      );
    case 'written':
      return (
        <Cell>
          <OutcomeMark look={writeLooks[result.outcome]} text={changedText(step, result)} />
        </Cell>
      );
  }
}

/** "3 new, 1 the same" over the turns of a "for each". */
function turnsText(results: readonly StepResult[]): string {
  const counts: Record<string, number> = {};
  for (const result of results) {
    const kind = result.kind === 'written' ? result.outcome : result.kind;
    counts[kind] = (counts[kind] ?? 0) + 1;
  }
  return countsText(counts).replaceAll(' · ', ', ');
}

function changedText(step: Step, result: Extract<StepResult, { kind: 'written' }>): string | undefined {
  if (result.outcome !== 'changed' || step.kind !== 'write') return undefined;
  const fields = step.target?.described.fields ?? [];
  return result.changes.map((change) => fieldAt(fields, change.path)?.label ?? change.label).join(', ');
}

function stepTitle(step: Step): string {
  if (step.kind === 'condition') return 'Keep those';
  if (step.kind === 'compute') return step.name ?? 'Work out';
  if (step.kind === 'each') return step.name ?? 'For each';
  if (step.kind === 'lookup') return step.name ?? `Find the ${step.target?.described.singular ?? '…'}`;
  return step.mode === 'append'
    ? `Append to ${step.target?.labels.at(-1) ?? '…'}`
    : `Create or update in ${step.target?.labels.at(-1) ?? '…'}`;
}

const countWords: Record<string, string> = {
  new: 'new',
  changed: 'changed',
  same: 'the same',
  unsettled: 'unsettled',
  left_out: 'left out',
  found: 'found',
  not_found: 'none',
  kept: 'kept',
  blocked: 'not done',
  computed: 'worked out',
  each: 'gone through',
  off: 'off',
};

/** The counts in the order of the words above: what was done first, what is open next. */
function countsText(counts: Readonly<Record<string, number>>): string {
  return Object.entries(countWords)
    .filter(([kind]) => (counts[kind] ?? 0) > 0)
    .map(([kind, word]) => `${counts[kind]} ${word}`)
    .join(' · ');
}

import {
  type ItemState,
  isOfAnyKind,
  layOut,
  resultsOf,
  type Step,
  type StepResult,
  type WorkflowContent,
} from '@golden/core';
import { useInfiniteQuery } from '@tanstack/react-query';
import { useVirtualizer } from '@tanstack/react-virtual';
import { useEffect, useRef } from 'react';
import type { SheetRow } from '../api/queries.ts';
import { stepViews, viewOf } from '../steps/registry.ts';
import { formatInstant } from './formats.ts';
import { OutcomeMark, stateLooks, writeLooks } from './OutcomeMark.tsx';

interface RunSheetProps {
  readonly content: WorkflowContent;
  readonly zone: string;
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
export function RunSheet({ content, zone, writes, queryKey, load, total, chosen, onChoose }: RunSheetProps) {
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
  // The chosen row takes the focus; where it isn't drawn (scrolled away, or still being read), the first drawn one.
  const focusable = shown.find(({ index }) => rows[index]?.id === chosen)?.index ?? shown[0]?.index;
  return (
    // Its rows take the focus one after the other, which scrolls it; without rows it takes the focus itself.
    // biome-ignore lint/a11y/useSemanticElements: rows are virtual, which a table can't be
    <div
      ref={scroller}
      role="grid"
      aria-label="Run sheet"
      aria-rowcount={total}
      tabIndex={focusable === undefined ? 0 : undefined}
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
          <Head key={step.id} title={viewOf(step).title(step)} note={countsText(writes[step.id] ?? {})} />
        ))}
        <Head title="Outcome" note="" />
      </div>
      {/* biome-ignore lint/a11y/useSemanticElements: see above */}
      <div role="rowgroup" className="relative min-w-fit" style={{ height: virtual.getTotalSize() }}>
        {shown.map(({ index, start }) => {
          const row = rows[index] as SheetRow;
          const state = row.detail as ItemState;
          const isChosen = row.id === chosen;
          const waitsAt = parkedAt(content, row);
          return (
            // biome-ignore lint/a11y/useSemanticElements: see above
            <div
              key={row.id}
              role="row"
              data-at={index}
              tabIndex={index === focusable ? 0 : -1}
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
                <StepCell
                  key={step.id}
                  step={step}
                  results={resultsOf(state.steps, step.id)}
                  waits={step.id === waitsAt ? waitText(row, zone) : undefined}
                />
              ))}
              <Cell>
                <OutcomeMark
                  look={stateLooks[row.state]}
                  text={row.state === 'waiting' && waitsAt === undefined ? waitText(row, zone) : undefined}
                />
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
    // biome-ignore lint/a11y/useFocusableInteractive: the row is what has the focus
    <div
      role="gridcell"
      className={`flex min-w-0 items-center truncate border-r border-line-2 px-2.5 last:border-r-0 ${isHatched ? 'hatched' : ''}`}
    >
      <span className="min-w-0 truncate">{children}</span>
    </div>
  );
}

interface CellProps {
  readonly step: Step;
  readonly results: readonly StepResult[];
  /** What the record waits for at this step. */
  readonly waits: string | undefined;
}

/** The step that a record is parked at. */
function parkedAt(content: WorkflowContent, row: SheetRow): string | undefined {
  const state = row.detail as ItemState;
  if (row.state !== 'waiting' || state.phase !== 'parked') return undefined;
  return layOut(content, state.values)[state.at]?.step.id;
}

/** What a record waits for, and until when. */
function waitText({ message, wakeAt, waitsForApp }: SheetRow, zone: string): string {
  const until = wakeAt ? `${waitsForApp ? 'next try' : 'until'} ${formatInstant(wakeAt, zone)}` : '';
  return [message?.replace(/\.$/, '') ?? 'waiting', until].filter(Boolean).join(', ');
}

/** A step's outcome for one record; within a "for each" the one that needs a person first, with how many there are. */
function StepCell({ step, results, waits }: CellProps) {
  if (waits !== undefined)
    return (
      <Cell>
        <OutcomeMark look={stateLooks.waiting} text={waits} />
      </Cell>
    );
  const result = results.find((one) => one.kind === 'unsettled') ?? results[0];
  if (results.length > 1 && result?.kind === 'written')
    return (
      <Cell>
        <OutcomeMark look={writeLooks[result.outcome]} text={turnsText(results)} />
      </Cell>
    );
  if (!result || result.kind === 'blocked' || result.kind === 'off') return <Cell isHatched />;
  if (result.kind === 'passed_over') return <Cell>{<span className="text-ink-3">not for this one</span>}</Cell>;
  if (!isOfAnyKind(result)) return <Cell>{viewOf(step).cell(result, step)}</Cell>;
  return (
    <Cell>
      {result.kind === 'left_out' ? (
        <OutcomeMark look={writeLooks.left_out} text={result.why.split(';')[0]} />
      ) : (
        <OutcomeMark look={writeLooks.unsettled} text={result.message} />
      )}
    </Cell>
  );
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

/** What a step may come to, in words: what was done first, what is open next. */
const countWords: Readonly<Record<string, string>> = {
  ...Object.assign({}, ...Object.values(stepViews).map(({ counts }) => counts)),
  unsettled: 'need you',
  left_out: 'left out',
  passed_over: 'not done by “only if”',
  blocked: 'not done',
  off: 'off',
};

/** The counts in the order of the words above: what was done first, what is open next. */
function countsText(counts: Readonly<Record<string, number>>): string {
  return Object.entries(countWords)
    .filter(([kind]) => (counts[kind] ?? 0) > 0)
    .map(([kind, word]) => `${counts[kind]} ${word}`)
    .join(' · ');
}

import {
  type Cell,
  type Field,
  type Filling,
  type Locale,
  mapField,
  refsOf,
  type Scope,
  startId,
  toText,
  typeLabel,
  type WriteStep,
} from '@golden/core';
import { useVirtualizer } from '@tanstack/react-virtual';
import { CircleAlert } from 'lucide-react';
import { memo, type ReactNode, useCallback, useMemo, useRef } from 'react';
import { useEditor } from './context.tsx';
import { withFilling } from './edits.ts';
import { FillingLabel } from './FillingLabel.tsx';
import type { SheetColumn } from './on-sheet.ts';
import { clipped } from './PlacePreview.tsx';

interface GridProps {
  readonly step: WriteStep;
  readonly fields: readonly Field[];
  readonly columns: readonly SheetColumn[];
  readonly chosen: string | undefined;
  /** Samples with a problem, by field. */
  readonly problems: ReadonlyMap<string, number>;
  readonly onChoose: (path: string) => void;
  /** What stands below the sheet. */
  readonly children: ReactNode;
}

const rowHeight = 32;

/** The grid: fields are drawn as they come into view, and a keystroke draws only its own row anew. */
export function SheetGrid({ step, fields, columns, chosen, problems, onChoose, children }: GridProps) {
  const { draft, version, runs } = useEditor();
  // What another write gave is only known from the whole run; all else from the record itself.
  const scopes = useMemo(() => new Map(runs.map((run) => [run.id, run.scope])), [runs]);
  const scroller = useRef<HTMLElement>(null);
  const virtual = useVirtualizer({
    count: fields.length,
    getScrollElement: () => scroller.current,
    estimateSize: () => rowHeight,
    overscan: 8,
    initialRect: { width: 900, height: 700 },
  });
  const shown = virtual.getVirtualItems();
  const above = shown[0]?.start ?? 0;
  const below = virtual.getTotalSize() - (shown.at(-1)?.end ?? 0);
  const paths = useRef<readonly string[]>([]);
  paths.current = fields.map((field) => field.path);
  const move = useCallback(
    (from: string, by: number): void => {
      const all = paths.current;
      const at = Math.min(all.length - 1, Math.max(0, all.indexOf(from) + by));
      const next = all[at];
      if (next === undefined) return;
      virtual.scrollToIndex(at);
      onChoose(next);
      const focus = (): boolean => {
        const row = scroller.current?.querySelector<HTMLElement>(`[data-row="${CSS.escape(next)}"]`);
        row?.focus();
        return row !== null && row !== undefined;
      };
      // At once where the row is drawn, so that a held key never outruns the focus.
      if (!focus()) requestAnimationFrame(focus);
    },
    [onChoose, virtual],
  );
  const { change } = draft;
  const clear = useCallback((path: string): void => change(withFilling(step.id, path, undefined)), [change, step.id]);
  return (
    // A wide sheet scrolls sideways; the keyboard reaches it too.
    // biome-ignore lint/a11y/noNoninteractiveTabindex: see above
    <section ref={scroller} className="min-h-0 flex-1 overflow-auto" tabIndex={0} aria-label="Mapping sheet">
      <table className="sheet table-fixed" aria-rowcount={fields.length + 1}>
        <colgroup>
          <col className="w-[172px]" />
          <col className="w-[232px]" />
          {columns.map((column) => (
            <col key={column.id} className="w-[138px]" />
          ))}
        </colgroup>
        <thead className="sticky top-0 z-10">
          <tr>
            <th scope="col">Field there</th>
            <th scope="col">Filled with</th>
            {columns.map((column) => (
              <th key={column.id} scope="col" className="truncate" title={`${column.title}: ${column.why}`}>
                <span className="block truncate text-ink-1">{column.title}</span>
                <span
                  className={`block truncate text-xs font-normal ${column.run.sample.origin === 'real' ? 'text-brass' : 'text-plum'}`}
                >
                  {column.why}
                </span>
              </th>
            ))}
          </tr>
        </thead>
        <tbody>
          {above > 0 && <Gap height={above} />}
          {shown.map(({ index }) => {
            const field = fields[index] as Field;
            return (
              <Row
                key={field.path}
                index={index}
                field={field}
                filling={step.mapping[field.path]}
                reason={step.suggested?.[field.path]}
                isKey={step.key === field.path}
                isChosen={field.path === chosen}
                troubled={problems.get(field.path)}
                columns={columns}
                scopes={readsOtherWrites(step.mapping[field.path]) ? scopes : undefined}
                locale={version.locale}
                onChoose={onChoose}
                onMove={move}
                onClear={clear}
              />
            );
          })}
          {below > 0 && <Gap height={below} />}
        </tbody>
      </table>
      {children}
    </section>
  );
}

/** Stands for the rows that are out of view. */
function Gap({ height }: { readonly height: number }) {
  return (
    <tr>
      <td className="border-0! p-0!" style={{ height }} />
    </tr>
  );
}

interface RowProps {
  readonly index: number;
  readonly field: Field;
  readonly filling: Filling | undefined;
  /** Why the filling was proposed, while nobody has accepted it. */
  readonly reason: string | undefined;
  readonly isKey: boolean;
  readonly isChosen: boolean;
  readonly troubled: number | undefined;
  readonly columns: readonly SheetColumn[];
  /** What is known of each sample besides its record, where the filling reads it. */
  readonly scopes: ReadonlyMap<string, Scope> | undefined;
  readonly locale: Locale;
  readonly onChoose: (path: string) => void;
  readonly onMove: (from: string, by: number) => void;
  readonly onClear: (path: string) => void;
}

const Row = memo(function Row(props: RowProps) {
  const {
    index,
    field,
    filling,
    reason,
    isKey,
    isChosen,
    troubled,
    columns,
    scopes,
    locale,
    onChoose,
    onMove,
    onClear,
  } = props;
  const isNumber = field.type === 'decimal' || field.type === 'integer';
  return (
    <tr className={isChosen ? 'bg-pine-faint' : ''} aria-rowindex={index + 2}>
      <td className={`truncate ${isChosen ? 'shadow-[inset_3px_0_0_var(--pine)]' : ''}`}>
        {field.label}
        {field.required && (
          <span className="text-brick" title="required">
            *<span className="sr-only"> required</span>
          </span>
        )}
        {isKey && <span className="ml-1.5 rounded-sm bg-pine-tint px-1 text-xs text-pine">key</span>}
        <span className="ml-1.5 text-sm text-ink-3">{typeLabel(field)}</span>
      </td>
      <td className="p-0!">
        <button
          type="button"
          data-row={field.path}
          aria-pressed={isChosen}
          title={reason && `Proposed: ${reason}`}
          onClick={() => onChoose(field.path)}
          onKeyDown={(event) => {
            if (event.key === 'Enter') {
              event.preventDefault();
              onChoose(field.path);
              enterEditor();
            }
            if (event.key === 'Delete' && filling) {
              event.preventDefault();
              onClear(field.path);
            }
            if (event.key !== 'ArrowDown' && event.key !== 'ArrowUp') return;
            event.preventDefault();
            onMove(field.path, event.key === 'ArrowDown' ? 1 : -1);
          }}
          className="flex h-[31px] w-full items-center gap-1.5 truncate px-2.5 text-left"
        >
          <span className="sr-only">Fill {field.label}: </span>
          <span className="truncate">
            <FillingLabel filling={filling} />
          </span>
          {reason && <span className="shrink-0 text-xs text-brass italic">proposed</span>}
          {troubled !== undefined && troubled > 0 && (
            <span className="ml-auto shrink-0 rounded-sm bg-brick-tint px-1 text-xs text-brick">
              {troubled}
              <span className="sr-only"> samples have a problem</span>
            </span>
          )}
        </button>
      </td>
      {columns.map((column) => (
        <ValueCell
          key={column.id}
          cell={mapField(field, filling, scopes?.get(column.id) ?? { start: column.record }, locale)}
          isNumber={isNumber}
        />
      ))}
    </tr>
  );
});

const readsOtherWrites = (filling: Filling | undefined): boolean =>
  filling !== undefined && refsOf(filling).some((ref) => ref.step !== startId);

/** Enter goes from the row into what fills it. */
function enterEditor(): void {
  requestAnimationFrame(() => {
    const editor = document.querySelector('[data-filling-editor]');
    const wanted = editor?.querySelector<HTMLElement>('[data-first], input, [aria-pressed="true"], button');
    wanted?.focus();
  });
}

/** What one field gets from one sample; a problem stands in its cell. */
function ValueCell({ cell, isNumber }: { readonly cell: Cell; readonly isNumber: boolean }) {
  switch (cell.state) {
    case 'filled': {
      const text = clipped(toText(cell.value));
      return (
        <td
          className={`truncate ${isNumber ? 'text-right' : ''} ${cell.note ? 'bg-brass-tint' : ''}`}
          title={[text, cell.note].filter(Boolean).join(' · ')}
        >
          {text}
        </td>
      );
    }
    case 'empty':
      return (
        <td className="text-ink-3">
          <em>empty</em>
        </td>
      );
    case 'not_filled':
      return (
        <td className="hatched">
          <span className="sr-only">not filled</span>
        </td>
      );
    case 'problem':
      return (
        <td className="truncate bg-brick-tint text-brick" title={clipped(cell.message)}>
          <CircleAlert size={13} strokeWidth={1.75} className="mr-1 inline" aria-hidden="true" />
          {clipped(cell.message)}
        </td>
      );
  }
}

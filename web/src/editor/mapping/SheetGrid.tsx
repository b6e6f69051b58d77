import {
  type EvaluationContext,
  type Field,
  type Filling,
  mapField,
  type PlacedStep,
  type RowRemark,
  refsOf,
  type Scope,
  standardLabel,
  startId,
  typeLabel,
} from '@golden/core';
import { useVirtualizer } from '@tanstack/react-virtual';
import { ChevronDown, ChevronRight } from 'lucide-react';
import { type KeyboardEvent, memo, type ReactNode, useCallback, useMemo, useRef, useState } from 'react';
import { useEditor } from '../draft/context.tsx';
import { withFilling } from '../draft/edits.ts';
import { FillingLabel } from '../filling/FillingLabel.tsx';
import type { SheetColumn } from '../samples/on-sheet.ts';
import type { SampleOnSheet } from '../samples/sample-run.ts';
import { CellDetail, type OpenCell } from './CellDetail.tsx';
import { nextCell, onCellKey, openCell } from './cell-keys.ts';
import { type OpenSearch, RowSearch } from './RowSearch.tsx';
import { SheetColumns } from './SheetColumns.tsx';
import type { GridRow } from './sheet-rows.ts';
import { useOpenLookups } from './use-open-lookups.ts';
import { ValueCell } from './ValueCell.tsx';

interface GridProps {
  readonly step: PlacedStep;
  /** The samples with what is known of each at this sentence. */
  readonly runs: readonly SampleOnSheet[];
  readonly rows: readonly GridRow[];
  readonly around: EvaluationContext;
  readonly columns: readonly SheetColumn[];
  readonly chosen: string | undefined;
  /** Samples with a problem, by field. */
  readonly problems: ReadonlyMap<string, number>;
  /** What all samples together show, by field. */
  readonly remarks: ReadonlyMap<string, readonly RowRemark[]>;
  /** What fills a field most likely: offered first where a row is searched for. */
  readonly likely?: (path: string) => Filling | undefined;
  readonly onChoose: (path: string) => void;
  readonly onFold: (group: string) => void;
  /** What stands below the sheet. */
  readonly children: ReactNode;
}

const rowHeight = 30;
/** Of a row that holds a letter. */
const letterHeight = 176;

/** The grid: fields are drawn as they come into view, and a keystroke draws only its own row anew. */
export function SheetGrid(props: GridProps) {
  const { step, runs, rows, around, columns, chosen, problems, remarks, likely, onChoose, onFold, children } = props;
  const firstField = rows.findIndex((row) => row.kind === 'field');
  const isChosenShown = rows.some((row) => row.kind === 'field' && row.field.path === chosen);
  const { draft } = useEditor();
  const isOpen = useOpenLookups();
  // What another write gave is only known from the whole run; all else from the record itself.
  const scopes = useMemo(() => new Map(runs.map((run) => [run.id, run.scope])), [runs]);
  const scroller = useRef<HTMLElement>(null);
  // Another function for other rows: their heights are looked at anew.
  const keyOf = useCallback((at: number) => keyOfRow(rows[at]), [rows]);
  const virtual = useVirtualizer({
    count: rows.length,
    getScrollElement: () => scroller.current,
    estimateSize: (at) => heightOf(rows[at]),
    getItemKey: keyOf,
    overscan: 8,
    initialRect: { width: 900, height: 700 },
  });
  const shown = virtual.getVirtualItems();
  const above = shown[0]?.start ?? 0;
  const below = virtual.getTotalSize() - (shown.at(-1)?.end ?? 0);
  const paths = useRef<readonly string[]>([]);
  paths.current = rows.map((row) => (row.kind === 'field' ? row.field.path : ''));
  const move = useCallback(
    (from: string, by: number): void => {
      const all = paths.current;
      let at = all.indexOf(from) + by;
      // The heads of groups have no filling to go to.
      while (all[at] === '') at += by;
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
  const put = useCallback(
    (path: string, filling: Filling | undefined): void => change(withFilling(step.id, path, filling)),
    [change, step.id],
  );
  const [search, setSearch] = useState<OpenSearch>();
  const [open, setOpen] = useState<OpenCell>();
  const openSearch = useCallback((field: Field, element: HTMLElement) => setSearch({ field, element }), []);
  const mapping = useRef(step.mapping);
  mapping.current = step.mapping;
  const fillingAbove = useCallback((path: string): Filling | undefined => {
    const all = paths.current;
    let at = all.indexOf(path) - 1;
    while (all[at] === '') at -= 1;
    return mapping.current[all[at] ?? ''];
  }, []);
  return (
    <section ref={scroller} className="min-h-0 flex-1 overflow-auto" aria-label="Mapping sheet">
      <table
        // Gone through by arrow keys, cell by cell (ARIA Authoring Practices, grid).
        // biome-ignore lint/a11y/noNoninteractiveElementToInteractiveRole: see above
        role="grid"
        aria-label="Fields and what each sample gives"
        className="sheet dense table-fixed"
        aria-rowcount={rows.length + 1}
        aria-colcount={columns.length + 2}
        onKeyDown={(event) => onCellKey(event, setOpen)}
        onClick={(event) => openCell(event.target as HTMLElement, setOpen)}
      >
        <SheetColumns columns={columns} />
        <thead className="sticky top-0 z-10">
          <tr>
            <th scope="col" className="sticky left-0 z-20">
              Field
            </th>
            <th scope="col">Filled with</th>
            {columns.map((column) => (
              <th
                key={column.id}
                scope="col"
                tabIndex={-1}
                className="truncate"
                data-hint={`${column.title}: ${column.why}`}
              >
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
            const row = rows[index] as GridRow;
            if (row.kind === 'group')
              return (
                <GroupRow key={`group ${row.name}`} row={row} index={index} span={columns.length} onFold={onFold} />
              );
            const { field } = row;
            return (
              <Row
                key={field.path}
                index={index}
                field={field}
                filling={step.mapping[field.path]}
                reason={step.kind === 'write' ? step.suggested?.[field.path] : undefined}
                note={step.kind === 'write' ? step.notes?.[field.path] : undefined}
                isKey={recognises(step, field.path)}
                isChosen={field.path === chosen}
                troubled={problems.get(field.path)}
                remarks={remarks.get(field.path)?.length ?? 0}
                columns={columns}
                scopes={readsOtherWrites(step.mapping[field.path]) ? scopes : undefined}
                around={around}
                onChoose={onChoose}
                isOpen={isOpen(step.mapping[field.path])}
                onMove={move}
                onPut={put}
                onSearch={openSearch}
                fillingAbove={fillingAbove}
                isEntry={isChosenShown ? field.path === chosen : index === firstField}
              />
            );
          })}
          {below > 0 && <Gap height={below} />}
        </tbody>
      </table>
      {children}
      {search && (
        <RowSearch
          open={search}
          stepId={step.id}
          samples={runs}
          likely={likely?.(search.field.path)}
          onPick={(filling) => {
            put(search.field.path, filling);
            setSearch(undefined);
            move(search.field.path, 1);
          }}
          onClose={() => setSearch(undefined)}
        />
      )}
      {open && <CellDetail open={open} onClose={() => setOpen(undefined)} onChoose={onChoose} />}
    </section>
  );
}

const isLetter = ({ field }: { readonly field: Field }): boolean => field.isLong === true;
const heightOf = (row: GridRow | undefined): number =>
  row?.kind === 'field' && isLetter(row) ? letterHeight : rowHeight;
const keyOfRow = (row: GridRow | undefined): string =>
  row?.kind === 'field' ? `${row.field.path} ${heightOf(row)}` : `group ${row?.name ?? ''}`;

/** Stands for the rows that are out of view. */
function Gap({ height }: { readonly height: number }) {
  return (
    <tr>
      <td className="border-0! p-0!" style={{ height }} />
    </tr>
  );
}

interface GroupProps {
  readonly row: Extract<GridRow, { kind: 'group' }>;
  readonly index: number;
  readonly span: number;
  readonly onFold: (group: string) => void;
}

/** The head of nested fields; folded, it stands for them. */
function GroupRow({ row, index, span, onFold }: GroupProps) {
  return (
    <tr aria-rowindex={index + 2} className="bg-paper">
      <td className="p-0!">
        <button
          type="button"
          aria-expanded={!row.isFolded}
          onClick={() => onFold(row.name)}
          className="flex h-[29px] w-full items-center gap-1.5 px-2 text-left font-medium text-ink-2"
        >
          {row.isFolded ? <ChevronRight size={14} /> : <ChevronDown size={14} />}
          {row.label}
        </button>
      </td>
      <td colSpan={span + 1} className="text-sm text-ink-2">
        {row.filled} of {row.count} filled
      </td>
    </tr>
  );
}

/** What was copied from a row, to be pasted into others; it stays while the page is open. */
const clipboard: { filling?: Filling } = {};

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
  readonly around: EvaluationContext;
  readonly remarks: number;
  readonly note: string | undefined;
  readonly onChoose: (path: string) => void;
  readonly onMove: (from: string, by: number) => void;
  readonly onPut: (path: string, filling: Filling | undefined) => void;
  readonly onSearch: (field: Field, element: HTMLElement) => void;
  /** True for the row that the Tab key comes to. */
  readonly isEntry: boolean;
  readonly fillingAbove: (path: string) => Filling | undefined;
  readonly isOpen: boolean;
}

const Row = memo(function Row(props: RowProps) {
  const {
    index,
    field,
    filling,
    reason,
    isKey,
    isChosen,
    isEntry,
    troubled,
    columns,
    scopes,
    around,
    remarks,
    note,
    onChoose,
    isOpen,
  } = props;
  const isTall = isLetter(props);
  const isNumber = field.type === 'decimal' || field.type === 'integer' || field.type === 'money';
  return (
    <tr
      data-drop={field.path}
      className={`[.dragging_&]:hover:bg-pine-tint ${isChosen ? 'bg-pine-faint' : ''}`}
      aria-rowindex={index + 2}
    >
      <th
        scope="row"
        tabIndex={-1}
        data-hint={`${standardLabel(field)}, ${typeLabel(field)}${field.required ? ', required' : ''}`}
        className={`sticky left-0 z-[5] truncate ${isTall ? 'align-top pt-2!' : ''} ${isChosen ? 'bg-pine-faint! shadow-[inset_3px_0_0_var(--pine)]' : ''}`}
      >
        {field.label}
        {field.required && (
          <span className="text-brick">
            *<span className="sr-only"> required</span>
          </span>
        )}
        {isKey && <span className="ml-1.5 rounded-sm bg-pine-tint px-1 text-xs text-pine">matched by</span>}{' '}
        <span className="ml-1 text-sm font-normal text-ink-3">{typeLabel(field)}</span>
      </th>
      <td className="p-0!">
        <button
          type="button"
          data-row={field.path}
          // One stop for the Tab key; the arrow keys go from row to row and into the cells.
          tabIndex={isEntry ? 0 : -1}
          aria-pressed={isChosen}
          data-hint={reason && `Suggested: ${reason}`}
          onClick={() => onChoose(field.path)}
          onKeyDown={(event) => onRowKey(event, props)}
          style={isTall ? { height: letterHeight - 1 } : undefined}
          className={`flex w-full gap-1.5 px-2.5 text-left ${isTall ? 'items-start overflow-y-auto py-1.5 font-serif' : 'h-[29px] items-center truncate'}`}
        >
          <span className="sr-only">Fill {field.label}: </span>
          <span className={isTall ? 'min-w-0 whitespace-pre-wrap' : 'truncate'}>
            <FillingLabel filling={filling} field={field} />
          </span>
          {reason && <span className="shrink-0 text-xs text-brass italic">suggested</span>}
          {troubled !== undefined && troubled > 0 && (
            <span className="ml-auto shrink-0 rounded-sm bg-brick-tint px-1 text-xs text-brick">
              {troubled}
              <span className="sr-only"> samples have a problem</span>
            </span>
          )}
          {note && (
            <span className="shrink-0 truncate font-serif text-sm text-ink-2 italic" data-hint={note}>
              {note}
            </span>
          )}
          {remarks > 0 && (
            <span className={`shrink-0 rounded-sm bg-brass-tint px-1 text-xs text-brass ${troubled ? '' : 'ml-auto'}`}>
              {remarks}
              <span className="sr-only"> to look at</span>
            </span>
          )}
        </button>
      </td>
      {columns.map((column) => (
        <ValueCell
          key={column.id}
          cell={mapField(field, filling, scopes?.get(column.id) ?? { start: column.record }, around)}
          isNumber={isNumber}
          isLetter={isTall}
          isOpen={isOpen}
        />
      ))}
    </tr>
  );
});

/** Keys on a row: into its editor, clear, copy, paste, fill like the row above, and on to the next. */
function onRowKey(event: KeyboardEvent, props: RowProps): void {
  const { field, filling, onChoose, onMove, onPut, onSearch, fillingAbove } = props;
  const held = event.ctrlKey || event.metaKey ? `ctrl+${event.key.toLowerCase()}` : event.key;
  const fit = (given: Filling | undefined): void => {
    if (given && (given.kind !== 'lines' || field.fields)) onPut(field.path, given);
  };
  const actions: Readonly<Record<string, () => void>> = {
    Enter: () => {
      onChoose(field.path);
      // What is empty is searched for where it stands; what is filled is changed below.
      if (filling || field.fields) enterEditor();
      else onSearch(field, event.currentTarget as HTMLElement);
    },
    ArrowRight: () => nextCell(event.currentTarget.closest('td'), 1)?.focus(),
    ArrowLeft: () => nextCell(event.currentTarget.closest('td'), -1)?.focus(),
    Delete: () => filling && onPut(field.path, undefined),
    ArrowDown: () => onMove(field.path, 1),
    ArrowUp: () => onMove(field.path, -1),
    'ctrl+c': () => {
      if (filling) clipboard.filling = filling;
    },
    'ctrl+v': () => fit(clipboard.filling),
    'ctrl+d': () => fit(fillingAbove(field.path)),
  };
  const action = actions[held];
  if (!action) return;
  event.preventDefault();
  action();
}

/** Whether the record is recognised by this field: the key, or a way of the ladder. */
export function recognises(step: PlacedStep, path: string): boolean {
  if (step.ladder) return step.ladder.rungs.some((rung) => rung.kind === 'exact' && rung.fields.includes(path));
  return step.kind === 'write' && step.key === path;
}

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

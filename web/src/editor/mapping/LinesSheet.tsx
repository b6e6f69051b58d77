import {
  aroundLines,
  bindFormula,
  type EvaluationContext,
  type Field,
  type Filling,
  type LinesFilling,
  type MappedLine,
  mapField,
  mapLines,
  nameOfRef,
  standardLabel,
  sumOf,
  type Value,
  type WriteStep,
} from '@golden/core';
import { ArrowLeft } from 'lucide-react';
import { useMemo, useState } from 'react';
import { Button } from '../../parts/Button.tsx';
import { counted } from '../../parts/formats.ts';
import { useShortcuts } from '../../parts/shortcuts.ts';
import { useEditor } from '../draft/context.tsx';
import { withFieldNote, withFilling, withReading } from '../draft/edits.ts';
import { SheetHead } from '../draft/SheetHead.tsx';
import { SheetSplit } from '../draft/SheetSplit.tsx';
import { useNames } from '../draft/use-names.ts';
import { type FilledScope, FillingEditor } from '../filling/FillingEditor.tsx';
import { FillingLabel } from '../filling/FillingLabel.tsx';
import { FormulaFilling } from '../formula/FormulaFilling.tsx';
import type { SheetColumn } from '../samples/on-sheet.ts';
import type { SampleOnSheet } from '../samples/sample-run.ts';
import { CellDetail, type OpenCell } from './CellDetail.tsx';
import { onCellKey, openCell } from './cell-keys.ts';
import { SheetColumns } from './SheetColumns.tsx';
import { useOpenLookups } from './use-open-lookups.ts';
import { ValueCell } from './ValueCell.tsx';

interface LinesProps {
  readonly step: WriteStep;
  /** The destination's list. */
  readonly list: Field;
  readonly filling: LinesFilling;
  readonly columns: readonly SheetColumn[];
  readonly runs: readonly SampleOnSheet[];
  readonly around: EvaluationContext;
  readonly onClose: () => void;
}

/** Blocks drawn; an order with more lines says how many more there are. */
const mostBlocks = 12;
const noRemarks = [] as const;
const blockNumbers = (count: number): number[] => Array.from({ length: count }, (_, block) => block);

/** The sheet of the lines: a block of rows for each line, a column for each sample, totals below. */
export function LinesSheet({ step, list, filling, columns, runs, around, onClose }: LinesProps) {
  const { draft } = useEditor();
  const isOpen = useOpenLookups();
  const fields = useMemo(() => (list.fields ?? []).filter((field) => !field.readOnly), [list]);
  const [chosen, setChosen] = useState(fields[0]?.path);
  const [open, setOpen] = useState<OpenCell>();
  const names = useNames(step.id, filling.ref);
  const field = fields.find((one) => one.path === chosen);
  const lines = useMemo(
    () =>
      columns.map((column): readonly MappedLine[] => {
        const mapped = mapLines(list, filling, scopeOf(runs, column), around);
        return mapped.ok ? mapped.lines : [];
      }),
    [columns, list, filling, runs, around],
  );
  const scopes = useMemo(
    () =>
      columns.flatMap((column, at) => {
        const inner = aroundLines(filling, scopeOf(runs, column), around);
        return (lines[at] ?? []).map(
          (line): FilledScope => ({ scope: line.scope, around: { ...inner, lineNumber: line.number } }),
        );
      }),
    [columns, lines, filling, runs, around],
  );
  const samples = useMemo(() => lineSamples(runs, scopes), [runs, scopes]);
  const change = (next: LinesFilling): void => draft.change(withFilling(step.id, list.path, next));
  const put = (path: string, inner: Filling | undefined): void => {
    const { [path]: _old, ...others } = filling.mapping;
    change({ ...filling, mapping: inner ? { ...others, [path]: inner } : others });
  };
  useShortcuts({ escape: onClose });
  const count = Math.max(0, ...lines.map((one) => one.length));
  return (
    <>
      <SheetHead title={`Lines of ${list.label}`}>
        <Button icon={<ArrowLeft size={15} strokeWidth={1.75} />} onClick={onClose}>
          Back to the record
        </Button>
        <span className="text-ink-2">
          one for each of <span className="underlined">{nameOfRef(draft.content, filling.ref)}</span>
        </span>
        <Keep filling={filling} names={names} onChange={change} />
      </SheetHead>
      <SheetSplit
        editor={
          field && (
            <FillingEditor
              key={field.path}
              field={field}
              filling={filling.mapping[field.path]}
              put={(inner) => put(field.path, inner)}
              names={names}
              scopes={scopes}
              samples={samples}
              around={around}
              remarks={noRemarks}
              onFix={(ref, reading) => draft.change(withReading(ref.path, reading))}
              note={step.notes?.[`${list.path}/*${field.path}`] ?? ''}
              onNote={(note) => draft.change(withFieldNote(step.id, `${list.path}/*${field.path}`, note))}
            />
          )
        }
      >
        {/* A wide sheet scrolls sideways; the keyboard reaches it too. */}
        {/* biome-ignore lint/a11y/noNoninteractiveTabindex: see above */}
        <section className="min-h-0 flex-1 overflow-auto" tabIndex={0} aria-label="Sheet of the lines">
          <table
            // Gone through by arrow keys, cell by cell (ARIA Authoring Practices, grid).
            // biome-ignore lint/a11y/noNoninteractiveElementToInteractiveRole: see above
            role="grid"
            aria-label="Fields of a line and what each sample gives"
            className="sheet dense table-fixed"
            onKeyDown={(event) => onCellKey(event, setOpen)}
            onClick={(event) => openCell(event.target as HTMLElement, setOpen)}
          >
            <SheetColumns columns={columns} />
            <thead className="sticky top-0 z-10">
              <tr>
                <th scope="col">Field of a line</th>
                <th scope="col">Filled with</th>
                {columns.map((column, at) => (
                  <th key={column.id} scope="col" tabIndex={-1} className="truncate" data-hint={column.title}>
                    <span className="block truncate text-ink-1">{column.title}</span>
                    <span className="block text-xs font-normal text-brass">
                      {counted(lines[at]?.length ?? 0, 'line')}
                    </span>
                  </th>
                ))}
              </tr>
            </thead>
            {blockNumbers(Math.max(1, Math.min(count, mostBlocks))).map((block) => (
              <tbody key={block} aria-label={`Line ${block + 1}`}>
                <tr className="bg-paper">
                  <th scope="rowgroup" colSpan={columns.length + 2} className="h-[26px]! py-0! text-left">
                    Line {block + 1}
                  </th>
                </tr>
                {fields.map((one) => (
                  <LineRow
                    key={one.path}
                    field={one}
                    filling={filling.mapping[one.path]}
                    isFirst={block === 0}
                    isChosen={one.path === chosen}
                    lines={lines.map((all) => all[block])}
                    listFilling={filling}
                    scopes={columns.map((column) => scopeOf(runs, column))}
                    around={around}
                    onChoose={() => setChosen(one.path)}
                    isOpen={isOpen(filling.mapping[one.path])}
                  />
                ))}
              </tbody>
            ))}
            <Totals fields={fields} filling={filling} lines={lines} />
          </table>
          {count > mostBlocks && (
            <p className="px-5 py-3 text-ink-2">
              And {count - mostBlocks} more lines, filled alike; the totals count them.
            </p>
          )}
        </section>
      </SheetSplit>
      {open && <CellDetail open={open} onClose={() => setOpen(undefined)} onChoose={setChosen} />}
    </>
  );
}

const scopeOf = (runs: readonly SampleOnSheet[], column: SheetColumn) =>
  runs.find((run) => run.id === column.id)?.scope ?? { start: column.record };

/** Lines as samples of their own, so that the list of fields can show examples of theirs. */
function lineSamples(runs: readonly SampleOnSheet[], scopes: readonly FilledScope[]): readonly SampleOnSheet[] {
  const [first] = runs;
  return first ? scopes.slice(0, 60).map((one, at) => ({ ...first, id: `line ${at}`, scope: one.scope })) : [];
}

interface RowProps {
  readonly field: Field;
  readonly filling: Filling | undefined;
  readonly isFirst: boolean;
  readonly isChosen: boolean;
  readonly lines: readonly (MappedLine | undefined)[];
  readonly listFilling: LinesFilling;
  readonly scopes: readonly MappedLine['scope'][];
  readonly around: EvaluationContext;
  readonly onChoose: () => void;
  readonly isOpen: boolean;
}

/** One field of one line over the samples; the first block is where it is filled, the others follow. */
function LineRow(props: RowProps) {
  const { field, filling, isFirst, isChosen, lines, listFilling, scopes, around, onChoose, isOpen } = props;
  const isNumber = field.type === 'decimal' || field.type === 'integer' || field.type === 'money';
  return (
    <tr data-drop={field.path} className={isChosen ? 'bg-pine-faint' : ''}>
      <th
        scope="row"
        tabIndex={-1}
        data-hint={standardLabel(field)}
        className={`truncate ${isChosen ? 'bg-pine-faint! shadow-[inset_3px_0_0_var(--pine)]' : ''}`}
      >
        {field.label}
        {field.required && (
          <span className="text-brick">
            *<span className="sr-only"> required</span>
          </span>
        )}
      </th>
      <td className="p-0!">
        {isFirst ? (
          <button
            type="button"
            data-row={field.path}
            aria-pressed={isChosen}
            onClick={onChoose}
            className="flex h-[29px] w-full items-center truncate px-2.5 text-left"
          >
            <span className="sr-only">Fill {field.label}: </span>
            <span className="truncate">
              <FillingLabel filling={filling} field={field} />
            </span>
          </button>
        ) : (
          <span className="px-2.5 text-sm text-ink-3">as line 1</span>
        )}
      </td>
      {lines.map((line, at) => {
        const key = `${field.path} ${at}`;
        if (!line) return <td key={key} className="text-ink-3" />;
        const inner = aroundLines(listFilling, scopes[at] ?? {}, around);
        const cell = mapField(field, filling, line.scope, { ...inner, lineNumber: line.number });
        return <ValueCell key={key} cell={cell} isNumber={isNumber} isOpen={isOpen} />;
      })}
    </tr>
  );
}

interface TotalsProps {
  readonly fields: readonly Field[];
  readonly filling: LinesFilling;
  readonly lines: readonly (readonly MappedLine[])[];
}

/** Sums over the lines of each sample, of the fields that can be added up. */
function Totals({ fields, filling, lines }: TotalsProps) {
  const added = fields.filter(
    (field) =>
      filling.mapping[field.path] &&
      (field.type === 'money' || field.type === 'integer' || /quantity/i.test(field.path)),
  );
  if (added.length === 0) return null;
  return (
    <tbody aria-label="Totals">
      <tr className="bg-paper">
        <th scope="rowgroup" colSpan={lines.length + 2} className="h-[26px]! py-0! text-left">
          All lines together
        </th>
      </tr>
      {added.map((field) => (
        <tr key={field.path}>
          <td>{field.label}</td>
          <td className="text-sm text-ink-2">sum</td>
          {lines.map((all, at) => (
            // biome-ignore lint/suspicious/noArrayIndexKey: columns keep their order
            <td key={at} className="text-right font-medium">
              {all.length > 0 && sumOf(all.map((line): Value => line.values[field.path] ?? null))}
            </td>
          ))}
        </tr>
      ))}
    </tbody>
  );
}

interface KeepProps {
  readonly filling: LinesFilling;
  readonly names: Parameters<typeof bindFormula>[1];
  readonly onChange: (filling: LinesFilling) => void;
}

/** Which of the lines are taken: all, or those for which a formula holds. */
function Keep({ filling, names, onChange }: KeepProps) {
  const { keep, ...rest } = filling;
  return (
    <div className="ml-auto flex min-w-[260px] items-center gap-2">
      <label className="flex items-center gap-1.5">
        <input
          type="checkbox"
          checked={keep !== undefined}
          onChange={(event) => onChange(event.target.checked ? { ...rest, keep: bindFormula('', names) } : rest)}
          className="accent-pine"
        />
        only some lines
      </label>
      {keep && (
        <div className="w-[320px]">
          <FormulaFilling
            formula={keep}
            names={names}
            label="Which lines are kept"
            onChange={(formula) => onChange({ ...filling, keep: formula })}
          />
        </div>
      )}
    </div>
  );
}

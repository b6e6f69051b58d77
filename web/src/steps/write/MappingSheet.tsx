import {
  type EvaluationContext,
  type Field,
  fieldAt,
  firstScopeOf,
  type JsonRecord,
  mapField,
  nest,
  type Place,
  type RowRemark,
  type WriteStep,
} from '@golden/core';
import { useCallback, useMemo, useState } from 'react';
import { EditionNote } from '../../editor/document/EditionNote.tsx';
import { useEditor } from '../../editor/draft/context.tsx';
import { DriftNote } from '../../editor/draft/DriftNote.tsx';
import { withAccepted, withTarget } from '../../editor/draft/edits.ts';
import { SheetSplit } from '../../editor/draft/SheetSplit.tsx';
import { useEvaluationContext } from '../../editor/draft/use-evaluation-context.ts';
import { DragOnto } from '../../editor/mapping/DragOnto.tsx';
import { HowItIsWritten } from '../../editor/mapping/HowItIsWritten.tsx';
import { LinesSheet } from '../../editor/mapping/LinesSheet.tsx';
import { MappingTableDrawer } from '../../editor/mapping/MappingTableDrawer.tsx';
import { PayloadDrawer } from '../../editor/mapping/PayloadDrawer.tsx';
import { SheetGrid } from '../../editor/mapping/SheetGrid.tsx';
import { UnusedFields } from '../../editor/mapping/UnusedFields.tsx';
import { useOpenSuggestions } from '../../editor/mapping/use-open-suggestions.ts';
import { useSheetRows } from '../../editor/mapping/use-sheet-rows.ts';
import { ChoosePlace, PlaceTitle } from '../../editor/place/ChoosePlace.tsx';
import { useColumns } from '../../editor/samples/on-sheet.ts';
import { SampleDrawer } from '../../editor/samples/SampleDrawer.tsx';
import type { SampleOnSheet } from '../../editor/samples/sample-run.ts';
import { type Command, useOffer } from '../../parts/commands.ts';
import { inputLook } from '../../parts/Field.tsx';
import { useShortcuts } from '../../parts/shortcuts.ts';
import { ChosenField } from './ChosenField.tsx';
import { MappingHead, type SheetDrawer } from './MappingHead.tsx';

interface SheetProps {
  readonly step: WriteStep;
  readonly samples: readonly SampleOnSheet[];
}

/** The mapping sheet: a row a destination field, a column a sample, every value as it would be sent. */
export function MappingSheet({ step, samples: all }: SheetProps) {
  const { draft, connections } = useEditor();
  const samples = useInTurn(step, all);
  const [isChoosing, setChoosing] = useState(step.target === null);
  const { target } = step;
  const name = connections.find((one) => one.id === target?.connection)?.name ?? 'a connection that is gone';
  if (!target || isChoosing) {
    return (
      <ChoosePlace
        title="Where it is written"
        target={target}
        name={name}
        empty={{
          title: 'Choose where the records go.',
          text: 'A file and its tab, or a table of an app. Its fields then appear here as rows.',
        }}
        onKeep={() => setChoosing(false)}
        onChoose={(place) => {
          draft.change(withTarget(step.id, place));
          setChoosing(false);
        }}
      />
    );
  }
  return (
    <Sheet
      step={step}
      target={target}
      samples={samples}
      title={<PlaceTitle target={target} name={name} />}
      onChange={() => setChoosing(true)}
    />
  );
}

/** Within a "for each" the sheet shows each sample's first item. */
function useInTurn(step: WriteStep, samples: readonly SampleOnSheet[]): readonly SampleOnSheet[] {
  const { content } = useEditor().draft;
  const { within, id } = step;
  // biome-ignore lint/correctness/useExhaustiveDependencies: the samples change with the content
  return useMemo(
    () =>
      within === undefined ? samples : samples.map((one) => ({ ...one, scope: firstScopeOf(content, one.scope, id) })),
    [samples, within, id],
  );
}

interface GridProps extends SheetProps {
  readonly target: Place;
  readonly title: React.ReactNode;
  readonly onChange: () => void;
}

function Sheet({ step, target, samples, title, onChange }: GridProps) {
  const { draft, version } = useEditor();
  const fields = useMemo(() => target.described.fields.filter((field) => !field.readOnly), [target]);
  const [chosen, setChosen] = useState<string | undefined>(fields[0]?.path);
  const [openLines, setOpenLines] = useState<string>();
  const [drawer, setDrawer] = useState<'' | SheetDrawer>('');
  const around = useEvaluationContext(version, step.formulaTexts);
  const reaching = useMemo(() => samples.filter((sample) => sample.reached.has(step.id)), [samples, step.id]);
  const sourceFields = draft.content.start.source?.described.fields ?? noFields;
  const columns = useColumns(reaching, sourceFields, step.id);
  const sheet = useSheetRows(step, fields, reaching, around);
  const { rows, problems, remarks, search, setSearch, fold } = sheet;
  const shown = useMemo(() => rows.flatMap((row) => (row.kind === 'field' ? [row.field] : [])), [rows]);
  const open = useOpenSuggestions(step, target, samples);
  const likely = useCallback((path: string) => open.find((one) => one.path === path)?.filling, [open]);
  const field = chosen ? fieldAt(fields, chosen) : undefined;
  const choose = useCallback((path: string | undefined): void => {
    setChosen(path);
    if (path !== undefined) focusRow(path);
  }, []);
  const toProblem = (by: 1 | -1): void => {
    const at = shown.findIndex((one) => one.path === chosen);
    const order = shown.map((_, index) => (at + by * (index + 1) + shown.length * 2) % shown.length);
    const next = order
      .map((index) => shown[index])
      .find((one) => one && (problems.has(one.path) || remarks.has(one.path)));
    if (next) choose(next.path);
  };
  useShortcuts({
    n: () => toProblem(1),
    'shift+n': () => toProblem(-1),
    y: () => chosen && draft.change(withAccepted(step.id, chosen)),
    '/': () => document.querySelector<HTMLElement>('[data-sheet-search]')?.focus(),
  });
  useCommands(step, target, fields, choose, setDrawer);
  const linesOf = openLines ? fieldAt(fields, openLines) : undefined;
  const lines = openLines ? step.mapping[openLines] : undefined;
  if (linesOf && lines?.kind === 'lines')
    return (
      <LinesSheet
        step={step}
        list={linesOf}
        filling={lines}
        columns={columns}
        runs={samples}
        around={around}
        onClose={() => {
          setOpenLines(undefined);
          focusRow(linesOf.path);
        }}
      />
    );
  return (
    <DragOnto step={step}>
      <MappingHead
        step={step}
        target={target}
        title={title}
        columnNames={sourceFields.map((one) => one.label)}
        fieldCount={fields.length}
        rows={sheet}
        open={open}
        recordOf={() => asWritten(step, fields, reaching[0], around)}
        onChange={onChange}
        onDrawer={setDrawer}
      />
      <EditionNote step={step} target={target} />
      <DriftNote sentence={step.id} />
      <HowItIsWritten step={step} target={target} samples={reaching}>
        <input
          type="search"
          data-sheet-search
          aria-label="Search the sheet"
          placeholder="Search"
          value={search}
          onChange={(event) => setSearch(event.target.value)}
          className={`${inputLook} w-[104px]`}
        />
      </HowItIsWritten>
      <SheetSplit
        isLetter={field?.isLong === true}
        editor={
          field && (
            <ChosenField
              key={field.path}
              step={step}
              target={target}
              field={field}
              samples={samples}
              reaching={reaching}
              around={around}
              remarks={remarks.get(field.path) ?? noRemarks}
              open={open}
              onOpenLines={() => setOpenLines(field.path)}
            />
          )
        }
      >
        <SheetGrid
          step={step}
          runs={samples}
          rows={rows}
          around={around}
          columns={columns}
          chosen={chosen}
          problems={problems}
          remarks={remarks}
          onChoose={setChosen}
          onFold={fold}
          likely={likely}
        >
          {rows.length === 0 && <p className="px-5 py-4 text-ink-2">No fields match.</p>}
          {samples.length === 0 && (
            <p className="px-5 py-4 text-ink-2">Samples appear here as columns once the start has a source.</p>
          )}
          {!step.target?.described.sentTo && <UnusedFields step={step} search={search} />}
        </SheetGrid>
      </SheetSplit>
      <SampleDrawer isOpen={drawer === 'samples'} onClose={() => setDrawer('')} />
      <PayloadDrawer step={step} samples={reaching} isOpen={drawer === 'payload'} onClose={() => setDrawer('')} />
      <MappingTableDrawer step={step} isOpen={drawer === 'table'} onClose={() => setDrawer('')} />
    </DragOnto>
  );
}

/** The sheet's fields and drawers, from the palette. */
function useCommands(
  step: WriteStep,
  target: Place,
  fields: readonly Field[],
  choose: (path: string) => void,
  setDrawer: (drawer: SheetDrawer) => void,
): void {
  const commands = useMemo(
    (): Command[] => [
      ...fields.map((one) => ({
        id: `field-${step.id}-${one.path}`,
        group: 'Find' as const,
        text: one.label,
        hint: `field of ${target.labels.at(-1) ?? ''}`,
        run: () => choose(one.path),
      })),
      {
        id: `payload-${step.id}`,
        group: 'Do' as const,
        text: 'See what will be sent',
        run: () => setDrawer('payload'),
      },
      {
        id: `table-${step.id}`,
        group: 'Do' as const,
        text: 'Show the mapping as a table',
        run: () => setDrawer('table'),
      },
    ],
    [fields, step.id, target, choose, setDrawer],
  );
  useOffer('sheet', commands);
}

const noRemarks: readonly RowRemark[] = [];

const noFields: readonly Field[] = [];

function focusRow(path: string): void {
  requestAnimationFrame(() => document.querySelector<HTMLElement>(`[data-row="${CSS.escape(path)}"]`)?.focus());
}

/** What would be written of a sample: the fields that have a value. */
function asWritten(
  step: WriteStep,
  fields: readonly Field[],
  sample: SampleOnSheet | undefined,
  around: EvaluationContext,
): JsonRecord | undefined {
  if (!sample) return undefined;
  const filled = fields.flatMap((field) => {
    const cell = mapField(field, step.mapping[field.path], sample.scope, around);
    if (cell.state === 'filled') return [[field.path, cell.value] as const];
    return cell.state === 'empty' ? [[field.path, ''] as const] : [];
  });
  return nest(Object.fromEntries(filled));
}

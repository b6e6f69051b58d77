import {
  checkReadiness,
  type Field,
  type Filling,
  fieldAt,
  fillingText,
  firstScopeOf,
  type Place,
  type RowRemark,
  type Suggestion,
  startId,
  suggestMapping,
  suggestSources,
  type WriteStep,
} from '@golden/core';
import { CircleAlert, ListChecks, Sparkle } from 'lucide-react';
import { useCallback, useEffect, useMemo, useState } from 'react';
import { usePlace } from '../../api/queries.ts';
import { useEditor } from '../../editor/draft/context.tsx';
import { DriftNote } from '../../editor/draft/DriftNote.tsx';
import {
  withAccepted,
  withFieldNote,
  withFilling,
  withPlaceBy,
  withReading,
  withSuggestions,
  withTarget,
} from '../../editor/draft/edits.ts';
import { SheetHead } from '../../editor/draft/SheetHead.tsx';
import { useAround } from '../../editor/draft/use-around.ts';
import { useNames } from '../../editor/draft/use-names.ts';
import { useRemarks } from '../../editor/draft/use-remarks.ts';
import { type FilledScope, FillingEditor } from '../../editor/filling/FillingEditor.tsx';
import { useTaken } from '../../editor/lookup/use-taken.ts';
import { DragOnto } from '../../editor/mapping/DragOnto.tsx';
import { HowItIsWritten } from '../../editor/mapping/HowItIsWritten.tsx';
import { IdHint } from '../../editor/mapping/IdHint.tsx';
import { LinesSheet } from '../../editor/mapping/LinesSheet.tsx';
import { MappingTableDrawer } from '../../editor/mapping/MappingTableDrawer.tsx';
import { PayloadDrawer } from '../../editor/mapping/PayloadDrawer.tsx';
import { PolicyChoice } from '../../editor/mapping/PolicyChoice.tsx';
import { recognises, SheetGrid } from '../../editor/mapping/SheetGrid.tsx';
import { type GridRow, gridRows, matching } from '../../editor/mapping/sheet-rows.ts';
import { UnusedFields } from '../../editor/mapping/UnusedFields.tsx';
import { ChoosePlace, PlaceTitle } from '../../editor/place/ChoosePlace.tsx';
import { PlaceMenu } from '../../editor/place/PlaceMenu.tsx';
import { useColumns } from '../../editor/samples/on-sheet.ts';
import { SampleDrawer } from '../../editor/samples/SampleDrawer.tsx';
import type { SampleOnSheet } from '../../editor/samples/sample-run.ts';
import { Button } from '../../parts/Button.tsx';
import { type Command, useOffer } from '../../parts/commands.ts';
import { inputLook } from '../../parts/Field.tsx';
import { counted } from '../../parts/formats.ts';
import { useShortcuts } from '../../parts/shortcuts.ts';

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
          text: 'A file and its tab, or a table of an app. Its fields then stand here as rows.',
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
  const [isFirst, setProblemsFirst] = useState(false);
  const [search, setSearch] = useState('');
  const [folded, setFolded] = useState<ReadonlySet<string>>(new Set());
  const [openLines, setOpenLines] = useState<string>();
  const [drawer, setDrawer] = useState<'' | 'samples' | 'payload' | 'table'>('');
  const around = useAround(version, step.formulaTexts);
  const reaching = useMemo(() => samples.filter((sample) => sample.reached.has(step.id)), [samples, step.id]);
  const sourceFields = draft.content.start.source?.described.fields ?? noFields;
  const columns = useColumns(reaching, sourceFields, step.id);
  const problems = useProblems(step, fields, reaching);
  const seen = useRemarks(step, fields, reaching, around);
  const taken = useTaken(step, reaching, around);
  const remarks = useMemo(() => withTaken(seen, taken), [seen, taken]);
  const rows = useMemo((): readonly GridRow[] => {
    const words = (field: Field): string => {
      const filling = step.mapping[field.path];
      return filling ? fillingText(draft.content, filling, version.locale) : '';
    };
    const found = matching(fields, search, words);
    const weight = (field: Field): number => troubled(problems, field) * 10 + (remarks.get(field.path)?.length ?? 0);
    if (isFirst)
      return [...found]
        .sort((one, other) => weight(other) - weight(one))
        .map((field) => ({ kind: 'field' as const, field }));
    return gridRows(found, step.mapping, search.trim() === '' ? folded : noGroups);
  }, [fields, search, isFirst, problems, remarks, step.mapping, folded, draft.content, version.locale]);
  const shown = useMemo(() => rows.flatMap((row) => (row.kind === 'field' ? [row.field] : [])), [rows]);
  const open = useOpenSuggestions(step, target, samples);
  const proposed = Object.keys(step.suggested ?? {}).length;
  const field = chosen ? fieldAt(fields, chosen) : undefined;
  const names = useNames(step.id);
  const scopes = useMemo(
    () => reaching.map((sample): FilledScope => ({ scope: sample.scope, around })),
    [reaching, around],
  );
  const choose = useCallback((path: string | undefined): void => {
    setChosen(path);
    if (path !== undefined) focusRow(path);
  }, []);
  const fold = useCallback(
    (group: string): void =>
      setFolded((now) => new Set(now.has(group) ? [...now].filter((one) => one !== group) : [...now, group])),
    [],
  );
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
        text: 'Review the mapping as a table',
        run: () => setDrawer('table'),
      },
    ],
    [fields, step.id, target, choose],
  );
  useOffer('sheet', commands);
  const linesOf = openLines ? fieldAt(fields, openLines) : undefined;
  const lines = openLines ? step.mapping[openLines] : undefined;
  const put = (filling: Filling | undefined): void => {
    if (field) draft.change(withFilling(step.id, field.path, filling));
  };
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
  const count = problems.size;
  return (
    <DragOnto step={step}>
      <SheetHead title={title}>
        <PlaceMenu
          step={step}
          target={target}
          columnNames={sourceFields.map((one) => one.label)}
          onChange={onChange}
          onPayload={() => setDrawer('payload')}
          onTable={() => setDrawer('table')}
          onPlaceBy={() => draft.change(withPlaceBy(step.id))}
        />
        <span className="rounded-sm bg-stone-tint px-2 py-0.5 text-sm text-stone">
          {Object.keys(step.mapping).length} of {fields.length} filled
        </span>
        {(count > 0 || remarks.size > 0) && (
          <button
            type="button"
            aria-pressed={isFirst}
            title="Problems first (N goes to the next one)"
            onClick={() => setProblemsFirst(!isFirst)}
            className={`inline-flex min-h-6 items-center gap-1.5 rounded-sm px-2 text-sm ${problemLook(isFirst, count > 0)}`}
          >
            <CircleAlert size={14} strokeWidth={1.75} aria-hidden="true" />
            {[count > 0 && counted(count, 'problem'), remarks.size > 0 && `${remarks.size} to look at`]
              .filter(Boolean)
              .join(', ')}
            <kbd className="font-mono text-xs">N</kbd>
          </button>
        )}
        <span className="ml-auto flex items-center gap-1">
          {proposed > 0 && (
            <Button onClick={() => draft.change(withAccepted(step.id))}>Accept {proposed} proposed</Button>
          )}
          {open.length > 0 && (
            <Button
              look="quiet"
              icon={<Sparkle size={14} strokeWidth={1.75} />}
              onClick={() => draft.change(withSuggestions(step.id, open))}
            >
              Propose {open.length}
            </Button>
          )}
          <Button icon={<ListChecks size={15} strokeWidth={1.75} />} onClick={() => setDrawer('samples')}>
            Samples
          </Button>
        </span>
      </SheetHead>
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
      >
        {rows.length === 0 && (
          <p className="px-5 py-4 text-ink-2">No field is called that, and none is filled with it.</p>
        )}
        {samples.length === 0 && (
          <p className="px-5 py-4 text-ink-2">Samples stand here as columns as soon as the start has a source.</p>
        )}
        <UnusedFields step={step} search={search} />
      </SheetGrid>
      {field && (
        <FillingEditor
          key={field.path}
          field={field}
          filling={step.mapping[field.path]}
          put={put}
          names={names}
          scopes={scopes}
          samples={reaching}
          around={around}
          remarks={remarks.get(field.path) ?? noRemarks}
          onFix={(ref, reading) => draft.change(withReading(ref.path, reading))}
          suggestion={open.find((one) => one.path === field.path)}
          reason={step.suggested?.[field.path]}
          onAccept={() => draft.change(withAccepted(step.id, field.path))}
          onPropose={() =>
            draft.change(
              withSuggestions(
                step.id,
                open.filter((one) => one.path === field.path),
              ),
            )
          }
          note={step.notes?.[field.path] ?? ''}
          onNote={(note) => draft.change(withFieldNote(step.id, field.path, note))}
          onOpenLines={() => setOpenLines(field.path)}
        >
          <IdHint step={step} target={target} field={field} samples={samples} />
          {step.mode === 'create_or_update' && !recognises(step, field.path) && (
            <PolicyChoice step={step} field={field} singular={target.described.singular} />
          )}
        </FillingEditor>
      )}
      <SampleDrawer isOpen={drawer === 'samples'} onClose={() => setDrawer('')} />
      <PayloadDrawer step={step} samples={reaching} isOpen={drawer === 'payload'} onClose={() => setDrawer('')} />
      <MappingTableDrawer step={step} isOpen={drawer === 'table'} onClose={() => setDrawer('')} />
    </DragOnto>
  );
}

/** What all samples show of each row, with what the app said of numbers that are taken. */
function withTaken(
  seen: ReadonlyMap<string, readonly RowRemark[]>,
  taken: ReadonlyMap<string, RowRemark>,
): ReadonlyMap<string, readonly RowRemark[]> {
  if (taken.size === 0) return seen;
  return new Map([...seen, ...[...taken].map(([path, one]) => [path, [...(seen.get(path) ?? []), one]] as const)]);
}

const noGroups: ReadonlySet<string> = new Set();
const noRemarks: readonly RowRemark[] = [];

function problemLook(isFirst: boolean, isProblem: boolean): string {
  if (isFirst) return isProblem ? 'bg-brick text-paper' : 'bg-brass text-paper';
  return isProblem ? 'bg-brick-tint text-brick' : 'bg-brass-tint text-brass';
}

const noFields: readonly Field[] = [];

function focusRow(path: string): void {
  requestAnimationFrame(() => document.querySelector<HTMLElement>(`[data-row="${CSS.escape(path)}"]`)?.focus());
}

const troubled = (problems: ReadonlyMap<string, number>, field: Field): number =>
  problems.has(field.path) ? 1 + (problems.get(field.path) ?? 0) : 0;

/** The fields with problems: how many of the samples that reach the sentence have one there. */
function useProblems(
  step: WriteStep,
  fields: readonly Field[],
  reaching: readonly SampleOnSheet[],
): ReadonlyMap<string, number> {
  const { draft } = useEditor();
  return useMemo(() => {
    const counts = new Map<string, number>();
    for (const { results } of reaching) {
      const result = results[step.id];
      if (result?.kind !== 'unsettled') continue;
      for (const problem of result.fields) counts.set(problem.path, (counts.get(problem.path) ?? 0) + 1);
    }
    for (const problem of checkReadiness(draft.content)) {
      const isHere = problem.sentence === step.id && problem.severity === 'blocks' && problem.field;
      if (isHere && fieldAt(fields, problem.field ?? '') && !counts.has(problem.field ?? ''))
        counts.set(problem.field ?? '', 0);
    }
    return counts;
  }, [reaching, step.id, fields, draft.content]);
}

/** Samples enough to see what a field holds. */
const mostLookedAt = 60;

/** What could be proposed for fields that nobody has filled. */
function useOpenSuggestions(step: WriteStep, target: Place, samples: readonly SampleOnSheet[]): Suggestion[] {
  const { draft } = useEditor();
  const there = usePlace(target.connection, target.path).data?.first;
  const source = draft.content.start.source?.described.fields;
  const [all, setAll] = useState<readonly Suggestion[]>([]);
  const key = samples.map((one) => one.id).join('\n');
  // After the sheet stands: what could be proposed is never what somebody waits for.
  // biome-ignore lint/correctness/useExhaustiveDependencies: the records change only with their ids
  useEffect(() => {
    if (!source || !there) return undefined;
    const timer = setTimeout(() => {
      const records = samples.slice(0, mostLookedAt).map((one) => one.record);
      setAll(suggestMapping(suggestSources(records, source, startId), target.described.fields, there as never));
    }, 150);
    return () => clearTimeout(timer);
  }, [source, there, target, key]);
  return all.filter((one) => !step.mapping[one.path]);
}

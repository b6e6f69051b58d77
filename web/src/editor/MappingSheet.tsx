import {
  type Cell,
  checkReadiness,
  chooseAwkward,
  type Field,
  fieldAt,
  mapField,
  type Place,
  toText,
  typeLabel,
  type WriteStep,
} from '@golden/core';
import { ChevronDown, ChevronRight, CircleAlert } from 'lucide-react';
import { useMemo, useState } from 'react';
import { usePlace } from '../api/queries.ts';
import { Button } from '../parts/Button.tsx';
import { Select } from '../parts/Field.tsx';
import { formatNumber } from '../parts/formats.ts';
import { EmptyState, ProblemMessage } from '../parts/Messages.tsx';
import { useEditor } from './context.tsx';
import { withStep, withTarget } from './edits.ts';
import { FillingEditor } from './FillingEditor.tsx';
import { FillingLabel } from './FillingLabel.tsx';
import { PlaceChooser } from './PlaceChooser.tsx';
import { SheetHead } from './SheetHead.tsx';
import type { SampleOnSheet } from './sample-run.ts';
import { UnusedFields } from './UnusedFields.tsx';

interface SheetProps {
  readonly step: WriteStep;
  readonly samples: readonly SampleOnSheet[];
}

const onSheet = 6;

/** The mapping sheet: a row a destination field, a column a sample, every value as it would be sent. */
export function MappingSheet({ step, samples }: SheetProps) {
  const { draft, connections } = useEditor();
  const [isChoosing, setChoosing] = useState(step.target === null);
  const { target } = step;
  const name = connections.find((one) => one.id === target?.connection)?.name ?? 'a connection that is gone';
  return (
    <>
      <SheetHead
        title={
          target ? (
            <>
              {target.described.singular === 'row' ? 'Row' : target.described.singular} in {name}
              {target.labels.map((label) => (
                <span key={label} className="font-normal">
                  {' → '}
                  {label}
                </span>
              ))}
            </>
          ) : (
            'Where it is written'
          )
        }
      >
        {target && (
          <Button look="quiet" onClick={() => setChoosing(!isChoosing)}>
            {isChoosing ? 'Keep this place' : 'Change'}
          </Button>
        )}
        {target && <Counts step={step} />}
      </SheetHead>
      {(isChoosing || !target) && (
        <div className="border-b border-line-1 px-5 py-3">
          <PlaceChooser
            purpose="to"
            place={target}
            connections={connections}
            onChoose={(place) => {
              draft.change(withTarget(step.id, place));
              setChoosing(false);
            }}
          />
        </div>
      )}
      {target ? (
        <Sheet step={step} target={target} samples={samples} />
      ) : (
        <div className="p-5">
          <EmptyState title="Choose where the records go.">
            A file and its tab, or a table of an app. Its fields then stand here as rows.
          </EmptyState>
        </div>
      )}
    </>
  );
}

function Counts({ step }: { readonly step: WriteStep }) {
  const { draft } = useEditor();
  const fields = step.target?.described.fields.filter((field) => !field.readOnly) ?? [];
  const problems = checkReadiness(draft.content).filter((one) => one.sentence === step.id && one.severity === 'blocks');
  return (
    <>
      <span className="rounded-sm bg-stone-tint px-2 py-0.5 text-sm text-stone">
        {fields.length} fields · {Object.keys(step.mapping).length} filled
      </span>
      {problems.length > 0 && (
        <span className="inline-flex items-center gap-1.5 rounded-sm bg-brick-tint px-2 py-0.5 text-sm text-brick">
          <CircleAlert size={14} strokeWidth={1.75} aria-hidden="true" />
          {problems.length} not ready
        </span>
      )}
    </>
  );
}

/** How it is written there: append, or create or update by a key; and what stands there already. */
function HowItIsWritten({ step, target }: { readonly step: WriteStep; readonly target: Place }) {
  const { draft } = useEditor();
  const [isOpen, setOpen] = useState(false);
  const there = usePlace(target.connection, target.path);
  const { described } = target;
  const keys = described.fields.filter((field) => !described.findBy || described.findBy.includes(field.path));
  const holds = there.data?.holds;
  const news = there.data?.described;
  const gone = news
    ? described.fields.filter((field) => step.mapping[field.path] && !fieldAt(news.fields, field.path))
    : [];
  return (
    <div className="border-b border-line-1 px-5 py-2.5">
      <div className="flex flex-wrap items-center gap-x-2 gap-y-1.5">
        <Select
          aria-label="How it is written"
          value={step.mode}
          onChange={(event) =>
            draft.change(
              withStep<WriteStep>(step.id, (one) => ({ ...one, mode: event.target.value as WriteStep['mode'] })),
            )
          }
          choices={[
            { value: 'create_or_update', label: 'create or update' },
            { value: 'append', label: `append a ${described.singular} each time` },
          ]}
        />
        {step.mode === 'create_or_update' && (
          <>
            <span className="text-ink-2">the {described.singular} that has the same</span>
            <Select
              aria-label="The field that recognises a record"
              value={step.key ?? ''}
              onChange={(event) =>
                draft.change(withStep<WriteStep>(step.id, (one) => ({ ...one, key: event.target.value || undefined })))
              }
              choices={[
                { value: '', label: 'choose a field' },
                ...keys.map((field) => ({ value: field.path, label: field.label })),
              ]}
            />
          </>
        )}
        <Button
          look="quiet"
          className="ml-auto"
          aria-expanded={isOpen}
          icon={isOpen ? <ChevronDown size={14} /> : <ChevronRight size={14} />}
          onClick={() => setOpen(!isOpen)}
        >
          {holds === null || holds === undefined ? 'What is there' : `Holds ${formatNumber(holds)}`}
        </Button>
      </div>
      {there.error && <ProblemMessage>{there.error.message}</ProblemMessage>}
      {gone.length > 0 && news && (
        <div className="mt-2">
          <ProblemMessage
            action={
              <Button
                onClick={() =>
                  draft.change(
                    withStep<WriteStep>(step.id, (one) => ({ ...one, target: { ...target, described: news } })),
                  )
                }
              >
                Take the fields as they are now
              </Button>
            }
          >
            {gone.map((field) => `“${field.label}”`).join(', ')} {gone.length === 1 ? 'isn’t' : 'aren’t'} there any
            more. Nothing is written until it is mapped again.
          </ProblemMessage>
        </div>
      )}
      {isOpen && <FirstRows fields={described.fields} rows={there.data?.first ?? []} />}
    </div>
  );
}

function FirstRows({
  fields,
  rows,
}: {
  readonly fields: readonly Field[];
  readonly rows: readonly Record<string, unknown>[];
}) {
  if (rows.length === 0) return <p className="mt-2 text-ink-2">It is empty.</p>;
  return (
    <div className="mt-2 overflow-x-auto">
      <table className="sheet border border-line-1">
        <thead>
          <tr>
            {fields.map((field) => (
              <th key={field.path} scope="col">
                {field.label}
              </th>
            ))}
          </tr>
        </thead>
        <tbody>
          {rows.map((row, at) => (
            // Rows of a preview are told apart by their place only.
            // biome-ignore lint/suspicious/noArrayIndexKey: see above
            <tr key={at}>
              {fields.map((field) => (
                <td key={field.path} className="max-w-[200px] truncate">
                  {toText(row[field.label] as never)}
                </td>
              ))}
            </tr>
          ))}
        </tbody>
      </table>
    </div>
  );
}

interface GridProps {
  readonly step: WriteStep;
  readonly target: Place;
  readonly samples: readonly SampleOnSheet[];
}

function Sheet({ step, target, samples }: GridProps) {
  const { draft, version, sourceKey } = useEditor();
  const fields = target.described.fields.filter((field) => !field.readOnly);
  const [chosen, setChosen] = useState<string | undefined>(fields[0]?.path);
  const reaching = useMemo(() => samples.filter((sample) => sample.reached.has(step.id)), [samples, step.id]);
  const sourceFields = draft.content.start.source?.described.fields;
  // Which samples stand on the sheet follows the source, not every keystroke.
  const reachingIds = reaching.map((one) => one.id).join();
  // biome-ignore lint/correctness/useExhaustiveDependencies: the records change only with these
  const shown = useMemo(
    () => chooseAwkward(reaching, (sample) => sample.record, sourceFields ?? [], onSheet),
    [sourceKey, reachingIds],
  );
  const field = chosen ? fieldAt(fields, chosen) : undefined;
  const move = (by: number): void => {
    const at = fields.findIndex((one) => one.path === chosen);
    const next = fields[Math.min(fields.length - 1, Math.max(0, at + by))];
    setChosen(next?.path);
    document.querySelector<HTMLElement>(`[data-row="${CSS.escape(next?.path ?? '')}"]`)?.focus();
  };
  return (
    <>
      <HowItIsWritten step={step} target={target} />
      {/* A wide sheet scrolls sideways; the keyboard reaches it too. */}
      {/* biome-ignore lint/a11y/noNoninteractiveTabindex: see above */}
      <section className="min-h-0 flex-1 overflow-auto" tabIndex={0} aria-label="Mapping sheet">
        <table className="sheet table-fixed">
          <colgroup>
            <col className="w-[172px]" />
            <col className="w-[232px]" />
            {shown.map(({ sample }) => (
              <col key={sample.id} className="w-[138px]" />
            ))}
          </colgroup>
          <thead className="sticky top-0 z-10">
            <tr>
              <th scope="col">Field there</th>
              <th scope="col">Filled with</th>
              {shown.map(({ sample, why }) => (
                <th key={sample.id} scope="col" className="truncate" title={`${sample.title}: ${why}`}>
                  <span className="block truncate text-ink-1">{sample.title}</span>
                  <span className="block truncate text-xs font-normal text-brass">{why}</span>
                </th>
              ))}
            </tr>
          </thead>
          <tbody>
            {fields.map((one) => {
              const filling = step.mapping[one.path];
              const isChosen = one.path === chosen;
              return (
                <tr key={one.path} className={isChosen ? 'bg-pine-faint' : ''}>
                  <td className={`truncate ${isChosen ? 'shadow-[inset_3px_0_0_var(--pine)]' : ''}`}>
                    {one.label}
                    {one.required && (
                      <span className="text-brick" title="required">
                        *<span className="sr-only"> required</span>
                      </span>
                    )}
                    {step.key === one.path && (
                      <span className="ml-1.5 rounded-sm bg-pine-tint px-1 text-xs text-pine">key</span>
                    )}
                    <span className="ml-1.5 text-sm text-ink-3">{typeLabel(one)}</span>
                  </td>
                  <td className="p-0!">
                    <button
                      type="button"
                      data-row={one.path}
                      aria-pressed={isChosen}
                      onClick={() => setChosen(one.path)}
                      onKeyDown={(event) => {
                        if (event.key !== 'ArrowDown' && event.key !== 'ArrowUp') return;
                        event.preventDefault();
                        move(event.key === 'ArrowDown' ? 1 : -1);
                      }}
                      className="block h-[31px] w-full truncate px-2.5 text-left"
                    >
                      <span className="sr-only">Fill {one.label}: </span>
                      <FillingLabel filling={filling} />
                    </button>
                  </td>
                  {shown.map(({ sample }) => (
                    <ValueCell
                      key={sample.id}
                      cell={mapField(one, filling, { start: sample.record }, version.locale)}
                      isNumber={one.type === 'decimal' || one.type === 'integer'}
                    />
                  ))}
                </tr>
              );
            })}
          </tbody>
        </table>
        {samples.length === 0 && (
          <p className="px-5 py-4 text-ink-2">Samples stand here as columns as soon as the start has a source.</p>
        )}
        <UnusedFields step={step} />
      </section>
      {field && <FillingEditor key={field.path} step={step} field={field} samples={reaching} />}
    </>
  );
}

/** What one field gets from one sample; a problem stands in its cell. */
function ValueCell({ cell, isNumber }: { readonly cell: Cell; readonly isNumber: boolean }) {
  switch (cell.state) {
    case 'filled':
      return (
        <td
          className={`truncate ${isNumber ? 'text-right' : ''} ${cell.note ? 'bg-brass-tint' : ''}`}
          title={[toText(cell.value), cell.note].filter(Boolean).join(' · ')}
        >
          {toText(cell.value)}
        </td>
      );
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
        <td className="truncate bg-brick-tint text-brick" title={cell.message}>
          <CircleAlert size={13} strokeWidth={1.75} className="mr-1 inline" aria-hidden="true" />
          {cell.message}
        </td>
      );
  }
}

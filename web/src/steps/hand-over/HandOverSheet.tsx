import {
  aroundWorkflow,
  type Field,
  fieldAt,
  firstScopeOf,
  type HandOverStep,
  itemsOf,
  type Place,
  type RowRemark,
  type Suggestion,
  startId,
  suggestMapping,
  suggestSources,
  type WriteStep,
} from '@golden/core';
import { Forward, Sparkle } from 'lucide-react';
import { useEffect, useMemo, useState } from 'react';
import { Link } from 'react-router';
import { useWorkflows } from '../../api/queries.ts';
import { useEditor } from '../../editor/draft/context.tsx';
import { DriftNote } from '../../editor/draft/DriftNote.tsx';
import { withAccepted, withStep, withSuggestions } from '../../editor/draft/edits.ts';
import { SheetHead } from '../../editor/draft/SheetHead.tsx';
import { SheetSplit } from '../../editor/draft/SheetSplit.tsx';
import { useEvaluationContext } from '../../editor/draft/use-evaluation-context.ts';
import { SheetGrid } from '../../editor/mapping/SheetGrid.tsx';
import { useSheetRows } from '../../editor/mapping/use-sheet-rows.ts';
import { useColumns } from '../../editor/samples/on-sheet.ts';
import type { SampleOnSheet } from '../../editor/samples/sample-run.ts';
import { Button } from '../../parts/Button.tsx';
import { OnlyIfButton } from '../placed/OnlyIfDrawer.tsx';
import { ChosenField } from '../write/ChosenField.tsx';
import { ChooseReceiver, type Receiver } from './ChooseReceiver.tsx';
import { WhatIsHanded } from './WhatIsHanded.tsx';

interface SheetProps {
  readonly step: HandOverStep;
  readonly samples: readonly SampleOnSheet[];
}

/** To which workflow something is handed over, what of it, and every value as it would be handed over. */
export function HandOverSheet({ step, samples }: SheetProps) {
  const { draft } = useEditor();
  const [isChoosing, setChoosing] = useState(step.target === null);
  const { target } = step;
  const choose = ({ target: chosen, back }: Receiver): void => {
    draft.change(
      withStep<HandOverStep>(step.id, ({ suggested: _suggested, ...one }) => ({
        ...one,
        target: chosen as Place,
        back: back as Field[],
        mapping: {},
      })),
    );
    setChoosing(false);
  };
  if (!target || isChoosing)
    return (
      <>
        <SheetHead title="Hand over to a workflow" />
        <ChooseReceiver
          step={step}
          samples={samples}
          onChoose={choose}
          onKeep={target ? () => setChoosing(false) : undefined}
        />
      </>
    );
  return <Filled step={step} target={target} samples={samples} onChange={() => setChoosing(true)} />;
}

interface FilledProps extends SheetProps {
  readonly target: Place;
  readonly onChange: () => void;
}

function Filled({ step, target, samples: all, onChange }: FilledProps) {
  const { draft, version } = useEditor();
  const { content } = draft;
  // biome-ignore lint/correctness/useExhaustiveDependencies: the samples change with the content
  const samples = useMemo(
    () =>
      step.within === undefined
        ? all
        : all.map((one) => ({ ...one, scope: firstScopeOf(content, one.scope, step.id) })),
    [all, step.within, step.id],
  );
  const fields = useMemo(() => target.described.fields.filter((field) => !field.readOnly), [target]);
  const [chosen, setChosen] = useState<string | undefined>(fields[0]?.path);
  const around = useEvaluationContext(version);
  const reaching = useMemo(() => samples.filter((sample) => sample.reached.has(step.id)), [samples, step.id]);
  const columns = useColumns(reaching, content.start.source?.described.fields ?? noFields, step.id);
  const asFilled = useAsFilled(step);
  const sheet = useSheetRows(asFilled, fields, reaching, around);
  const open = useSuggested(step, target, all);
  const field = chosen ? fieldAt(fields, chosen) : undefined;
  // Names are matched at once; what was proposed is marked so until somebody has looked.
  // biome-ignore lint/correctness/useExhaustiveDependencies: once, as it is chosen
  useEffect(() => {
    if (Object.keys(step.mapping).length === 0 && open.length > 0) draft.change(withSuggestions(step.id, open));
  }, [target, open.length > 0]);
  const proposed = Object.keys(step.suggested ?? {}).length;
  const missing = fields.filter(({ required, path }) => required && !step.mapping[path]);
  return (
    <>
      <SheetHead title={<Title target={target} />}>
        <span className="rounded-sm bg-stone-tint px-2 py-0.5 text-sm text-stone">
          {Object.keys(step.mapping).length} of {fields.length} filled
        </span>
        {missing.length > 0 && (
          <span className="rounded-sm bg-brick-tint px-2 py-0.5 text-sm text-brick">
            {missing.map(({ label }) => label).join(', ')} missing
          </span>
        )}
        <span className="ml-auto flex items-center gap-1">
          <OnlyIfButton step={step} />
          {proposed > 0 && (
            <Button onClick={() => draft.change(withAccepted(step.id))}>Accept {proposed} suggested</Button>
          )}
          {open.length > 0 && (
            <Button
              look="quiet"
              icon={<Sparkle size={14} strokeWidth={1.75} />}
              onClick={() => draft.change(withSuggestions(step.id, open))}
            >
              Suggest {open.length}
            </Button>
          )}
          <Button look="quiet" icon={<Forward size={14} strokeWidth={1.75} />} onClick={onChange}>
            Another workflow
          </Button>
        </span>
      </SheetHead>
      <DriftNote sentence={step.id} />
      <WhatAndHow step={step} samples={all} />
      <SheetSplit
        isLetter={field?.isLong === true}
        editor={
          field && (
            <ChosenField
              key={field.path}
              step={asFilled}
              target={target}
              field={field}
              samples={samples}
              reaching={reaching}
              around={around}
              remarks={sheet.remarks.get(field.path) ?? noRemarks}
              open={open}
              onOpenLines={() => undefined}
            />
          )
        }
      >
        <SheetGrid
          step={asFilled}
          runs={samples}
          rows={sheet.rows}
          around={around}
          columns={columns}
          chosen={chosen}
          problems={sheet.problems}
          remarks={sheet.remarks}
          onChoose={setChosen}
          onFold={sheet.fold}
        >
          {samples.length === 0 && (
            <p className="px-5 py-4 text-ink-2">Samples appear here as columns once the start has a source.</p>
          )}
        </SheetGrid>
      </SheetSplit>
    </>
  );
}

/** The step as the sheet shows any mapping; what is changed there is changed in the step itself, by its id. */
function useAsFilled({ id, within, target, mapping, suggested, notes, onlyIf, rest }: HandOverStep): WriteStep {
  return useMemo(
    () => ({ id, within, target, mapping, suggested, notes, onlyIf, rest, kind: 'write', mode: 'append' }),
    [id, within, target, mapping, suggested, notes, onlyIf, rest],
  );
}

function Title({ target }: { readonly target: Place }) {
  const name = target.labels.at(-1) ?? '';
  const receiver = (useWorkflows().data ?? []).find((one) => one.name === name);
  return (
    <>
      Hand over to{' '}
      {receiver ? (
        <Link to={`/workflows/${receiver.id}`} className="underlined">
          {name}
        </Link>
      ) : (
        name
      )}
      {receiver && !receiver.isOn && <span className="ml-2 text-sm font-normal text-brass">which is off</span>}
    </>
  );
}

/** What of the record is handed over, and whether it is waited for. */
function WhatAndHow({ step, samples }: SheetProps) {
  const { draft } = useEditor();
  return (
    <div className="flex flex-wrap items-center gap-x-3 gap-y-1.5 border-b border-line-1 px-5 py-1.5">
      <WhatIsHanded step={step} samples={samples} />
      <label className="flex items-center gap-2">
        <input
          type="checkbox"
          className="accent-pine"
          checked={step.awaits === true}
          onChange={(event) =>
            draft.change(
              withStep<HandOverStep>(step.id, ({ awaits: _awaits, ...one }) =>
                event.target.checked ? { ...one, awaits: true } : one,
              ),
            )
          }
        />
        Wait until it is done there, and use what comes back
      </label>
    </div>
  );
}

/** What could be proposed for fields that nobody has filled, from the record and from the item that is handed over. */
function useSuggested(step: HandOverStep, target: Place, samples: readonly SampleOnSheet[]): Suggestion[] {
  const { content } = useEditor().draft;
  const [all, setAll] = useState<readonly Suggestion[]>([]);
  const key = samples.map((one) => one.id).join('\n');
  // biome-ignore lint/correctness/useExhaustiveDependencies: the records change only with their ids
  useEffect(() => {
    const timer = setTimeout(() => {
      const looked = samples.slice(0, 60);
      const records = looked.map((one) => one.record);
      const own = suggestSources(records, content.start.source?.described.fields ?? noFields, startId);
      const each = content.steps.find((one) => one.id === step.within);
      const items = each?.kind === 'each' ? looked.flatMap((one) => itemsOf(each.over, one.scope)) : [];
      const ofItems = each ? suggestSources(items, aroundWorkflow(content).fieldsOf(each.id), each.id) : [];
      setAll(suggestMapping([...ofItems, ...own], target.described.fields, []));
    }, 150);
    return () => clearTimeout(timer);
  }, [target, key, step.within]);
  return useMemo(() => all.filter((one) => !step.mapping[one.path]), [all, step.mapping]);
}

const noFields: readonly Field[] = [];
const noRemarks: readonly RowRemark[] = [];

import {
  type Field,
  type Filling,
  fieldAt,
  firstScopeOf,
  type KnownField,
  type LookupStep,
  type Place,
  pathsOfRung,
  proposedLookup,
  type RowRemark,
  refKey,
  type Scope,
} from '@golden/core';
import { Plus } from 'lucide-react';
import { useMemo, useState } from 'react';
import { call } from '../../api/client.ts';
import { useEditor } from '../../editor/draft/context.tsx';
import { DriftNote } from '../../editor/draft/DriftNote.tsx';
import { withFilling, withReading, withStep } from '../../editor/draft/edits.ts';
import { SheetHead } from '../../editor/draft/SheetHead.tsx';
import { useEvaluationContext } from '../../editor/draft/use-evaluation-context.ts';
import { useNames } from '../../editor/draft/use-names.ts';
import { type FilledScope, FillingEditor } from '../../editor/filling/FillingEditor.tsx';
import { CandidatesTable } from '../../editor/lookup/CandidatesTable.tsx';
import { LadderEditor } from '../../editor/lookup/LadderEditor.tsx';
import { SheetGrid } from '../../editor/mapping/SheetGrid.tsx';
import { ChoosePlace, PlaceTitle } from '../../editor/place/ChoosePlace.tsx';
import { useColumns } from '../../editor/samples/on-sheet.ts';
import type { SampleOnSheet } from '../../editor/samples/sample-run.ts';
import { Button } from '../../parts/Button.tsx';
import { Chooser } from '../../parts/Chooser.tsx';
import { Select } from '../../parts/Field.tsx';
import { OnlyIfButton } from '../placed/OnlyIfDrawer.tsx';
import { AllOf, proposedAll } from './AllOf.tsx';

interface SheetProps {
  readonly step: LookupStep;
  readonly samples: readonly SampleOnSheet[];
}

/** A lookup's worksheet: where, by what, what is known of it, and each sample's candidates. */
export function LookupSheet({ step, samples }: SheetProps) {
  const { draft, connections } = useEditor();
  const [isChoosing, setChoosing] = useState(step.target === null);
  const { target } = step;
  const name = connections.find((one) => one.id === target?.connection)?.name ?? 'a connection that is gone';
  const choose = async (place: Place): Promise<void> => {
    setChoosing(false);
    const there = await call('GET /api/connections/:id/place', {
      params: { id: place.connection },
      query: { path: [...place.path] },
    }).catch(() => undefined);
    const records = samples.slice(0, 60).map((one) => one.record);
    const proposed = proposedLookup(draft.content, place, records, (there?.first ?? []) as never);
    draft.change(
      withStep<LookupStep>(step.id, (one) => {
        const isSame = one.target?.connection === place.connection && one.target.path.join() === place.path.join();
        return isSame
          ? { ...one, target: place }
          : { ...one, target: place, mapping: proposed.mapping, ladder: proposed.ladder, fetchId: undefined };
      }),
    );
  };
  if (!target || isChoosing)
    return (
      <ChoosePlace
        title="Where it is looked up"
        target={target}
        name={name}
        empty={{
          title: 'Choose where to look.',
          text: 'Choose an app and a table, for example the customers. The steps below can use what is found.',
        }}
        onKeep={() => setChoosing(false)}
        onChoose={(place) => void choose(place)}
      />
    );
  return <Found step={step} target={target} samples={samples} name={name} onChoose={() => setChoosing(true)} />;
}

interface FoundProps extends SheetProps {
  readonly target: Place;
  readonly name: string;
  readonly onChoose: () => void;
}

function Found({ step, target, samples, name, onChoose }: FoundProps) {
  const { draft, version } = useEditor();
  const { described } = target;
  const reaching = useMemo(() => inTurn(draft.content, samples, step.id), [draft.content, samples, step.id]);
  const change = (next: Partial<LookupStep>): void =>
    draft.change(withStep<LookupStep>(step.id, (one) => ({ ...one, ...next })));
  const names = useNames(step.id);
  const known = useMemo(() => names.map((one) => one.known), [names]);
  const isById = step.fetchId !== undefined;
  const how = step.all ? 'all' : isById ? 'id' : 'ladder';
  const ids = known.filter(({ field }) => field.type === 'id' || field.type === 'integer' || field.type === 'text');
  return (
    <>
      <SheetHead title={<PlaceTitle target={target} name={name} />}>
        <Button look="quiet" onClick={onChoose}>
          Change the place
        </Button>
        <OnlyIfButton step={step} />
        <Select
          aria-label="How it is found"
          value={how}
          onChange={(event) => {
            const [first] = ids;
            const wanted = event.target.value;
            change({
              fetchId: wanted === 'id' && first ? { kind: 'field', ref: first.ref, tidies: [] } : undefined,
              all: wanted === 'all' ? proposedAll(described, known) : undefined,
            });
          }}
          choices={[
            { value: 'ladder', label: 'find the matching one' },
            { value: 'id', label: 'fetch it by its id', isOff: !described.can.readBack || ids.length === 0 },
            { value: 'all', label: 'list all that belong to it', isOff: !described.can.find || known.length === 0 },
          ]}
        />
      </SheetHead>
      <DriftNote sentence={step.id} />
      {step.all ? (
        <AllOf step={step} all={step.all} described={described} samples={reaching} known={known} />
      ) : (
        <OneOf step={step} target={target} samples={reaching} version={version} ids={ids} onChange={change} />
      )}
    </>
  );
}

interface OneOfProps extends KnownProps {
  /** Fields that may hold its id. */
  readonly ids: readonly KnownField[];
  readonly onChange: (next: Partial<LookupStep>) => void;
}

/** How the one record is found, what is known of it, and what each sample finds. */
function OneOf({ step, target, samples, version, ids, onChange }: OneOfProps) {
  const { described } = target;
  const isById = step.fetchId !== undefined;
  return (
    <div className="min-h-0 flex-1 overflow-y-auto">
      <div className="border-b border-line-1 px-5 py-2.5">
        {isById ? (
          <div className="flex flex-wrap items-center gap-2">
            <span className="text-ink-2">The id is in</span>
            <Chooser
              aria-label="The field with the id"
              value={step.fetchId?.kind === 'field' ? refKey(step.fetchId.ref) : ''}
              onChoose={(name) => {
                const one = ids.find(({ ref }) => refKey(ref) === name);
                if (one) onChange({ fetchId: { kind: 'field', ref: one.ref, tidies: [] } });
              }}
              choices={ids.map((one) => ({ value: refKey(one.ref), label: one.field.label, hint: one.from }))}
            />
            <span className="text-ink-2">If there is none,</span>
            <Select
              aria-label="If there is none"
              value={step.ladder.atNone}
              onChange={(event) => onChange({ ladder: { ...step.ladder, atNone: event.target.value as never } })}
              choices={[
                { value: 'empty', label: 'continue, with its fields empty' },
                { value: 'leave_out', label: 'leave the record out' },
                { value: 'ask', label: 'ask me' },
              ]}
            />
          </div>
        ) : (
          <LadderEditor
            step={step}
            ladder={step.ladder}
            described={described}
            onChange={(ladder) => onChange({ ladder })}
          />
        )}
      </div>
      {!isById && <Known step={step} target={target} samples={samples} version={version} />}
      <CandidatesTable step={step} ladder={step.ladder} samples={samples} />
    </div>
  );
}

/** Within a "for each" the sheet shows each sample's first item. */
function inTurn(
  content: Parameters<typeof firstScopeOf>[0],
  samples: readonly SampleOnSheet[],
  stepId: string,
): readonly SampleOnSheet[] {
  const reaching = samples.filter((one) => one.reached.has(stepId));
  return reaching.map((one) => {
    const scope: Scope = firstScopeOf(content, one.scope, stepId);
    return scope === one.scope ? one : { ...one, scope };
  });
}

interface KnownProps {
  readonly step: LookupStep;
  readonly target: Place;
  readonly samples: readonly SampleOnSheet[];
  readonly version: Parameters<typeof useEvaluationContext>[0];
}

/** What is known of the record that is looked for; where it is to be created, all that it is made of. */
function Known({ step, target, samples, version }: KnownProps) {
  const { draft } = useEditor();
  const { described } = target;
  const around = useEvaluationContext(version);
  const isMade = step.ladder.atNone === 'create';
  const wanted = useMemo(() => {
    const ways = new Set(step.ladder.rungs.flatMap(pathsOfRung));
    return described.fields.filter(
      (field) =>
        ways.has(field.path) || step.mapping[field.path] !== undefined || (isMade && field.required && !field.readOnly),
    );
  }, [described, step.ladder, step.mapping, isMade]);
  const [chosen, setChosen] = useState<string>();
  const [isAdding, setAdding] = useState(false);
  const columns = useColumns(samples, draft.content.start.source?.described.fields ?? noFields, step.id);
  const field = chosen ? fieldAt(described.fields, chosen) : undefined;
  const names = useNames(step.id);
  const scopes = useMemo(() => samples.map((one): FilledScope => ({ scope: one.scope, around })), [samples, around]);
  const put = (path: string, filling: Filling | undefined): void => draft.change(withFilling(step.id, path, filling));
  const others = described.fields.filter((one) => !wanted.includes(one) && !one.readOnly);
  return (
    <div className="border-b border-line-1">
      <div className="flex items-center gap-2 px-5 pt-2.5 pb-1.5">
        <h3 className="text-lg">
          {isMade ? 'What is known about it, and what a new one gets' : 'What is known about it'}
        </h3>
        {others.length > 0 && !isAdding && (
          <Button look="quiet" icon={<Plus size={14} />} onClick={() => setAdding(true)}>
            Add a field
          </Button>
        )}
        {isAdding && (
          <Chooser
            aria-label="Add a field"
            value=""
            placeholder="Choose a field"
            onChoose={(path) => {
              setAdding(false);
              put(path, { kind: 'fixed', value: '' });
              setChosen(path);
            }}
            choices={others.map((one) => ({ value: one.path, label: one.label }))}
          />
        )}
      </div>
      <SheetGrid
        step={step}
        runs={samples}
        rows={wanted.map((one) => ({
          kind: 'field' as const,
          field: { ...one, required: isMade ? one.required : undefined, readOnly: undefined },
        }))}
        around={around}
        columns={columns}
        chosen={chosen}
        problems={noProblems}
        remarks={noRemarks}
        onChoose={setChosen}
        onFold={() => undefined}
      >
        {wanted.length === 0 && (
          <p className="px-5 py-3 text-ink-2">
            Add a way above, or add a field here and choose what to compare it with.
          </p>
        )}
      </SheetGrid>
      {field && (
        <FillingEditor
          key={field.path}
          field={{ ...field, readOnly: undefined }}
          filling={step.mapping[field.path]}
          put={(filling) => put(field.path, filling)}
          names={names}
          scopes={scopes}
          samples={samples}
          around={around}
          remarks={[]}
          onFix={(ref, reading) => draft.change(withReading(ref.path, reading))}
        />
      )}
    </div>
  );
}

const noFields: readonly Field[] = [];
const noProblems: ReadonlyMap<string, number> = new Map();
const noRemarks: ReadonlyMap<string, readonly RowRemark[]> = new Map();

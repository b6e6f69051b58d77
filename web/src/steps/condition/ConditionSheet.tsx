import {
  arity,
  type Condition,
  type ConditionStep,
  type FormulaTest,
  fieldOfRef,
  type Group,
  isEmpty,
  knownFields,
  operatorLabel,
  operatorsFor,
  readRef,
  type Test,
  testsOf,
  toText,
  type ValueCount,
} from '@golden/core';
import { ChevronDown, Plus, Scissors, ToggleLeft, ToggleRight, X } from 'lucide-react';
import { Popover } from 'radix-ui';
import { useEditor } from '../../editor/draft/context.tsx';
import { withStep } from '../../editor/draft/edits.ts';
import { SheetHead } from '../../editor/draft/SheetHead.tsx';
import { useNames } from '../../editor/draft/use-names.ts';
import { FormulaFilling } from '../../editor/formula/FormulaFilling.tsx';
import { clipped } from '../../editor/place/PlacePreview.tsx';
import { useFieldProfile } from '../../editor/samples/occurring.ts';
import type { SampleOnSheet } from '../../editor/samples/sample-run.ts';
import { Button } from '../../parts/Button.tsx';
import { Chooser } from '../../parts/Chooser.tsx';
import { inputLook, Select } from '../../parts/Field.tsx';
import { OutcomeMark, writeLooks } from '../../parts/OutcomeMark.tsx';

interface SheetProps {
  readonly step: ConditionStep;
  readonly samples: readonly SampleOnSheet[];
}

/** A condition's worksheet: what is asked, and each sample's value and verdict. */
export function ConditionSheet({ step, samples }: SheetProps) {
  const { draft } = useEditor();
  const group = asGroup(step.condition);
  const put = (condition: Condition): void =>
    draft.change(withStep<ConditionStep>(step.id, (one) => ({ ...one, condition })));
  const reaching = samples.filter((sample) => sample.reached.has(step.id));
  const kept = reaching.filter((sample) => sample.results[step.id]?.kind === 'kept').length;
  return (
    <>
      <SheetHead title="Keep only what matters">
        <span className="text-ink-2">
          {kept} of {reaching.length} samples kept
        </span>
      </SheetHead>
      <div className="min-h-0 flex-1 overflow-auto">
        <div className="px-5 py-4">
          <GroupEditor stepId={step.id} group={group} onChange={put} />
        </div>
        <Verdicts step={step} samples={reaching} />
      </div>
    </>
  );
}

/** A condition as a group, which is what is edited. */
export const asGroup = (condition: Condition): Group =>
  condition.kind === 'all' || condition.kind === 'any' ? condition : { kind: 'all', items: [condition] };

interface GroupProps {
  readonly stepId: string;
  readonly group: Group;
  /** What meeting them means, before "all of these". */
  readonly lead?: string;
  readonly onChange: (group: Group) => void;
  readonly onRemove?: () => void;
}

/** Tests and formulas of which all or any must hold. */
export function GroupEditor({ stepId, group, lead = 'Keep records that meet', onChange, onRemove }: GroupProps) {
  const { draft } = useEditor();
  const [first] = knownFields(draft.content, stepId);
  const put = (at: number, item: Condition): void => onChange({ ...group, items: group.items.with(at, item) });
  const drop = (at: number): void => onChange({ ...group, items: group.items.toSpliced(at, 1) });
  const add = (item: Condition): void => onChange({ ...group, items: [...group.items, item] });
  const newTest = (): Test | undefined =>
    first && { kind: 'test', ref: first.ref, operator: operatorsFor(first.field.type)[0] ?? 'is', values: [] };
  return (
    <div className={onRemove ? 'rounded-md border border-line-1 p-3' : ''}>
      <div className="mb-2 flex items-center gap-2">
        <span className="text-ink-2">{lead}</span>
        <Select
          aria-label="All or any"
          value={group.kind}
          onChange={(event) => onChange({ ...group, kind: event.target.value as Group['kind'] })}
          choices={[
            { value: 'all', label: 'all of these' },
            { value: 'any', label: 'any of these' },
          ]}
        />
        {onRemove && <Button look="quiet" icon={<X size={14} />} aria-label="Remove the group" onClick={onRemove} />}
      </div>
      <ul className="space-y-2">
        {group.items.map((item, at) => (
          // Tests have no identity; their order is the person's own.
          // biome-ignore lint/suspicious/noArrayIndexKey: see above
          <li key={at}>
            {item.kind === 'test' ? (
              <TestEditor stepId={stepId} test={item} onChange={(test) => put(at, test)} onRemove={() => drop(at)} />
            ) : item.kind === 'formula' ? (
              <FormulaTestEditor
                stepId={stepId}
                test={item}
                onChange={(one) => put(at, one)}
                onRemove={() => drop(at)}
              />
            ) : (
              <GroupEditor
                stepId={stepId}
                group={item}
                lead="that meet"
                onChange={(inner) => put(at, inner)}
                onRemove={() => drop(at)}
              />
            )}
          </li>
        ))}
      </ul>
      <div className="mt-2 flex gap-2">
        <Button
          icon={<Plus size={14} />}
          disabled={!first}
          onClick={() => {
            const test = newTest();
            if (test) add(test);
          }}
        >
          Add a test
        </Button>
        <Button
          look="quiet"
          disabled={!first}
          onClick={() => add({ kind: 'formula', formula: { text: '', refs: {} } })}
        >
          Add a formula
        </Button>
        {!onRemove && (
          <Button
            look="quiet"
            disabled={!first}
            onClick={() => add({ kind: group.kind === 'all' ? 'any' : 'all', items: [] })}
          >
            Add a group
          </Button>
        )}
      </div>
    </div>
  );
}

interface FormulaTestProps {
  readonly stepId: string;
  readonly test: FormulaTest;
  readonly onChange: (test: FormulaTest) => void;
  readonly onRemove: () => void;
}

/** A formula that has to hold, such as `total > 100`. */
function FormulaTestEditor({ stepId, test, onChange, onRemove }: FormulaTestProps) {
  const names = useNames(stepId);
  return (
    <div className="flex items-start gap-2">
      <span className="pt-1 text-ink-2">the formula</span>
      <div className="min-w-[280px] flex-1">
        <FormulaFilling
          formula={test.formula}
          names={names}
          label="A formula that gives yes or no"
          onChange={(formula) => onChange({ ...test, formula })}
        />
      </div>
      <Button look="quiet" icon={<X size={14} />} aria-label="Remove this formula" onClick={onRemove} />
    </div>
  );
}

interface TestProps {
  readonly stepId: string;
  readonly test: Test;
  readonly onChange: (test: Test) => void;
  readonly onRemove: () => void;
}

function TestEditor({ stepId, test, onChange, onRemove }: TestProps) {
  const { draft } = useEditor();
  const known = knownFields(draft.content, stepId);
  const field = fieldOfRef(draft.content, test.ref);
  const operators = operatorsFor(field?.type ?? 'text');
  const wants = arity(test.operator);
  const nameOf = (ref: Test['ref']): string => `${ref.step} ${ref.path}`;
  const profile = useFieldProfile(test.ref);
  const chooseField = (name: string): void => {
    const chosen = known.find((one) => nameOf(one.ref) === name);
    if (!chosen) return;
    const fitting = operatorsFor(chosen.field.type);
    // What was asked stays when it fits; before anything was, the field's usual operator comes.
    const isAsked = test.values.some((value) => value !== '') && fitting.includes(test.operator);
    const operator = isAsked ? test.operator : (fitting[0] ?? 'is');
    onChange({ ...test, ref: chosen.ref, operator });
  };
  return (
    <div className={test.isOff ? 'opacity-70' : ''}>
      <div className="flex flex-wrap items-center gap-2">
        <Chooser
          aria-label="Field"
          value={nameOf(test.ref)}
          onChoose={chooseField}
          choices={known.map((one) => ({ value: nameOf(one.ref), label: one.field.label, hint: one.from }))}
        />
        <Select
          aria-label="Operator"
          value={test.operator}
          onChange={(event) => onChange({ ...test, operator: event.target.value as Test['operator'] })}
          choices={operators.map((operator) => ({ value: operator, label: operatorLabel(operator) }))}
        />
        {wants !== 'none' && <ValuesInput test={test} occurring={profile?.frequent ?? []} onChange={onChange} />}
        <Button
          look="quiet"
          icon={test.isOff ? <ToggleLeft size={16} strokeWidth={1.75} /> : <ToggleRight size={16} strokeWidth={1.75} />}
          aria-label={test.isOff ? 'Switch this test on' : 'Switch this test off'}
          data-hint={test.isOff ? 'It is off' : 'Switch it off, but keep it'}
          onClick={() => onChange({ ...test, isOff: test.isOff ? undefined : true })}
        />
        <Button look="quiet" icon={<X size={14} />} aria-label="Remove this test" onClick={onRemove} />
      </div>
      {profile?.isCutShort && (
        <p className="mt-1 flex items-center gap-1.5 text-sm text-brass">
          <Scissors size={13} aria-hidden="true" />
          The source seems to give only the beginning of “{field?.label}”. What comes later in it can’t be tested.
        </p>
      )}
    </div>
  );
}

interface ValuesProps {
  readonly test: Test;
  readonly occurring: readonly ValueCount[];
  readonly onChange: (test: Test) => void;
}

/** The values asked for: typed, or chosen from those that occur. */
function ValuesInput({ test, occurring, onChange }: ValuesProps) {
  const isList = arity(test.operator) === 'list';
  const values = test.values.filter((value) => value.trim() !== '');
  const folded = new Set(values.map((value) => value.toLowerCase()));
  const toggle = (value: string): void => {
    if (!isList) onChange({ ...test, values: [value] });
    else if (folded.has(value.toLowerCase()))
      onChange({ ...test, values: values.filter((one) => one.toLowerCase() !== value.toLowerCase()) });
    else onChange({ ...test, values: [...values, value] });
  };
  return (
    <span className="inline-flex items-center">
      <input
        aria-label={isList ? 'Values, separated by commas' : 'Value'}
        value={test.values.join(', ')}
        placeholder={isList ? 'GB, IE' : ''}
        onChange={(event) =>
          onChange({ ...test, values: isList ? event.target.value.split(/,\s*/) : [event.target.value] })
        }
        className={`${inputLook} w-[220px] rounded-r-none`}
      />
      <Popover.Root>
        <Popover.Trigger
          aria-label="Values that occur"
          disabled={occurring.length === 0}
          className="flex h-[30px] w-[30px] items-center justify-center rounded-r-md border border-line-input border-l-0 bg-raised text-ink-2 hover:bg-pine-faint disabled:opacity-50"
        >
          <ChevronDown size={14} />
        </Popover.Trigger>
        <Popover.Portal>
          <Popover.Content
            align="start"
            className="z-50 max-h-[300px] w-[280px] overflow-y-auto rounded-md border border-line-1 bg-raised p-1"
          >
            <ul aria-label="Values that occur">
              {occurring.map(({ value, count }) => (
                <li key={value}>
                  <label className="flex min-h-6 items-center gap-2 rounded-sm px-2 py-0.5 hover:bg-pine-faint">
                    <input
                      type={isList ? 'checkbox' : 'radio'}
                      checked={folded.has(value.toLowerCase())}
                      onChange={() => toggle(value)}
                      className="accent-pine"
                    />
                    <span className="truncate">{value}</span>
                    <span className="ml-auto text-sm text-ink-2">{count}</span>
                  </label>
                </li>
              ))}
            </ul>
          </Popover.Content>
        </Popover.Portal>
      </Popover.Root>
    </span>
  );
}

function Verdicts({ step, samples }: SheetProps) {
  const { draft } = useEditor();
  const tests = [
    ...new Map(testsOf(step.condition).map((test) => [`${test.ref.step}${test.ref.path}`, test])).values(),
  ];
  return (
    <table className="sheet border-t border-line-1">
      <thead>
        <tr>
          <th scope="col">Sample</th>
          {tests.map((test) => (
            <th key={`${test.ref.step}${test.ref.path}`} scope="col">
              {fieldOfRef(draft.content, test.ref)?.label ?? test.ref.path}
            </th>
          ))}
          <th scope="col">Result</th>
        </tr>
      </thead>
      <tbody>
        {samples.map((sample) => {
          const result = sample.results[step.id];
          return (
            <tr key={sample.id}>
              <td className="max-w-[200px] truncate whitespace-nowrap">{sample.title}</td>
              {tests.map((test) => {
                const value = readRef(sample.scope, test.ref);
                return (
                  <td key={`${test.ref.step}${test.ref.path}`} className="max-w-[240px] truncate">
                    {isEmpty(value) ? <em className="text-ink-3">empty</em> : clipped(toText(value))}
                  </td>
                );
              })}
              <td>
                {result?.kind === 'left_out' ? (
                  <OutcomeMark look={writeLooks.left_out} text={`left out: ${result.why}`} />
                ) : (
                  <span className="text-pine">kept</span>
                )}
              </td>
            </tr>
          );
        })}
      </tbody>
    </table>
  );
}

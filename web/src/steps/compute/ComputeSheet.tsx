import {
  aliasesIn,
  type ComputeStep,
  evaluateFormula,
  FormulaError,
  fieldsGiven,
  firstScopeOf,
  type JsonRecord,
  type NamedField,
  toText,
  toValue,
} from '@golden/core';
import { CircleAlert, Plus, X } from 'lucide-react';
import { useMemo, useState } from 'react';
import { useEditor } from '../../editor/draft/context.tsx';
import { withStep } from '../../editor/draft/edits.ts';
import { SheetHead } from '../../editor/draft/SheetHead.tsx';
import { useEvaluationContext } from '../../editor/draft/use-evaluation-context.ts';
import { useNames } from '../../editor/draft/use-names.ts';
import { FormulaFilling, typedFormula } from '../../editor/formula/FormulaFilling.tsx';
import { SheetColumns } from '../../editor/mapping/SheetColumns.tsx';
import { useColumns } from '../../editor/samples/on-sheet.ts';
import type { SampleOnSheet } from '../../editor/samples/sample-run.ts';
import { Button } from '../../parts/Button.tsx';

interface ComputeProps {
  readonly step: ComputeStep;
  readonly samples: readonly SampleOnSheet[];
}

/** Named values worked out once: a row a value, a column a sample, the formula of the chosen one below. */
export function ComputeSheet({ step, samples }: ComputeProps) {
  const { draft, version } = useEditor();
  const [chosen, setChosen] = useState(0);
  const around = useEvaluationContext(version);
  const known = useNames(step.id);
  const names = useMemo((): readonly NamedField[] => {
    const alias = aliasesIn(draft.content).get(step.id) ?? 'computed';
    const above = fieldsGiven(draft.content, step).slice(0, chosen);
    return [
      ...above.map((one): NamedField => ({ name: `${alias}.${one.field.label}`, type: 'any', known: one })),
      ...known,
    ];
  }, [known, step, chosen, draft.content]);
  const sourceFields = draft.content.start.source?.described.fields ?? noFields;
  const reaching = useMemo(() => samples.filter((one) => one.reached.has(step.id)), [samples, step.id]);
  const columns = useColumns(reaching, sourceFields, step.id);
  const results = columns.map((column) => {
    const run = reaching.find((one) => one.id === column.id);
    const scope = firstScopeOf(draft.content, run?.scope ?? { start: column.record }, step.id);
    let made: JsonRecord = {};
    return step.values.map((value) => {
      const result = evaluateFormula(value, { ...scope, [step.id]: made }, around);
      if (!(result instanceof FormulaError)) made = { ...made, [value.name]: toValue(result) };
      return result;
    });
  });
  const change = (values: ComputeStep['values']): void =>
    draft.change(withStep<ComputeStep>(step.id, (one) => ({ ...one, values })));
  const value = step.values[chosen];
  return (
    <>
      <SheetHead title="Calculated once, used in later steps">
        <span className="ml-auto">
          <Button
            icon={<Plus size={14} />}
            onClick={() => {
              change([...step.values, { name: '', text: '', refs: {} }]);
              setChosen(step.values.length);
            }}
          >
            Add a value
          </Button>
        </span>
      </SheetHead>
      {/* A wide sheet scrolls sideways; the keyboard reaches it too. */}
      {/* biome-ignore lint/a11y/noNoninteractiveTabindex: see above */}
      <section className="min-h-0 flex-1 overflow-auto" tabIndex={0} aria-label="Calculated values">
        <table className="sheet table-fixed">
          <SheetColumns columns={columns} />
          <thead className="sticky top-0 z-10">
            <tr>
              <th scope="col">Value</th>
              <th scope="col">Formula</th>
              {columns.map((column) => (
                <th key={column.id} scope="col" className="break-words whitespace-normal!">
                  {column.title}
                </th>
              ))}
            </tr>
          </thead>
          <tbody>
            {step.values.map((one, at) => (
              // Values have no identity of their own; their order is the computation.
              // biome-ignore lint/suspicious/noArrayIndexKey: see above
              <tr key={at} className={at === chosen ? 'bg-pine-faint' : ''}>
                <td className="p-0!">
                  <input
                    aria-label={`Name of value ${at + 1}`}
                    placeholder="Name it"
                    value={one.name}
                    onFocus={() => setChosen(at)}
                    onChange={(event) => change(step.values.with(at, { ...one, name: event.target.value }))}
                    className="h-[31px] w-full bg-transparent px-2.5"
                  />
                </td>
                <td className="p-0!">
                  <button
                    type="button"
                    aria-pressed={at === chosen}
                    onClick={() => setChosen(at)}
                    className="flex h-[31px] w-full items-center truncate px-2.5 text-left font-mono text-sm"
                  >
                    <span className="sr-only">Formula of {one.name || `value ${at + 1}`}: </span>
                    {one.text ? typedFormula(one.text) : <em className="font-sans text-ink-3">no formula yet</em>}
                  </button>
                </td>
                {columns.map((column, index) => {
                  const result = results[index]?.[at];
                  if (result instanceof FormulaError)
                    return (
                      <td key={column.id} className="break-words bg-brick-tint text-brick">
                        <CircleAlert size={13} className="mr-1 inline" aria-hidden="true" />
                        {result.message}
                      </td>
                    );
                  return (
                    <td key={column.id} className="break-words">
                      {result === undefined || result === null ? (
                        <em className="text-ink-3">empty</em>
                      ) : (
                        toText(toValue(result))
                      )}
                    </td>
                  );
                })}
              </tr>
            ))}
          </tbody>
        </table>
      </section>
      {value && (
        <section
          aria-label={`Formula of ${value.name || 'the value'}`}
          className="shrink-0 border-t border-line-1 bg-paper px-5 py-2.5"
        >
          <div className="mb-2 flex items-center gap-3">
            <h3 className="font-sans font-semibold">{value.name || 'A value without a name'}</h3>
            <Button
              look="quiet"
              icon={<X size={14} />}
              onClick={() => {
                change(step.values.toSpliced(chosen, 1));
                setChosen(Math.max(0, chosen - 1));
              }}
            >
              Remove it
            </Button>
          </div>
          <FormulaFilling
            key={chosen}
            formula={value}
            names={names}
            label={`Formula of ${value.name || 'the value'}`}
            onChange={(formula) => change(step.values.with(chosen, { name: value.name, ...formula }))}
          />
        </section>
      )}
    </>
  );
}

const noFields = [] as const;

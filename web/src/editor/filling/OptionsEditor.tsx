import { type Field, type Filling, type KnownField, type Otherwise, type Scope, valuesNotIn } from '@golden/core';
import { Plus, X } from 'lucide-react';
import { useState } from 'react';
import { Button } from '../../parts/Button.tsx';
import { inputLook, Select } from '../../parts/Field.tsx';
import { FieldPicker } from '../mapping/FieldPicker.tsx';
import type { SampleOnSheet } from '../samples/sample-run.ts';

type Options = Extract<Filling, { kind: 'options' }>;

interface OptionsProps {
  readonly filling: Options;
  readonly field: Field;
  readonly known: readonly KnownField[];
  readonly samples: readonly SampleOnSheet[];
  readonly scopes: readonly Scope[];
  readonly onChange: (filling: Options) => void;
}

const rules: readonly { readonly value: Otherwise['kind']; readonly label: string }[] = [
  { value: 'problem', label: 'ask me' },
  { value: 'empty', label: 'leave it empty' },
  { value: 'same', label: 'keep the value as it is' },
  { value: 'value', label: 'use this value:' },
];

/** A table from a field's values to the destination's: one row a value, what occurs and isn't in it listed to be added. */
export function OptionsEditor({ filling, field, known, samples, scopes, onChange }: OptionsProps) {
  const [isPicking, setPicking] = useState(false);
  const { table, otherwise, ref } = filling;
  const missing = valuesNotIn(filling, scopes);
  const source = known.find((one) => one.ref.step === ref.step && one.ref.path === ref.path);
  const put = (rows: Options['table']): void => onChange({ ...filling, table: rows });
  const choices = field.options?.map(({ value, label }) => ({ value, label }));
  if (isPicking)
    return (
      <FieldPicker
        known={known}
        samples={samples}
        onPick={(one) => {
          setPicking(false);
          onChange({ ...filling, ref: one.ref });
        }}
      />
    );
  return (
    <div className="flex flex-wrap items-start gap-x-6 gap-y-2">
      <div>
        <p className="mb-1 flex items-center gap-2">
          <span className="underlined font-medium">{source?.field.label ?? ref.path}</span>
          <span className="text-sm text-ink-2">by this table</span>
          <Button onClick={() => setPicking(true)}>Add a field</Button>
        </p>
        <table className="border-separate border-spacing-y-0.5">
          <thead className="sr-only">
            <tr>
              <th scope="col">Value of the field</th>
              <th scope="col">Value there</th>
              <th scope="col">Remove</th>
            </tr>
          </thead>
          <tbody>
            {table.map((row, at) => (
              // Rows have no identity of their own; their order is the table.
              // biome-ignore lint/suspicious/noArrayIndexKey: see above
              <tr key={at}>
                <td>
                  <input
                    aria-label={`Value ${at + 1}`}
                    value={row.from}
                    onChange={(event) => put(table.with(at, { ...row, from: event.target.value }))}
                    className={`${inputLook} h-[26px] w-[150px]`}
                  />
                </td>
                <td className="px-2 text-ink-2" aria-hidden="true">
                  →
                </td>
                <td>
                  <ValueThere
                    label={`${row.from || `Value ${at + 1}`} becomes`}
                    value={row.to}
                    choices={choices}
                    onChange={(to) => put(table.with(at, { ...row, to }))}
                  />
                </td>
                <td>
                  <button
                    type="button"
                    aria-label={`Remove ${row.from || `value ${at + 1}`}`}
                    onClick={() => put(table.toSpliced(at, 1))}
                    className="rounded-sm p-1.5 text-ink-2 hover:bg-pine-tint"
                  >
                    <X size={13} />
                  </button>
                </td>
              </tr>
            ))}
          </tbody>
        </table>
        <Button look="quiet" icon={<Plus size={14} />} onClick={() => put([...table, { from: '', to: '' }])}>
          a row
        </Button>
      </div>
      <div className="max-w-[320px] space-y-2">
        <div className="flex flex-wrap items-center gap-2">
          <span className="text-sm text-ink-2">If a value isn’t in the table:</span>
          <Select
            aria-label="A value that isn’t in the table"
            value={otherwise.kind}
            onChange={(event) => {
              const kind = event.target.value as Otherwise['kind'];
              onChange({
                ...filling,
                otherwise: kind === 'value' ? { kind, value: choices?.[0]?.value ?? '' } : { kind },
              });
            }}
            choices={rules}
          />
          {otherwise.kind === 'value' && (
            <ValueThere
              label="Use this value"
              value={otherwise.value}
              choices={choices}
              onChange={(value) => onChange({ ...filling, otherwise: { kind: 'value', value } })}
            />
          )}
        </div>
        {missing.length > 0 && (
          <div>
            <p className="text-sm text-brass">In the samples but not in the table:</p>
            <div className="mt-1 flex flex-wrap gap-1">
              {missing.slice(0, 12).map((value) => (
                <button
                  key={value}
                  type="button"
                  onClick={() => put([...table, { from: value, to: '' }])}
                  className="inline-flex min-h-6 items-center gap-1 rounded-sm border border-line-1 bg-raised px-1.5 text-sm hover:bg-pine-faint"
                >
                  <Plus size={12} aria-hidden="true" />
                  {value}
                </button>
              ))}
              {missing.length > 1 && (
                <Button look="quiet" onClick={() => put([...table, ...missing.map((from) => ({ from, to: '' }))])}>
                  Add all {missing.length}
                </Button>
              )}
            </div>
          </div>
        )}
      </div>
    </div>
  );
}

interface ValueProps {
  readonly label: string;
  readonly value: string;
  readonly choices: readonly { readonly value: string; readonly label: string }[] | undefined;
  readonly onChange: (value: string) => void;
}

/** A value of the destination: one of its options, or free text where it has none. */
function ValueThere({ label, value, choices, onChange }: ValueProps) {
  if (choices)
    return (
      <Select
        aria-label={label}
        value={value}
        className="h-[26px] w-[150px]"
        onChange={(event) => onChange(event.target.value)}
        choices={[{ value: '', label: 'empty' }, ...choices]}
      />
    );
  return (
    <input
      aria-label={label}
      value={value}
      onChange={(event) => onChange(event.target.value)}
      className={`${inputLook} h-[26px] w-[150px]`}
    />
  );
}

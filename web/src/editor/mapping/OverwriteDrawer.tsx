import { type FieldPolicy, type FirstDifference, fieldPolicies, firstDifferences, type WriteStep } from '@golden/core';
import { useState } from 'react';
import { Drawer } from '../../parts/Drawer.tsx';
import { Select, SelectField } from '../../parts/Field.tsx';
import { counted } from '../../parts/formats.ts';
import { useEditor } from '../draft/context.tsx';
import {
  firstWords,
  isEmptied,
  policyOf,
  policyWords,
  withEmpties,
  withFirstDifference,
  withPolicy,
} from '../draft/overwriting.ts';

interface DrawerProps {
  readonly step: WriteStep;
  readonly isOpen: boolean;
  readonly onClose: () => void;
}

/** What is written over in a record that is there already: all fields in one table, several changed at once. */
export function OverwriteDrawer({ step, isOpen, onClose }: DrawerProps) {
  const { draft } = useEditor();
  const [chosen, setChosen] = useState<ReadonlySet<string>>(new Set());
  const fields = (step.target?.described.fields ?? []).filter(({ path }) => step.mapping[path] !== undefined);
  const singular = step.target?.described.singular ?? 'record';
  const all = fields.map(({ path }) => path);
  const picked = all.filter((path) => chosen.has(path));
  const toggle = (path: string): void => {
    const next = new Set(chosen);
    if (!next.delete(path)) next.add(path);
    setChosen(next);
  };
  return (
    <Drawer title={`A ${singular} that is there already`} isOpen={isOpen} onClose={onClose} isWide>
      <p className="mb-3 text-ink-2">
        Usually only what changed in the source is written. What a colleague changed there stays. Changed on both sides:
        you are asked. An empty value never empties a field, unless you choose it.
      </p>
      <SelectField
        label="Where something else is there, and nothing was sent to it yet"
        value={step.firstDifference ?? 'ask'}
        onChange={(event) => draft.change(withFirstDifference(step.id, event.target.value as FirstDifference))}
        choices={firstDifferences.map((value) => ({ value, label: firstWords[value] }))}
      />
      <div className="mb-2 flex min-h-[32px] flex-wrap items-center gap-2" role="status">
        {picked.length === 0 ? (
          <span className="text-ink-2">Choose several fields to change them at once.</span>
        ) : (
          <>
            <span className="font-medium">{counted(picked.length, 'field')}:</span>
            <Select
              aria-label="For the chosen fields"
              value=""
              onChange={(event) => draft.change(withPolicy(step.id, picked, event.target.value as FieldPolicy))}
              choices={[
                { value: '', label: 'choose what happens', isOff: true },
                ...fieldPolicies.map((value) => ({ value, label: policyWords[value] })),
              ]}
            />
            <Select
              aria-label="Empty values of the chosen fields"
              value=""
              onChange={(event) => draft.change(withEmpties(step.id, picked, event.target.value === 'yes'))}
              choices={[
                { value: '', label: 'empty values…', isOff: true },
                { value: 'no', label: 'are not written' },
                { value: 'yes', label: 'empty the field' },
              ]}
            />
          </>
        )}
      </div>
      <table className="sheet w-full">
        <thead>
          <tr>
            <th scope="col" className="w-[36px]">
              <input
                type="checkbox"
                className="accent-pine"
                aria-label="Choose all fields"
                checked={picked.length === all.length && all.length > 0}
                onChange={(event) => setChosen(new Set(event.target.checked ? all : []))}
              />
            </th>
            <th scope="col">Field</th>
            <th scope="col">What happens</th>
            <th scope="col">Empty it too</th>
          </tr>
        </thead>
        <tbody>
          {fields.map(({ path, label }) => (
            <tr key={path}>
              <td>
                <input
                  type="checkbox"
                  className="accent-pine"
                  aria-label={`Choose ${label}`}
                  checked={chosen.has(path)}
                  onChange={() => toggle(path)}
                />
              </td>
              <th scope="row" className="font-medium">
                {label}
              </th>
              <td>
                <Select
                  aria-label={`What happens to ${label}`}
                  value={policyOf(step, path)}
                  onChange={(event) => draft.change(withPolicy(step.id, [path], event.target.value as FieldPolicy))}
                  choices={fieldPolicies.map((value) => ({ value, label: policyWords[value] }))}
                />
              </td>
              <td>
                <input
                  type="checkbox"
                  className="accent-pine"
                  aria-label={`Empty values of ${label} are written`}
                  checked={isEmptied(step, path)}
                  onChange={(event) => draft.change(withEmpties(step.id, [path], event.target.checked))}
                />
              </td>
            </tr>
          ))}
        </tbody>
      </table>
    </Drawer>
  );
}

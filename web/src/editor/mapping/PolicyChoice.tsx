import { type Field, type FieldPolicy, fieldPolicies, type WriteStep } from '@golden/core';
import { useState } from 'react';
import { useAlsoWrites } from '../../api/queries.ts';
import { Button } from '../../parts/Button.tsx';
import { Select } from '../../parts/Field.tsx';
import { useEditor } from '../draft/context.tsx';
import { isEmptied, policyOf, policyWords, withEmpties, withPolicy } from '../draft/overwriting.ts';
import { OverwriteDrawer } from './OverwriteDrawer.tsx';

interface ChoiceProps {
  readonly step: WriteStep;
  readonly field: Field;
  readonly singular: string;
}

/** What happens to a field of a record that is there already. */
export function PolicyChoice({ step, field, singular }: ChoiceProps) {
  const { draft, workflow } = useEditor();
  const others = (useAlsoWrites(workflow.id, workflow.rev).data ?? []).filter(
    (one) => one.step === step.id && one.path === field.path,
  );
  const [isOpen, setOpen] = useState(false);
  return (
    <div className="mt-1.5 flex flex-wrap items-center gap-2">
      <span className="text-ink-2">Where the {singular} is there already,</span>
      <Select
        aria-label={`Overwriting ${field.label}`}
        value={policyOf(step, field.path)}
        onChange={(event) => draft.change(withPolicy(step.id, [field.path], event.target.value as FieldPolicy))}
        choices={fieldPolicies.map((value) => ({ value, label: policyWords[value] }))}
      />
      <label className="inline-flex min-h-6 items-center gap-1.5">
        <input
          type="checkbox"
          className="accent-pine"
          checked={isEmptied(step, field.path)}
          onChange={(event) => draft.change(withEmpties(step.id, [field.path], event.target.checked))}
        />
        also when it is empty
      </label>
      <Button look="quiet" onClick={() => setOpen(true)}>
        All fields…
      </Button>
      {others.length > 0 && (
        <span className="rounded-sm bg-brass-tint px-1.5 text-sm text-brass">
          also written by {[...new Set(others.map(({ name }) => `“${name}”`))].join(', ')}
        </span>
      )}
      <OverwriteDrawer step={step} isOpen={isOpen} onClose={() => setOpen(false)} />
    </div>
  );
}

import { type Field, type FieldPolicy, fieldPolicies, type WriteStep } from '@golden/core';
import { Select } from '../../parts/Field.tsx';
import { useEditor } from '../draft/context.tsx';
import { withStep } from '../draft/edits.ts';

const words: Record<FieldPolicy, string> = {
  always: 'it is always written',
  if_empty: 'it is written only where it is empty',
  never: 'it is never overwritten',
  newest: 'the newer record wins',
};

interface ChoiceProps {
  readonly step: WriteStep;
  readonly field: Field;
  readonly singular: string;
}

/** What happens to a field of a record that is there already. */
export function PolicyChoice({ step, field, singular }: ChoiceProps) {
  const { draft } = useEditor();
  const choose = (policy: FieldPolicy): void =>
    draft.change(
      withStep<WriteStep>(step.id, ({ policies, ...one }) => {
        const { [field.path]: _old, ...others } = policies ?? {};
        const next = policy === 'always' ? others : { ...others, [field.path]: policy };
        return Object.keys(next).length > 0 ? { ...one, policies: next } : one;
      }),
    );
  return (
    <p className="mt-1.5 flex flex-wrap items-center gap-2">
      <span className="text-ink-2">Where the {singular} is there already,</span>
      <Select
        aria-label={`Overwriting ${field.label}`}
        value={step.policies?.[field.path] ?? 'always'}
        onChange={(event) => choose(event.target.value as FieldPolicy)}
        choices={fieldPolicies.map((value) => ({ value, label: words[value] }))}
      />
    </p>
  );
}

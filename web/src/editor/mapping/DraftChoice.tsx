import { draftStateOf, type WriteStep, withDraftState } from '@golden/core';
import { Select } from '../../parts/Field.tsx';
import { useEditor } from '../draft/context.tsx';
import { withStep } from '../draft/edits.ts';

/** Whether new records begin as a draft, hidden, or not active yet, where their app has that. */
export function DraftChoice({ step }: { readonly step: WriteStep }) {
  const { draft } = useEditor();
  const said = step.target?.described.draft;
  const state = draftStateOf(step);
  if (!said || state === undefined || state === 'filled') return null;
  return (
    <span className="flex items-center gap-2">
      <span className="text-ink-2">New ones</span>
      <Select
        aria-label="How new ones begin"
        data-hint="What is there already is left as it is."
        value={state}
        onChange={(event) => {
          const next = event.target.value as 'draft' | 'shown' | 'unsaid';
          draft.change(withStep<WriteStep>(step.id, (one) => withDraftState(one, next)));
        }}
        choices={[
          { value: 'draft', label: said.means },
          { value: 'shown', label: said.otherwise },
          { value: 'unsaid', label: 'as the app has it' },
        ]}
      />
    </span>
  );
}

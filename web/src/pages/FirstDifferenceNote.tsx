import { type FirstDifference, firstDifferences, type WriteStep, writeSteps } from '@golden/core';
import { useState } from 'react';
import type { useRehearsal } from '../api/queries.ts';
import { useEditor } from '../editor/draft/context.tsx';
import { firstWords, withFirstDifference } from '../editor/draft/overwriting.ts';
import { OverwriteDrawer } from '../editor/mapping/OverwriteDrawer.tsx';
import { Button } from '../parts/Button.tsx';
import { Select } from '../parts/Field.tsx';
import { counted } from '../parts/formats.ts';

interface NoteProps {
  readonly rehearsal: NonNullable<ReturnType<typeof useRehearsal>['data']>;
  readonly onAgain: () => void;
}

/** Records hold something else already: the rule is chosen here, where it is seen, and rehearsed at once. */
export function FirstDifferenceNote({ rehearsal, onAgain }: NoteProps) {
  const { draft } = useEditor();
  const [open, setOpen] = useState<string>();
  const count = rehearsal.marks.differs ?? 0;
  const steps = writeSteps(draft.content).filter(
    (step) => step.mode === 'create_or_update' && !step.isOff && (rehearsal.writes[step.id]?.['unsettled'] ?? 0) > 0,
  );
  if (count === 0 || steps.length === 0) return null;
  const choose = (step: WriteStep, rule: FirstDifference): void => {
    draft.change(withFirstDifference(step.id, rule));
    onAgain();
  };
  return (
    <div className="mx-5 mb-2 rounded-md bg-brass-tint px-3 py-1.5 text-brass">
      {steps.map((step) => (
        <p key={step.id} className="flex flex-wrap items-center gap-2">
          <span>
            {counted(count, 'record')} {count === 1 ? 'holds' : 'hold'} something else in {step.target?.labels.at(-1)}{' '}
            already. Whose value counts, where nothing was sent yet?
          </span>
          <Select
            aria-label={`Whose value counts in ${step.target?.labels.at(-1)}`}
            value={step.firstDifference ?? 'ask'}
            onChange={(event) => choose(step, event.target.value as FirstDifference)}
            choices={firstDifferences.map((value) => ({ value, label: firstWords[value] }))}
          />
          <Button look="quiet" onClick={() => setOpen(step.id)}>
            Field by field…
          </Button>
          <OverwriteDrawer step={step} isOpen={open === step.id} onClose={() => setOpen(undefined)} />
        </p>
      ))}
    </div>
  );
}

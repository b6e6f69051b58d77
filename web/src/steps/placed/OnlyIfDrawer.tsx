import { asksSomething, type PlacedStep, type Rest, restChoices } from '@golden/core';
import { Filter } from 'lucide-react';
import { useState } from 'react';
import { useEditor } from '../../editor/draft/context.tsx';
import { withStep } from '../../editor/draft/edits.ts';
import { Button } from '../../parts/Button.tsx';
import { Drawer } from '../../parts/Drawer.tsx';
import { SelectField } from '../../parts/Field.tsx';
import { asGroup, GroupEditor } from '../condition/ConditionSheet.tsx';

const restWords: Record<Rest, string> = {
  others: 'what doesn’t need it goes on',
  stops: 'everything after it stops',
  without: 'the rest goes on as if it had given nothing',
};

/** For which records a step is done, and what becomes of the rest when it can't be done; opened from its head. */
export function OnlyIfButton({ step }: { readonly step: PlacedStep }) {
  const { draft } = useEditor();
  const [isOpen, setOpen] = useState(false);
  const isAsked = step.onlyIf !== undefined && asksSomething(step.onlyIf);
  const change = (next: (one: PlacedStep) => PlacedStep): void => draft.change(withStep<PlacedStep>(step.id, next));
  return (
    <>
      <Button
        look="quiet"
        icon={<Filter size={14} strokeWidth={1.75} />}
        aria-label={isAsked ? 'Only for some records' : 'Only if…'}
        data-hint="For which records it is done, and what happens to the rest when it can’t be done"
        onClick={() => setOpen(true)}
      >
        {isAsked ? 'only some' : undefined}
      </Button>
      <Drawer title="When this step is done" isOpen={isOpen} onClose={() => setOpen(false)} isWide>
        <p className="mb-3 text-ink-2">
          Records that don’t meet this go on without the step. To leave them out altogether, add a condition before it.
        </p>
        <GroupEditor
          stepId={step.id}
          group={step.onlyIf ? asGroup(step.onlyIf) : { kind: 'all', items: [] }}
          lead="Only for records that meet"
          onChange={(group) =>
            change(
              ({ onlyIf: _before, ...one }) => (group.items.length > 0 ? { ...one, onlyIf: group } : one) as PlacedStep,
            )
          }
        />
        <div className="mt-6 max-w-[420px]">
          <SelectField
            label="If it can’t be done for a record"
            hint="The record needs you in any case. When you settle it, what was left is done; a record that was created or updated without it is updated, what was appended or sent stays as it is."
            value={step.rest ?? 'others'}
            onChange={(event) => {
              const rest = event.target.value as Rest;
              change(({ rest: _before, ...one }) => (rest === 'others' ? one : { ...one, rest }) as PlacedStep);
            }}
            choices={restChoices.map((value) => ({ value, label: restWords[value] }))}
          />
        </div>
      </Drawer>
    </>
  );
}

import type { EvaluationContext, Field, Place, RowRemark, Suggestion, WriteStep } from '@golden/core';
import { useMemo } from 'react';
import { useEditor } from '../../editor/draft/context.tsx';
import { withAccepted, withFieldNote, withFilling, withReading, withSuggestions } from '../../editor/draft/edits.ts';
import { useNames } from '../../editor/draft/use-names.ts';
import { AddFile } from '../../editor/filling/AddFile.tsx';
import { type FilledScope, FillingEditor } from '../../editor/filling/FillingEditor.tsx';
import { IdHint } from '../../editor/mapping/IdHint.tsx';
import { PartsNote } from '../../editor/mapping/PartsNote.tsx';
import { PolicyChoice } from '../../editor/mapping/PolicyChoice.tsx';
import type { SampleOnSheet } from '../../editor/samples/sample-run.ts';
import { TemplateAside } from '../../editor/templates/TemplateAside.tsx';

interface ChosenProps {
  readonly step: WriteStep;
  readonly target: Place;
  readonly field: Field;
  readonly samples: readonly SampleOnSheet[];
  /** Those of them that reach the sentence. */
  readonly reaching: readonly SampleOnSheet[];
  readonly around: EvaluationContext;
  readonly remarks: readonly RowRemark[];
  readonly open: readonly Suggestion[];
  readonly onOpenLines: () => void;
}

/** How the chosen field is filled, below the sheet. */
export function ChosenField({
  step,
  target,
  field,
  samples,
  reaching,
  around,
  remarks,
  open,
  onOpenLines,
}: ChosenProps) {
  const { draft } = useEditor();
  const names = useNames(step.id);
  const scopes = useMemo(
    () => reaching.map((sample): FilledScope => ({ scope: sample.scope, around })),
    [reaching, around],
  );
  const own = open.filter((one) => one.path === field.path);
  return (
    <FillingEditor
      key={field.path}
      field={field}
      filling={step.mapping[field.path]}
      put={(filling) => draft.change(withFilling(step.id, field.path, filling))}
      names={names}
      scopes={scopes}
      samples={reaching}
      around={around}
      remarks={remarks}
      onFix={(ref, reading) => draft.change(withReading(ref.path, reading))}
      suggestion={own[0]}
      reason={step.suggested?.[field.path]}
      onAccept={() => draft.change(withAccepted(step.id, field.path))}
      onPropose={() =>
        draft.change(
          withSuggestions(
            step.id,
            open.filter((one) => one.path === field.path),
          ),
        )
      }
      note={step.notes?.[field.path] ?? ''}
      onNote={(note) => draft.change(withFieldNote(step.id, field.path, note))}
      onOpenLines={onOpenLines}
      aside={
        field.takesFiles ? (
          <AddFile step={step} target={target} field={field} />
        ) : (
          field.isLong && <TemplateAside step={step} field={field} names={names} />
        )
      }
    >
      <PartsNote step={step} field={field} scopes={scopes} />
      <IdHint step={step} target={target} field={field} samples={samples} />
      {step.mode === 'create_or_update' && (
        <PolicyChoice step={step} field={field} singular={target.described.singular} />
      )}
    </FillingEditor>
  );
}

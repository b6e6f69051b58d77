import type { Field, Place, WriteStep } from '@golden/core';
import { useQueryClient } from '@tanstack/react-query';
import { Paperclip } from 'lucide-react';
import { call } from '../../api/client.ts';
import { useAction } from '../../api/queries.ts';
import { ChooseFile } from '../../parts/ChooseFile.tsx';
import { keepFile } from '../../parts/keep-file.ts';
import { useEditor } from '../draft/context.tsx';
import { withFilling, withStep } from '../draft/edits.ts';

interface AddProps {
  readonly step: WriteStep;
  readonly target: Place;
  readonly field: Field;
}

/** Adds a file to those that can go along, and chooses it for the field. */
export function AddFile({ step, target, field }: AddProps) {
  const { draft } = useEditor();
  const client = useQueryClient();
  const add = useAction(async (file: File) => {
    const name = await keepFile(file);
    const { connection, path } = target;
    const { described } = await client.fetchQuery({
      queryKey: ['place', connection, ...path],
      queryFn: () => call('GET /api/connections/:id/place', { params: { id: connection }, query: { path: [...path] } }),
      staleTime: 0,
    });
    draft.change(
      withStep<WriteStep>(step.id, (one) => ({
        ...one,
        target: { ...target, described: described as Place['described'] },
      })),
    );
    draft.change(withFilling(step.id, field.path, { kind: 'choice', value: name }));
  });
  return (
    <ChooseFile
      label={`A file for ${field.label}`}
      accept=""
      icon={<Paperclip size={14} strokeWidth={1.75} />}
      hint="Up to 10 MB. It can be chosen in every workflow; one of the same name is replaced."
      isBusy={add.isPending}
      onFiles={([file]) => file && add.mutate(file)}
    >
      {add.isPending ? 'Adding it…' : 'Add a file'}
    </ChooseFile>
  );
}

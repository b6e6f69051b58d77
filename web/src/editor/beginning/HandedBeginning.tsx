import type { Field, Start, WorkflowContent } from '@golden/core';
import { emptyContent, type Place } from '@golden/core';
import { useState } from 'react';
import { Link } from 'react-router';
import { call } from '../../api/client.ts';
import { useAction, useHanding } from '../../api/queries.ts';
import { Button } from '../../parts/Button.tsx';
import { useEditor } from '../draft/context.tsx';
import { NeededFields, named } from './NeededFields.tsx';

interface HandedProps {
  readonly source: Place;
  readonly onChange: (next: Partial<Start>) => void;
}

/** A start that other workflows hand over to: which fields it needs, and who hands over. */
export function HandedBeginning({ source, onChange }: HandedProps) {
  const { draft, workflow } = useEditor();
  const own = source.described.fields.filter(({ readOnly }) => !readOnly);
  const [fields, setFields] = useState<readonly Field[]>(own);
  const isChanged = JSON.stringify(named(fields)) !== JSON.stringify(own);
  const handing = useHanding(workflow.id).data;
  const save = useAction(async () => {
    await draft.flush();
    const { content } = await call('POST /api/workflows/:id/needed', {
      params: { id: workflow.id },
      body: { fields: named(fields) },
    });
    draft.change(() => content as unknown as WorkflowContent);
    const { source: now } = (content as unknown as WorkflowContent).start;
    setFields((now?.described.fields ?? []).filter(({ readOnly }) => !readOnly));
  });
  return (
    <dl className="grid grid-cols-[150px_1fr] items-center gap-x-4 gap-y-3 px-5 py-4">
      <dt className="text-ink-2">Begins for</dt>
      <dd className="flex flex-wrap items-center gap-2">
        <span>
          each <strong className="font-medium">{source.described.singular}</strong> that another workflow hands over
        </span>
        <Button look="quiet" className="ml-auto" onClick={() => onChange({ ...emptyContent('').start })}>
          Take records from an app instead
        </Button>
      </dd>
      <dt className="text-ink-2">Handed over by</dt>
      <dd>
        {handing?.from.length === 0 && (
          <span className="text-ink-2">
            nobody yet. In another workflow choose “Hand over to a workflow”, and this one there.
          </span>
        )}
        {handing?.from.map(({ id, name, isOn, lacks }) => (
          <span key={id} className="mr-3">
            <Link to={`/workflows/${id}`} className="underlined font-medium">
              {name}
            </Link>
            {!isOn && <span className="text-brass"> (off)</span>}
            {lacks.length > 0 && <span className="text-brick"> doesn’t give {lacks.join(', ')}</span>}
          </span>
        ))}
      </dd>
      <dt className="self-start pt-1.5 text-ink-2">Needs these fields</dt>
      <dd>
        <NeededFields fields={fields} onChange={setFields} />
        {isChanged && (
          <p className="mt-2 flex flex-wrap items-center gap-2">
            <Button look="main" disabled={save.isPending} onClick={() => save.mutate(undefined)}>
              Use these fields
            </Button>
            {(handing?.from.length ?? 0) > 0 && (
              <span className="text-sm text-ink-2">
                This concerns {handing?.from.map(({ name }) => `“${name}”`).join(', ')}: what is required there is asked
                for from then on.
              </span>
            )}
          </p>
        )}
      </dd>
    </dl>
  );
}

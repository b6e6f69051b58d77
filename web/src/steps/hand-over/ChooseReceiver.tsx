import { aroundWorkflow, type Field, type HandOverStep, startId, type WorkflowContent } from '@golden/core';
import type { Api } from '@golden/server/api';
import { useQuery } from '@tanstack/react-query';
import { useState } from 'react';
import { call } from '../../api/client.ts';
import { useAction } from '../../api/queries.ts';
import { useEditor } from '../../editor/draft/context.tsx';
import type { SampleOnSheet } from '../../editor/samples/sample-run.ts';
import { Choice } from '../../parts/AccountChoice.tsx';
import { Button } from '../../parts/Button.tsx';
import { TextField } from '../../parts/Field.tsx';
import { Loading } from '../../parts/Messages.tsx';
import { WhatIsHanded } from './WhatIsHanded.tsx';

/** What a step is given by the workflow that takes in what it hands over. */
export type Receiver = Api['POST /api/workflows/:id/receivers']['response'];

interface ChooseProps {
  readonly step: HandOverStep;
  readonly samples: readonly SampleOnSheet[];
  readonly onChoose: (receiver: Receiver) => void;
  /** Given where one was chosen already. */
  readonly onKeep?: (() => void) | undefined;
}

const anew = 'new';

/** Which workflow it is handed over to: one that is there, or a new one with what is known here. */
export function ChooseReceiver({ step, samples, onChoose, onKeep }: ChooseProps) {
  const { draft, workflow } = useEditor();
  const params = { id: workflow.id };
  const receivers = useQuery({
    queryKey: ['receivers', workflow.id],
    queryFn: () => call('GET /api/workflows/:id/receivers', { params }),
  }).data;
  const [chosen, setChosen] = useState<string>();
  const [name, setName] = useState('');
  const [singular, setSingular] = useState('');
  const what = chosen ?? (receivers?.length === 0 ? anew : undefined);
  const choose = useAction(async () => {
    await draft.flush();
    if (what !== anew)
      return onChoose(
        await call('POST /api/workflows/:id/receivers/choose', { params, body: { receiver: what ?? '' } }),
      );
    const fields = neededHere(draft.content, step);
    const body = { name: name.trim(), singular: singular.trim() || 'record', fields };
    onChoose(await call('POST /api/workflows/:id/receivers', { params, body }));
  });
  if (!receivers) return <Loading what="the other workflows" />;
  return (
    <div className="min-h-0 flex-1 overflow-auto px-5 py-4">
      <div className="max-w-[560px] space-y-3">
        <p className="text-ink-2">
          Each record becomes a record of the other workflow, which does its part by itself: it is counted there, and
          can be tried alone.
        </p>
        <WhatIsHanded step={step} samples={samples} />
        <fieldset className="space-y-1.5">
          <legend className="mb-1 font-medium">Which workflow takes it in?</legend>
          {receivers.map((one) => (
            <Choice
              key={one.id}
              name="receiver"
              isOn={what === one.id}
              isOff={one.isRound}
              onChoose={() => setChosen(one.id)}
              title={one.name}
              text={one.isRound ? 'It leads back to this one: they would set each other going without end.' : undefined}
            />
          ))}
          <Choice
            name="receiver"
            isOn={what === anew}
            onChoose={() => setChosen(anew)}
            title="A new workflow"
            text="It begins with the fields that are known here. What it does with them you say there."
          />
        </fieldset>
        {what === anew && (
          <div className="grid gap-x-3 sm:grid-cols-2">
            <TextField
              label="What is it called?"
              placeholder="Accounts for new people"
              maxLength={120}
              value={name}
              onChange={(event) => setName(event.target.value)}
            />
            <TextField
              label="What is one of them?"
              hint="As in “3 people handed over”."
              placeholder="person"
              maxLength={60}
              value={singular}
              onChange={(event) => setSingular(event.target.value)}
            />
          </div>
        )}
        <span className="flex gap-2">
          <Button
            look="main"
            disabled={choose.isPending || what === undefined || (what === anew && name.trim() === '')}
            onClick={() => choose.mutate(undefined)}
          >
            {what === anew ? 'Make it' : 'Hand over to it'}
          </Button>
          {onKeep && <Button onClick={onKeep}>Keep it as it is</Button>}
        </span>
      </div>
    </div>
  );
}

/** The fields of what is handed over here: of the record, or of one item of the list. None is required to begin with. */
function neededHere(content: WorkflowContent, { within }: HandOverStep): Field[] {
  return aroundWorkflow(content)
    .fieldsOf(within ?? startId)
    .filter(({ path }) => !path.startsWith('/$'))
    .map(({ readOnly: _r, required: _q, mayLack: _m, idOf: _i, ...field }) => field)
    .slice(0, 100);
}

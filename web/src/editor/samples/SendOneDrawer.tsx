import { chooseAwkward, type JsonRecord, recordTitle } from '@golden/core';
import { Stamp } from 'lucide-react';
import { useState } from 'react';
import { call } from '../../api/client.ts';
import { useAction, useItem } from '../../api/queries.ts';
import { Button } from '../../parts/Button.tsx';
import { Drawer } from '../../parts/Drawer.tsx';
import { ItemStory } from '../../parts/ItemStory.tsx';
import { Loading } from '../../parts/Messages.tsx';
import type { EditorContext } from '../draft/context.tsx';

interface SendProps {
  readonly context: EditorContext;
  readonly isOpen: boolean;
  readonly onClose: () => void;
}

/** One sample sent for real, read back beside what was sent, and taken back if wanted. */
export function SendOneDrawer({ context, isOpen, onClose }: SendProps) {
  const [sampleId, setSampleId] = useState('');
  const [itemId, setItemId] = useState('');
  const { draft, workflow } = context;
  const send = useAction(async (sourceId: string) => {
    await draft.flush();
    const { itemId: made } = await call('POST /api/workflows/:id/send-one', {
      params: { id: workflow.id },
      body: { sourceId },
    });
    setItemId(made);
  });
  const close = (): void => {
    setItemId('');
    onClose();
  };
  return (
    <Drawer
      title="Send one for real"
      isOpen={isOpen}
      onClose={close}
      isWide
      foot={
        itemId ? (
          <Button onClick={() => setItemId('')}>Try a different one</Button>
        ) : (
          <Button
            look="main"
            icon={<Stamp size={15} strokeWidth={1.75} />}
            disabled={!sampleId || send.isPending}
            onClick={() => send.mutate(sampleId)}
          >
            {send.isPending ? 'Sending…' : 'Send this one'}
          </Button>
        )
      }
    >
      {itemId ? (
        <Sent itemId={itemId} zone={context.zone} />
      ) : (
        <Choice context={context} chosen={sampleId} onChoose={setSampleId} />
      )}
    </Drawer>
  );
}

interface ChoiceProps {
  readonly context: EditorContext;
  readonly chosen: string;
  readonly onChoose: (id: string) => void;
}

/** The samples to choose from, the awkward ones first; what was made up can't be sent. */
function Choice({ context, chosen, onChoose }: ChoiceProps) {
  const samples = context.samples.filter((sample) => sample.origin === 'real');
  const fields = context.draft.content.start.source?.described.fields ?? [];
  const offered = chooseAwkward(samples, (sample) => sample.record as JsonRecord, fields, 8);
  const others = samples.filter((sample) => !offered.some((one) => one.sample.id === sample.id));
  return (
    <>
      <p className="mb-3 text-ink-2">
        The draft is saved as a version. This one record is written to its real destination and read back. You can take
        it back afterwards.
      </p>
      <fieldset>
        <legend className="sr-only">Which record</legend>
        <ul className="divide-y divide-line-2 rounded-md border border-line-1">
          {[...offered, ...others.map((sample) => ({ sample, why: '' }))].map(({ sample, why }) => (
            <li key={sample.id}>
              <label className={`flex items-baseline gap-2 px-3 py-1.5 ${chosen === sample.id ? 'bg-pine-faint' : ''}`}>
                <input
                  type="radio"
                  name="sample"
                  checked={chosen === sample.id}
                  onChange={() => onChoose(sample.id)}
                  className="accent-pine"
                />
                <span>{recordTitle(sample.record as JsonRecord)}</span>
                <span className="text-sm text-brass">{why}</span>
                <span className="ml-auto font-mono text-sm text-ink-2">{sample.id}</span>
              </label>
            </li>
          ))}
        </ul>
      </fieldset>
    </>
  );
}

function Sent({ itemId, zone }: { readonly itemId: string; readonly zone: string }) {
  const item = useItem(itemId).data;
  return item ? <ItemStory item={item} zone={zone} /> : <Loading what="what was sent" />;
}

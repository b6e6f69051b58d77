import type { WorkflowContent } from '@golden/core';
import { useEffect, useState } from 'react';
import { call } from '../../api/client.ts';
import { useAction } from '../../api/queries.ts';
import { Button } from '../../parts/Button.tsx';
import { Drawer } from '../../parts/Drawer.tsx';
import { Select } from '../../parts/Field.tsx';
import { Loading, ProblemMessage } from '../../parts/Messages.tsx';
import { useEditor } from '../draft/context.tsx';
import { ConnectDrawer } from './ConnectDrawer.tsx';

interface SwapProps {
  readonly connectionId: string;
  readonly isOpen: boolean;
  readonly onClose: () => void;
}

/** Another account of the same app in the place of one, such as from test to live, with what differs there. */
export function SwapDrawer({ connectionId, isOpen, onClose }: SwapProps) {
  const { workflow, draft, connections } = useEditor();
  const [to, setTo] = useState('');
  const [isConnecting, setConnecting] = useState(false);
  const old = connections.find((one) => one.id === connectionId);
  const others = connections.filter((one) => one.app === old?.app && one.id !== connectionId);
  const look = useAction(async (other: string) => {
    await draft.flush();
    return call('GET /api/workflows/:id/swap', {
      params: { id: workflow.id },
      query: { from: connectionId, to: other },
    });
  });
  const { mutate, reset } = look;
  useEffect(() => {
    if (to) mutate(to);
    else reset();
  }, [to, mutate, reset]);
  const found = to ? look.data : undefined;
  return (
    <Drawer
      title={`Another connection instead of ${old?.name ?? ''}`}
      isOpen={isOpen}
      onClose={onClose}
      foot={
        found && (
          <Button
            look="main"
            onClick={() => {
              draft.change(() => found.content as WorkflowContent);
              setTo('');
              onClose();
            }}
          >
            Use it in this workflow
          </Button>
        )
      }
    >
      <p className="mb-3 text-ink-2">
        The places and fields stay; only the account changes. Here is what differs there before anything is changed.
      </p>
      <div className="mb-3 flex flex-wrap items-center gap-2">
        <Select
          aria-label="The other connection"
          value={to}
          onChange={(event) => setTo(event.target.value)}
          choices={[
            { value: '', label: others.length > 0 ? 'choose the other one' : 'no other connection to this app yet' },
            ...others.map((one) => ({ value: one.id, label: one.name })),
          ]}
        />
        <Button look="quiet" onClick={() => setConnecting(true)}>
          Connect another
        </Button>
      </div>
      {look.isPending && to && <Loading what="what differs" />}
      {found &&
        (found.differences.length === 0 ? (
          <p className="text-pine">Nothing that this workflow uses is different.</p>
        ) : (
          <ProblemMessage>
            <ul className="space-y-1">
              {found.differences.map((one) => (
                <li key={one}>{one}</li>
              ))}
            </ul>
          </ProblemMessage>
        ))}
      <ConnectDrawer
        isOpen={isConnecting}
        onClose={() => setConnecting(false)}
        onConnected={(made) => setTo(made.id)}
      />
    </Drawer>
  );
}

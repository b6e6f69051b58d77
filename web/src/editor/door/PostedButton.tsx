import type { WorkflowContent } from '@golden/core';
import { Webhook } from 'lucide-react';
import { useState } from 'react';
import { useNavigate } from 'react-router';
import { call } from '../../api/client.ts';
import { useAction } from '../../api/queries.ts';
import { Button } from '../../parts/Button.tsx';
import { Drawer } from '../../parts/Drawer.tsx';
import { TextField } from '../../parts/Field.tsx';
import { useEditor } from '../draft/context.tsx';

interface DrawerProps {
  readonly isOpen: boolean;
  readonly onClose: () => void;
  readonly onName: (name: string) => void;
  readonly isBusy: boolean;
}

/** Asks what is posted. */
function PostedDrawer({ isOpen, onClose, onName, isBusy }: DrawerProps) {
  const [name, setName] = useState('');
  return (
    <Drawer
      title="Start by posted events"
      isOpen={isOpen}
      onClose={onClose}
      foot={
        <Button look="main" disabled={isBusy || name.trim() === ''} onClick={() => onName(name.trim())}>
          Make the address
        </Button>
      }
    >
      <p className="mb-4 text-ink-2">
        Another app tells at once when something happens there, by posting it to an address of this workflow (a
        webhook). You get the address, paste it there, and see here what comes.
      </p>
      <TextField
        label="What is posted?"
        placeholder="Orders from the shop"
        value={name}
        onChange={(event) => setName(event.target.value)}
        onKeyDown={(event) => event.key === 'Enter' && name.trim() !== '' && onName(name.trim())}
      />
    </Drawer>
  );
}

/** Lets the workflow that is edited start by posted events. */
export function PostedButton() {
  const { draft, workflow } = useEditor();
  const [isOpen, setOpen] = useState(false);
  const make = useAction(async (name: string) => {
    await draft.flush();
    const { content } = await call('POST /api/workflows/:id/door', { params: { id: workflow.id }, body: { name } });
    draft.change(() => content as unknown as WorkflowContent);
    setOpen(false);
  });
  return (
    <>
      <Button
        look="quiet"
        className="ml-auto"
        icon={<Webhook size={14} strokeWidth={1.75} />}
        onClick={() => setOpen(true)}
      >
        Start by posted events
      </Button>
      <PostedDrawer
        isOpen={isOpen}
        onClose={() => setOpen(false)}
        onName={(name) => make.mutate(name)}
        isBusy={make.isPending}
      />
    </>
  );
}

/** Makes a new workflow that starts by posted events. */
export function NewPostedButton() {
  const navigate = useNavigate();
  const [isOpen, setOpen] = useState(false);
  const make = useAction(async (name: string) => {
    const made = await call('POST /api/doors', { body: { name } });
    await navigate(`/workflows/${made.id}`);
  });
  return (
    <>
      <Button look="quiet" icon={<Webhook size={15} strokeWidth={1.75} />} onClick={() => setOpen(true)}>
        Start by posted events
      </Button>
      <PostedDrawer
        isOpen={isOpen}
        onClose={() => setOpen(false)}
        onName={(name) => make.mutate(name)}
        isBusy={make.isPending}
      />
    </>
  );
}

import { KeyRound } from 'lucide-react';
import { useState } from 'react';
import { useConnection, useConnections } from '../api/queries.ts';
import { Button } from './Button.tsx';
import { ChangeForm } from './ChangeConnection.tsx';
import { Drawer } from './Drawer.tsx';
import { HealthNote } from './HealthNote.tsx';
import { Loading } from './Messages.tsx';

/** Where something is to be written with a key that may only read: said there, with the way to change it there. */
export function TooFewRights({ connectionId }: { readonly connectionId: string }) {
  const connection = useConnections().data?.find(({ id }) => id === connectionId);
  const [isOpen, setOpen] = useState(false);
  if (connection?.health?.mayWrite !== false && !isOpen) return null;
  const name = connection?.name ?? 'this app';
  return (
    <>
      <Button icon={<KeyRound size={14} strokeWidth={1.75} className="text-brick" />} onClick={() => setOpen(true)}>
        <span className="text-brick">Its key may not write there…</span>
      </Button>
      <Drawer title={`The right to write in ${name}`} isOpen={isOpen} onClose={() => setOpen(false)}>
        <p className="mb-3 text-ink-2">
          Golden Relay is signed in to {name} with a key that may read and not write. Give it one that may write; what
          you have built stays as it is.
        </p>
        {isOpen && <Rights connectionId={connectionId} />}
      </Drawer>
    </>
  );
}

function Rights({ connectionId }: { readonly connectionId: string }) {
  const whole = useConnection(connectionId).data;
  if (!whole) return <Loading what="the connection" />;
  return (
    <>
      <HealthNote connection={whole} />
      <div className="mt-4">
        <ChangeForm connection={whole} wantsWrite />
      </div>
    </>
  );
}

import { Send } from 'lucide-react';
import { useState } from 'react';
import { call } from '../../api/client.ts';
import { useAction } from '../../api/queries.ts';
import { Button } from '../../parts/Button.tsx';
import { Drawer } from '../../parts/Drawer.tsx';

interface TestProps {
  readonly door: string;
  readonly isOpen: boolean;
  readonly onClose: () => void;
}

const example = `{
  "id": "test-1",
  "name": "Ada Nair",
  "email": "ada.nair@example.com"
}`;

/** Posts an event from here, to see that the door is open and what callers are answered. */
export function TestEventDrawer({ door, isOpen, onClose }: TestProps) {
  const [body, setBody] = useState(example);
  const send = useAction(() =>
    call('POST /api/doors/:id/test', { params: { id: door }, body: { mediaType: 'application/json', body } }),
  );
  return (
    <Drawer
      title="Send a test event"
      isOpen={isOpen}
      onClose={onClose}
      foot={
        <Button look="main" icon={<Send size={14} />} disabled={send.isPending} onClick={() => send.mutate(undefined)}>
          Post it from here
        </Button>
      }
    >
      <p className="mb-3 text-ink-2">
        It is posted to the address from this machine, without the secret. Its fields are learnt; it starts nothing.
      </p>
      <textarea
        aria-label="The event, as JSON"
        value={body}
        onChange={(event) => setBody(event.target.value)}
        spellCheck={false}
        className="h-[240px] w-full rounded-md border border-line-input bg-raised px-3 py-2 font-mono text-sm [font-variant-ligatures:none]"
      />
      {send.data && (
        <p role="status" className={`mt-3 ${send.data.status < 300 ? 'text-pine' : 'text-brick'}`}>
          Answered with {send.data.status}
          {send.data.text.trim() ? `: ${send.data.text}` : '.'}
        </p>
      )}
    </Drawer>
  );
}

import { Hourglass, RotateCw } from 'lucide-react';
import type { ReactNode } from 'react';
import { call } from '../api/client.ts';
import { type Today, useAction } from '../api/queries.ts';
import { Button } from './Button.tsx';
import { counted, formatInstant } from './formats.ts';

/** Something waits and goes on by itself: why, and when. */
export function WaitNote({ children, action }: { readonly children: ReactNode; readonly action?: ReactNode }) {
  return (
    <div role="status" className="flex items-center gap-2 rounded-md border border-line-1 bg-sheet px-3 py-2">
      <Hourglass size={16} strokeWidth={1.75} className="shrink-0 text-plum" aria-hidden="true" />
      <div className="min-w-0 flex-1">{children}</div>
      {action}
    </div>
  );
}

/** A connection that doesn't answer for the moment: nobody has to do anything, but may. */
export function PauseNote({ pause, zone }: { readonly pause: Today['pauses'][number]; readonly zone: string }) {
  const retry = useAction(() => call('POST /api/connections/:id/check', { params: { id: pause.connectionId } }));
  const who = pause.count === 0 ? '' : ` ${counted(pause.count, 'record')} ${pause.count === 1 ? 'waits' : 'wait'}.`;
  return (
    <WaitNote
      action={
        <Button icon={<RotateCw size={14} />} disabled={retry.isPending} onClick={() => retry.mutate(undefined)}>
          Try now
        </Button>
      }
    >
      <span className="font-medium">{pause.reason}</span>
      {who} It is tried again by itself, next at {formatInstant(pause.until, zone)}.
    </WaitNote>
  );
}

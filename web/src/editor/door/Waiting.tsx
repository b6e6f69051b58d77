import { Radio } from 'lucide-react';
import { useEffect, useState } from 'react';
import { call } from '../../api/client.ts';
import { useAction } from '../../api/queries.ts';
import { Button } from '../../parts/Button.tsx';
import { formatSeconds } from '../../parts/formats.ts';

interface WaitingProps {
  readonly door: string;
  readonly until: string | null;
  readonly count: number;
}

/** Waits for an event: how long by now, until one comes or somebody stops. */
export function Waiting({ door, until, count }: WaitingProps) {
  const [began, setBegan] = useState<{ readonly at: number; readonly count: number }>();
  const [now, setNow] = useState(Date.now());
  const wait = useAction((isWaiting: boolean) =>
    call('POST /api/doors/:id/wait', { params: { id: door }, body: { isWaiting } }),
  );
  const isOver = began !== undefined && count > began.count;
  const isWaiting = began !== undefined && !isOver && until !== null;
  useEffect(() => {
    if (!isWaiting) return;
    const timer = setInterval(() => setNow(Date.now()), 500);
    return () => clearInterval(timer);
  }, [isWaiting]);
  if (isWaiting)
    return (
      <>
        <Button
          onClick={() => {
            setBegan(undefined);
            wait.mutate(false);
          }}
        >
          Stop waiting
        </Button>
        <span role="status" className="tabular-nums text-pine">
          Waiting for an event… {formatSeconds(Math.floor((now - began.at) / 1000))}
        </span>
      </>
    );
  return (
    <>
      <Button
        look={count === 0 ? 'main' : 'plain'}
        icon={<Radio size={14} strokeWidth={1.75} />}
        onClick={() => {
          setBegan({ at: Date.now(), count });
          setNow(Date.now());
          wait.mutate(true);
        }}
      >
        Wait for an event
      </Button>
      {isOver && (
        <span role="status" className="text-pine">
          One has come. {count === 1 && 'Post a second, different one to compare.'}
        </span>
      )}
    </>
  );
}

import { CircleStop, Hand, Play } from 'lucide-react';
import { useState } from 'react';
import { call } from '../api/client.ts';
import { type Today, useAction } from '../api/queries.ts';
import { Button } from './Button.tsx';
import { ConfirmDialog } from './ConfirmDialog.tsx';
import { inputLook } from './Field.tsx';
import { counted, formatInstant, formatNumber } from './formats.ts';
import { WaitNote } from './PauseNote.tsx';

/** One switch for all that asks, wakes and sends by itself. */
export function StopEverythingButton() {
  const [isOpen, setOpen] = useState(false);
  const [why, setWhy] = useState('');
  const stop = useAction(async () => {
    await call('POST /api/stop', { body: { why: why.trim() } });
    setOpen(false);
  });
  return (
    <>
      <Button look="quiet" icon={<CircleStop size={15} strokeWidth={1.75} />} onClick={() => setOpen(true)}>
        Stop everything
      </Button>
      <ConfirmDialog
        title="Stop everything"
        isOpen={isOpen}
        onClose={() => setOpen(false)}
        onConfirm={() => stop.mutate(undefined)}
        confirm="Stop everything"
        isBusy={stop.isPending}
      >
        <p>
          No workflow checks or sends anything until you continue. What is under way ends first. Nothing is lost: what
          comes in the meantime is taken in afterwards.
        </p>
        <label className="block">
          <span className="mb-1 block">Reason (shown to everybody)</span>
          <input className={`${inputLook} w-full`} value={why} onChange={(event) => setWhy(event.target.value)} />
        </label>
      </ConfirmDialog>
    </>
  );
}

/** Everything stands still: since when, why, and the way on. */
export function StoppedNote({
  stopped,
  zone,
}: {
  readonly stopped: NonNullable<Today['stopped']>;
  readonly zone: string;
}) {
  const goOn = useAction(() => call('POST /api/go-on', {}));
  return (
    <div
      role="status"
      className="flex items-center gap-3 rounded-lg border border-brass-fill/60 bg-brass-tint px-4 py-3"
    >
      <Hand size={18} strokeWidth={1.75} className="shrink-0 text-brass" aria-hidden="true" />
      <p className="min-w-0 flex-1">
        <strong className="font-semibold text-brass">Everything is stopped</strong> since{' '}
        {formatInstant(stopped.since, zone)}
        {stopped.why && `: ${stopped.why}`}. Nothing is asked or sent by itself.
      </p>
      <Button look="main" icon={<Play size={14} />} disabled={goOn.isPending} onClick={() => goOn.mutate(undefined)}>
        Continue
      </Button>
    </div>
  );
}

/** Golden Relay or its machine was off for a while: since when, what was caught up, what can't be known. */
export function OffNote({ off, zone }: { readonly off: NonNullable<Today['off']>; readonly zone: string }) {
  const seen = useAction(() => call('POST /api/off/seen', {}));
  const isDone = off.asked >= off.on;
  return (
    <WaitNote
      action={
        <Button disabled={seen.isPending} onClick={() => seen.mutate(undefined)}>
          Hide this
        </Button>
      }
    >
      <span className="font-medium">
        Golden Relay was off from {formatInstant(off.from, zone)} to {formatInstant(off.to, zone)}.
      </span>{' '}
      {isDone
        ? `${counted(off.caughtUp, 'record')} that came meanwhile ${off.caughtUp === 1 ? 'was' : 'were'} taken in.`
        : `${formatNumber(off.asked)} of ${counted(off.on, 'workflow')} have asked since; ${counted(off.caughtUp, 'record')} taken in so far.`}{' '}
      Changes that were undone in that time, and records added and removed again, can’t be seen.
      {off.hasDoors && ' Events that were posted meanwhile came only if their sender tried again.'}
    </WaitNote>
  );
}

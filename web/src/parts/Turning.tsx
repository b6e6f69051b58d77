import { type ReactNode, useState } from 'react';
import { ApiProblem, call } from '../api/client.ts';
import { type Handing, useAction } from '../api/queries.ts';
import { Choice } from './AccountChoice.tsx';
import { BothEnds, hasMoreToTell, idsOf, proposedToo } from './BothEnds.tsx';
import { ConfirmDialog } from './ConfirmDialog.tsx';
import { counted } from './formats.ts';

type Waiting = 'held' | 'goes_on';
export type Overdue = 'send' | 'stop';

/** How many records a refusal says are overdue; undefined for any other error. */
export const overdueIn = (error: unknown): number | undefined =>
  error instanceof ApiProblem && error.kind === 'overdue' ? Number(error.more['count']) : undefined;

/**
 * Switches a workflow on and off. What waits is asked about when it is switched off, and what is overdue when it is
 * switched on.
 *
 * @param waiting - how many of its records wait
 */
export function useTurning(
  id: string,
  waiting: number,
): { turn(isOn: boolean): void; isBusy: boolean; asked: ReactNode } {
  const [asksOff, setAsksOff] = useState(false);
  const [count, setCount] = useState<number>();
  const params = { id };
  const off = useAction((what: Waiting) => call('POST /api/workflows/:id/off', { params, query: { waiting: what } }));
  const [ends, setEnds] = useState<Handing>();
  const [also, setAlso] = useState<ReadonlySet<string>>(new Set());
  const on = useAction(async (overdue: Overdue | undefined) => {
    try {
      await call('POST /api/workflows/:id/on', {
        params,
        query: { overdue, also: idsOf(also) },
      });
    } catch (error) {
      const late = overdueIn(error);
      if (late === undefined) throw error;
      setCount(late);
    }
  });
  // One end of handing over doesn't go on without a word of the other.
  const begin = useAction(async () => {
    const handing = await call('GET /api/workflows/:id/handing', { params });
    setAlso(proposedToo(handing));
    if (hasMoreToTell(handing)) setEnds(handing);
    else on.mutate(undefined);
  });
  return {
    turn: (isOn) => {
      if (isOn) begin.mutate(undefined);
      else if (waiting > 0) setAsksOff(true);
      else off.mutate('held');
    },
    isBusy: begin.isPending || on.isPending || off.isPending,
    asked: (
      <>
        {asksOff && (
          <OffDialog
            waiting={waiting}
            onClose={() => setAsksOff(false)}
            onSay={(what) => {
              setAsksOff(false);
              off.mutate(what);
            }}
          />
        )}
        {ends && (
          <ConfirmDialog
            title="Switch it on?"
            isOpen
            onClose={() => setEnds(undefined)}
            confirm={also.size > 0 ? 'Switch them on' : 'Switch it on'}
            onConfirm={() => {
              setEnds(undefined);
              on.mutate(undefined);
            }}
          >
            <BothEnds handing={ends} also={also} onSay={setAlso} />
          </ConfirmDialog>
        )}
        {count !== undefined && (
          <OnDialog
            count={count}
            onClose={() => setCount(undefined)}
            onSay={(what) => {
              setCount(undefined);
              on.mutate(what);
            }}
          />
        )}
      </>
    ),
  };
}

interface OffProps {
  readonly waiting: number;
  readonly onClose: () => void;
  readonly onSay: (what: Waiting) => void;
}

function OffDialog({ waiting, onClose, onSay }: OffProps) {
  const [what, setWhat] = useState<Waiting>('held');
  return (
    <ConfirmDialog title="Switch it off?" isOpen onClose={onClose} confirm="Switch off" onConfirm={() => onSay(what)}>
      <p>Nothing new comes in. {waiting === 1 ? '1 record waits' : `${counted(waiting, 'record')} wait`}:</p>
      <fieldset className="space-y-1.5" aria-label="What waits">
        <Choice
          name="waiting"
          isOn={what === 'held'}
          onChoose={() => setWhat('held')}
          title="Hold them until it is switched on again"
        />
        <Choice
          name="waiting"
          isOn={what === 'goes_on'}
          onChoose={() => setWhat('goes_on')}
          title="Let them go on when their time comes"
        />
      </fieldset>
    </ConfirmDialog>
  );
}

interface OnProps {
  readonly count: number;
  readonly onClose: () => void;
  readonly onSay: (what: Overdue) => void;
}

function OnDialog({ count, onClose, onSay }: OnProps) {
  const [what, setWhat] = useState<Overdue>();
  return (
    <ConfirmDialog
      title="Some are overdue"
      isOpen
      onClose={onClose}
      confirm="Switch on"
      isBusy={what === undefined}
      onConfirm={() => what && onSay(what)}
    >
      <OverdueChoice count={count} what={what} onSay={setWhat} />
    </ConfirmDialog>
  );
}

interface OverdueProps {
  readonly count: number;
  readonly what: Overdue | undefined;
  readonly onSay: (what: Overdue) => void;
}

/** What becomes of records whose time passed while the workflow was off: nothing of it is sent without a word. */
export function OverdueChoice({ count, what, onSay }: OverdueProps) {
  return (
    <fieldset className="space-y-1.5" aria-label="What is overdue">
      <p className="mb-1">
        The time of {counted(count, 'record')} passed while the workflow was off. What becomes of{' '}
        {count === 1 ? 'it' : 'them'}?
      </p>
      <Choice
        name="overdue"
        isOn={what === 'stop'}
        onChoose={() => onSay('stop')}
        title="Stop there: what comes after the wait isn’t done any more"
      />
      <Choice name="overdue" isOn={what === 'send'} onChoose={() => onSay('send')} title="Go on now, late as it is" />
    </fieldset>
  );
}

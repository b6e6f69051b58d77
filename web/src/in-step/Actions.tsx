import { ClipboardCheck, GitCompareArrows, RotateCcw, Stamp, Trash2 } from 'lucide-react';
import { useState } from 'react';
import { useNavigate } from 'react-router';
import { call } from '../api/client.ts';
import { type InStep, useAction } from '../api/queries.ts';
import { Button } from '../parts/Button.tsx';
import { ConfirmDialog } from '../parts/ConfirmDialog.tsx';
import { OnOff } from '../parts/OnOff.tsx';
import { ToAcceptList } from '../parts/ToAcceptList.tsx';
import { sideNames, stateWords } from './words.ts';

/** What can be done with a pair. */
export function Actions({ pair, onGone }: { readonly pair: InStep; readonly onGone: () => void }) {
  const navigate = useNavigate();
  const [asked, setAsked] = useState<'' | 'live' | 'end'>('');
  const params = { id: pair.id };
  const rehearse = useAction(() => call('POST /api/in-step/:id/rehearsal', { params }));
  const live = useAction(async () => {
    setAsked('');
    await call('POST /api/in-step/:id/live', { params });
  }, 'Both directions are live.');
  const accept = useAction(() => call('POST /api/in-step/:id/accept', { params }));
  const check = useAction(() => call('POST /api/in-step/:id/check', { params }));
  const turn = useAction((isOn: boolean) => call('POST /api/in-step/:id/turn', { params, body: { isOn } }));
  const compare = useAction(async () => {
    const { reconcile } = await call('POST /api/in-step/:id/compare', { params });
    await navigate(`/reconcile?id=${reconcile}`);
  });
  const end = useAction(async () => {
    await call('DELETE /api/in-step/:id', { params });
    setAsked('');
    onGone();
  }, 'Ended. Both directions are workflows of their own now, switched off.');
  const directions = pair.legs.filter(({ carries }) => carries === 'there' || carries === 'here');
  const isRehearsed = directions.every(
    ({ rehearsal, problems }) =>
      rehearsal?.isOfThisDraft === true && ['done', 'stopped'].includes(rehearsal.state) && problems.length === 0,
  );
  const isRunning = directions.some(({ rehearsal }) => rehearsal?.state === 'running');
  const isToMake =
    pair.state === 'draft' ||
    pair.legs.some(({ liveVersion, isDraftChanged }) => liveVersion === null || isDraftChanged);
  const toAccept = pair.legs.flatMap((leg) => leg.toAccept);
  const { here, there } = sideNames(pair);
  return (
    <div className="mt-2 mb-3 flex flex-wrap items-center gap-2">
      <Button
        look={isRehearsed ? 'plain' : 'main'}
        icon={<ClipboardCheck size={15} strokeWidth={1.75} />}
        disabled={rehearse.isPending || isRunning}
        onClick={() => rehearse.mutate(undefined)}
      >
        {isRunning ? 'Rehearsing…' : 'Rehearse both'}
      </Button>
      {isToMake && (
        <Button
          look={isRehearsed ? 'main' : 'plain'}
          icon={<Stamp size={15} strokeWidth={1.75} />}
          disabled={!isRehearsed || live.isPending}
          data-hint={isRehearsed ? undefined : 'Rehearse both first, as they are now'}
          onClick={() => setAsked('live')}
        >
          Make both live…
        </Button>
      )}
      {pair.state === 'on' && (
        <Button
          icon={<RotateCcw size={15} strokeWidth={1.75} />}
          disabled={check.isPending}
          onClick={() => check.mutate(undefined)}
        >
          Look at both now
        </Button>
      )}
      <Button
        look="quiet"
        icon={<GitCompareArrows size={15} strokeWidth={1.75} />}
        disabled={compare.isPending}
        onClick={() => compare.mutate(undefined)}
      >
        Who is whom
      </Button>
      {pair.state !== 'draft' && (
        <span className="flex items-center gap-2">
          <OnOff
            isOn={pair.state === 'on'}
            isOff={false}
            isBusy={turn.isPending}
            label={`Keep ${here} and ${there} in step`}
            onChange={(isOn) => turn.mutate(isOn)}
          />
          {stateWords[pair.state]}
        </span>
      )}
      <Button
        look="quiet"
        icon={<Trash2 size={15} strokeWidth={1.75} />}
        disabled={pair.state === 'on' || pair.state === 'partly'}
        onClick={() => setAsked('end')}
      >
        End it
      </Button>
      <ConfirmDialog
        title="Make both directions live"
        isOpen={asked === 'live'}
        onClose={() => setAsked('')}
        onConfirm={() => live.mutate(undefined)}
        confirm="Make both live"
        isBusy={live.isPending || toAccept.length > 0}
      >
        {toAccept.length > 0 && <ToAcceptList proposals={toAccept} onAccept={() => accept.mutate(undefined)} />}
        <p>
          All records of both sides are looked at now, and written as the rehearsal shows. From then on what changes on
          one side goes to the other.
        </p>
      </ConfirmDialog>
      <ConfirmDialog
        title="End keeping these in step"
        isOpen={asked === 'end'}
        onClose={() => setAsked('')}
        onConfirm={() => end.mutate(undefined)}
        confirm="End it"
        isBusy={end.isPending}
      >
        <p>Both directions stay as workflows of their own, switched off. Nothing in either app is changed.</p>
      </ConfirmDialog>
    </div>
  );
}

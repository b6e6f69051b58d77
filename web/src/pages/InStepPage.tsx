import type { InStepSetting } from '@golden/core';
import { ArrowLeftRight, ClipboardCheck, GitCompareArrows, RotateCcw, Stamp, Trash2 } from 'lucide-react';
import { useState } from 'react';
import { useNavigate, useSearchParams } from 'react-router';
import { call } from '../api/client.ts';
import { type InStep, useAction, useInStep, useInSteps, useSettings } from '../api/queries.ts';
import { Directions } from '../in-step/Directions.tsx';
import { FieldsInStep } from '../in-step/FieldsInStep.tsx';
import { NewPair } from '../in-step/NewPair.tsx';
import { Rules } from '../in-step/Rules.tsx';
import { sideNames, stateWords } from '../in-step/words.ts';
import { Button } from '../parts/Button.tsx';
import { ConfirmDialog } from '../parts/ConfirmDialog.tsx';
import { Select } from '../parts/Field.tsx';
import { EmptyState, Loading, ProblemMessage } from '../parts/Messages.tsx';
import { OnOff } from '../parts/OnOff.tsx';

/** Pairs of places that are kept in step both ways. */
export function InStepPage() {
  const all = useInSteps();
  const [search, setSearch] = useSearchParams();
  const [isNew, setNew] = useState(false);
  const chosen = search.get('id') ?? all.data?.[0]?.id ?? '';
  if (all.error)
    return (
      <div className="p-6">
        <ProblemMessage>{all.error.message}</ProblemMessage>
      </div>
    );
  if (!all.data) return <Loading what="what is kept in step" />;
  return (
    <div className="px-5 py-4">
      <header className="mb-2 flex flex-wrap items-center gap-x-3 gap-y-2">
        <h1 className="text-2xl">In step, both ways</h1>
        {all.data.length > 1 && (
          <Select
            aria-label="Which two places"
            value={chosen}
            onChange={(event) => setSearch({ id: event.target.value })}
            choices={all.data.map((one) => ({ value: one.id, label: one.name }))}
          />
        )}
        <span className="ml-auto" />
        <Button
          look={all.data.length === 0 ? 'main' : 'plain'}
          icon={<ArrowLeftRight size={15} strokeWidth={1.75} />}
          onClick={() => setNew(true)}
        >
          Keep two places in step
        </Button>
      </header>
      {all.data.length === 0 ? (
        <EmptyState title="No two places are kept in step yet.">
          Choose the records of two apps in which people work at the same time. What is new or changes on either side
          goes to the other; where both have changed the same field, your rule decides, or you are asked.
        </EmptyState>
      ) : (
        chosen && <Pair key={chosen} id={chosen} onGone={() => setSearch({})} />
      )}
      <NewPair
        isOpen={isNew}
        onClose={() => setNew(false)}
        onMade={(id) => {
          setNew(false);
          setSearch({ id });
        }}
      />
    </div>
  );
}

function Pair({ id, onGone }: { readonly id: string; readonly onGone: () => void }) {
  const pair = useInStep(id);
  const zone = useSettings().data?.zone ?? 'utc';
  const save = useAction(async (setting: InStepSetting) => {
    const name = pair.data?.name ?? '';
    await call('PUT /api/in-step/:id', { params: { id }, body: { name, setting } });
  });
  if (pair.error) return <ProblemMessage>{pair.error.message}</ProblemMessage>;
  if (!pair.data) return <Loading what="both sides" />;
  const one = pair.data;
  const { here, there } = one;
  return (
    <>
      <p className="text-ink-2">
        The {here.plural} of{' '}
        <strong className="font-medium text-ink-1">{[here.app, ...here.labels].join(' → ')}</strong> and the{' '}
        {there.plural} of <strong className="font-medium text-ink-1">{[there.app, ...there.labels].join(' → ')}</strong>
        : {stateWords[one.state]}.
      </p>
      <Actions pair={one} onGone={onGone} />
      <section aria-label="Directions">
        <Directions pair={one} zone={zone} />
      </section>
      <section aria-label="Fields" className="mt-5">
        <h2 className="mb-2 text-lg">Field by field</h2>
        <FieldsInStep pair={one} onChange={(setting) => save.mutate(setting)} />
      </section>
      <section aria-label="Rules" className="mt-5">
        <h2 className="mb-2 text-lg">For all records</h2>
        <Rules pair={one} onChange={(setting) => save.mutate(setting)} />
      </section>
    </>
  );
}

function Actions({ pair, onGone }: { readonly pair: InStep; readonly onGone: () => void }) {
  const navigate = useNavigate();
  const [asked, setAsked] = useState<'' | 'live' | 'end'>('');
  const params = { id: pair.id };
  const rehearse = useAction(() => call('POST /api/in-step/:id/rehearsal', { params }));
  const live = useAction(async () => {
    setAsked('');
    await call('POST /api/in-step/:id/live', { params });
  }, 'Both directions are live.');
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
        isBusy={live.isPending}
      >
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

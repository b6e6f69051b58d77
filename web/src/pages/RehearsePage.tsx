import { type ItemState, isReady, type itemStates, type WriteStep, writeSteps } from '@golden/core';
import { CircleCheck, RotateCcw, Square } from 'lucide-react';
import { useState } from 'react';
import { useNavigate } from 'react-router';
import { call } from '../api/client.ts';
import { type SheetRow, useBetween, useCounts, useDo, useRehearsal, useSettings } from '../api/queries.ts';
import { useEditor } from '../editor/context.tsx';
import { BalanceStrip } from '../parts/BalanceStrip.tsx';
import { Button } from '../parts/Button.tsx';
import { ConfirmDialog } from '../parts/ConfirmDialog.tsx';
import { counted, formatInstant, formatNumber, formatSeconds } from '../parts/formats.ts';
import { StepStory } from '../parts/ItemStory.tsx';
import { EmptyState, ProblemMessage } from '../parts/Messages.tsx';
import { RunSheet } from '../parts/RunSheet.tsx';

const scopes = [
  { scope: 'samples', text: 'the samples' },
  { scope: 'last_200', text: 'the last 200' },
  { scope: 'all', text: 'all' },
] as const;

/** A run that writes nothing and shows everything. */
export function RehearsePage() {
  const { workflow, draft, zone, connections } = useEditor();
  const rehearsal = useRehearsal(workflow.id).data;
  const [state, setState] = useState<(typeof itemStates)[number]>();
  const [row, setRow] = useState<SheetRow>();
  const [isGoingLive, setGoingLive] = useState(false);
  const begin = useDo(async (scope: (typeof scopes)[number]['scope']) => {
    await draft.flush();
    setRow(undefined);
    await call('POST /api/workflows/:id/rehearsal', { params: { id: workflow.id }, body: { scope } });
  });
  const stop = useDo(() => call('DELETE /api/workflows/:id/rehearsal', { params: { id: workflow.id } }));
  const { content } = draft;
  const source = connections.find((one) => one.id === content.start.source?.connection)?.name ?? 'the source';
  const isRunning = rehearsal?.state === 'running';
  const done = rehearsal?.balance.takenIn ?? 0;
  const canBegin = content.start.source !== null && !isRunning;
  const seconds = rehearsal?.endedAt
    ? (Date.parse(rehearsal.endedAt) - Date.parse(rehearsal.startedAt)) / 1000
    : undefined;
  return (
    <div className="flex h-full min-h-0 flex-col">
      <div className="flex flex-wrap items-center gap-2 px-5 py-2.5">
        <fieldset className="flex items-center gap-1.5">
          <legend className="sr-only">Over which records</legend>
          <span className="text-ink-2">Over</span>
          {scopes.map(({ scope, text }) => (
            <button
              key={scope}
              type="button"
              disabled={!canBegin}
              aria-pressed={rehearsal?.scope === scope}
              onClick={() => begin.mutate(scope)}
              className={`rounded-full border px-3 py-0.5 ${rehearsal?.scope === scope ? 'border-pine bg-pine-tint font-semibold text-pine' : 'border-line-1 bg-raised hover:bg-pine-faint'}`}
            >
              {text}
            </button>
          ))}
        </fieldset>
        <span className="ml-auto text-sm text-ink-2" role="status">
          {isRunning && `Rehearsing: ${formatNumber(done)} of ${rehearsal.total ? formatNumber(rehearsal.total) : '…'}`}
          {seconds !== undefined &&
            rehearsal &&
            `Rehearsed ${formatInstant(rehearsal.startedAt, zone)} in ${formatSeconds(seconds)} · nothing was written`}
        </span>
        {isRunning ? (
          <Button icon={<Square size={13} />} onClick={() => stop.mutate(undefined)}>
            Stop
          </Button>
        ) : (
          rehearsal && (
            <Button
              icon={<RotateCcw size={15} strokeWidth={1.75} />}
              disabled={!canBegin}
              onClick={() => begin.mutate(rehearsal.scope)}
            >
              Again
            </Button>
          )
        )}
        <Button
          look="main"
          icon={<CircleCheck size={15} strokeWidth={1.75} />}
          disabled={!isReady(content)}
          onClick={() => setGoingLive(true)}
        >
          Make it live…
        </Button>
      </div>
      {rehearsal?.message && (
        <div className="px-5 pb-2">
          <ProblemMessage>{rehearsal.message}</ProblemMessage>
        </div>
      )}
      {rehearsal && !rehearsal.isOfThisDraft && !isRunning && (
        <p className="mx-5 mb-2 rounded-md bg-brass-tint px-3 py-1.5 text-brass">
          The draft has changed since. Rehearse again to see what it comes to now.
        </p>
      )}
      {rehearsal ? (
        <>
          <div className="px-5 pb-3">
            <BalanceStrip
              balance={rehearsal.balance}
              source={`in ${source}`}
              isUnderWay={isRunning}
              chosen={state}
              onChoose={(next) => {
                setState(next);
                setRow(undefined);
              }}
            />
          </div>
          <div
            className={`grid min-h-0 flex-1 border-t border-line-1 ${row ? 'grid-cols-[1fr_340px]' : 'grid-cols-1'}`}
          >
            <RunSheet
              content={content}
              writes={rehearsal.writes}
              queryKey={['rehearsal-items', workflow.id, rehearsal.startedAt, state ?? 'all']}
              load={(from, limit) =>
                call('GET /api/workflows/:id/rehearsal/items', {
                  params: { id: workflow.id },
                  query: { from, limit, ...(state && { state }) },
                })
              }
              total={rehearsal.balance.takenIn}
              chosen={row?.id}
              onChoose={setRow}
            />
            {row && (
              <aside aria-label="This record" className="min-h-0 overflow-y-auto border-l border-line-1 px-4 py-3.5">
                <h2 className="text-xl">{row.title}</h2>
                <p className="mb-3 text-ink-2">
                  record <span className="font-mono text-sm">{row.sourceId}</span> in {source}
                </p>
                <StepStory content={content} state={row.detail as ItemState} isRehearsal />
              </aside>
            )}
          </div>
        </>
      ) : (
        <div className="px-5">
          <EmptyState
            title="See what would happen before it happens."
            action={
              <Button look="main" disabled={!canBegin} onClick={() => begin.mutate('last_200')}>
                Rehearse the last 200
              </Button>
            }
          >
            A rehearsal takes real records through the draft and shows for each what would be new, changed, the same or
            unsettled. Nothing is written anywhere.
          </EmptyState>
        </div>
      )}
      <LiveDialog isOpen={isGoingLive} onClose={() => setGoingLive(false)} />
    </div>
  );
}

/** Switching on, seeing how many records that means now, and who gets what. */
function LiveDialog({ isOpen, onClose }: { readonly isOpen: boolean; readonly onClose: () => void }) {
  const { workflow, draft, sourceKey, connections } = useEditor();
  const navigate = useNavigate();
  const { start } = draft.content;
  const since = start.fromWhen.kind === 'since' ? start.fromWhen.at : undefined;
  const counts = useCounts(workflow.id, `${sourceKey}|${start.on}`, isOpen, since).data;
  const live = useDo(async () => {
    await draft.flush();
    await call('POST /api/workflows/:id/live', { params: { id: workflow.id } });
    onClose();
    await navigate(`/workflows/${workflow.id}/runs`);
  });
  const lies = useBetween(workflow.id, workflow.rev, isOpen).data;
  const goesOn = lies?.begins === null;
  const now = counts && { now: 0, since: counts.since ?? 0, all: counts.all }[start.fromWhen.kind];
  const words = start.source?.described;
  const rehearsal = useRehearsal(workflow.id).data;
  const unaccepted = writeSteps(draft.content).reduce((sum, step) => sum + Object.keys(step.suggested ?? {}).length, 0);
  return (
    <ConfirmDialog
      title={`Make “${draft.content.name}” live`}
      isOpen={isOpen}
      onClose={onClose}
      onConfirm={() => live.mutate(undefined)}
      confirm={now && !goesOn ? `Make it live and take in ${formatNumber(now)}` : 'Make it live'}
      isBusy={live.isPending || counts === undefined || lies === undefined}
    >
      {lies && workflow.liveVersion !== null && words && <Between lies={lies} words={words} />}
      <p>
        {counts === undefined || words === undefined || now === undefined || lies === undefined ? (
          'Counting…'
        ) : goesOn ? (
          <>
            It goes on being asked every {start.everyMinutes} {start.everyMinutes === 1 ? 'minute' : 'minutes'}.
          </>
        ) : (
          <>
            Of the {counted(counts.all, words.singular, words.plural)} that are there,{' '}
            <strong className="font-semibold">{formatNumber(now)}</strong> {now === 1 ? 'is' : 'are'} taken in now and{' '}
            {formatNumber(counts.all - now)} noted. From then on it is asked every {start.everyMinutes}{' '}
            {start.everyMinutes === 1 ? 'minute' : 'minutes'}.
          </>
        )}
      </p>
      <ul className="list-disc pl-5">
        {writeSteps(draft.content)
          .filter((step) => !step.isOff)
          .map((step) => (
            <li key={step.id}>
              {connections.find((one) => one.id === step.target?.connection)?.name}, {step.target?.labels.join(' → ')},
              gets {mostWords(step, rehearsal)}
            </li>
          ))}
      </ul>
      {workflow.stopped > 0 && (
        <p>
          {counted(workflow.stopped, 'record')} that a change of the place had stopped{' '}
          {workflow.stopped === 1 ? 'goes' : 'go'} on with it.
        </p>
      )}
      {unaccepted > 0 && (
        <p className="rounded-md bg-brass-tint px-3 py-2 text-brass">
          {counted(unaccepted, 'proposed filling')} {unaccepted === 1 ? 'has' : 'have'} not been accepted or changed by
          anybody yet.
        </p>
      )}
      <p className="text-ink-2">
        The draft becomes a numbered version that never changes. You can go on editing the draft.
      </p>
    </ConfirmDialog>
  );
}

interface BetweenProps {
  readonly lies: NonNullable<ReturnType<typeof useBetween>['data']>;
  readonly words: { readonly singular: string; readonly plural: string };
}

/** Where the new version begins, what lies between the last check and now, and what becomes of it. */
function Between({ lies, words }: BetweenProps) {
  const zone = useSettings().data?.zone ?? 'utc';
  const { begins, between, lastCheckedAt, isTaken } = lies;
  const beginning = {
    going: 'It goes on where the live version stands.',
    source: 'It starts from another place than the live version, and begins there from the start.',
    from_when: 'You have changed from when it begins, so it begins anew.',
    first: 'The live version has not finished its beginning, so it begins anew.',
  }[begins ?? 'going'];
  const some = between && between.count > 0 ? between : undefined;
  const rest = some ? some.count - some.titles.length : 0;
  return (
    <p>
      {beginning}
      {some && (
        <>
          {' '}
          Since the last check{lastCheckedAt ? ` (${formatInstant(lastCheckedAt, zone)})` : ''}{' '}
          <strong className="font-semibold">{counted(some.count, words.singular, words.plural)}</strong> came that no
          check has seen: {some.titles.map((title) => `“${title}”`).join(', ')}
          {rest > 0 ? ` and ${formatNumber(rest)} more` : ''}.{' '}
          {isTaken
            ? some.count === 1
              ? 'It is taken in.'
              : 'They are taken in.'
            : some.count === 1
              ? 'It counts as known, and is not copied.'
              : 'They count as known, and are not copied.'}
        </>
      )}
      {between && !some && ' Nothing has come since the last check.'}
    </p>
  );
}

/** What a write came to in the last rehearsal: "12 new and 3 changed of the 50 rehearsed". */
function mostWords(step: WriteStep, rehearsal: ReturnType<typeof useRehearsal>['data']): string {
  const counts = rehearsal?.isOfThisDraft ? (rehearsal.writes[step.id] ?? {}) : {};
  const said = [
    counts['new'] ? `${formatNumber(counts['new'])} new` : '',
    counts['changed'] ? `${formatNumber(counts['changed'])} changed` : '',
    counts['same'] ? `${formatNumber(counts['same'])} the same` : '',
  ].filter(Boolean);
  const fields = counted(Object.keys(step.mapping).length, 'field');
  return said.length > 0
    ? `${fields} a record: of the ${formatNumber(rehearsal?.balance.takenIn ?? 0)} rehearsed ${said.join(', ')}`
    : `${fields} a record`;
}

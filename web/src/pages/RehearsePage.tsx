import { type ItemState, isReady, type itemStates } from '@golden/core';
import { CircleCheck, RotateCcw, Square } from 'lucide-react';
import { useDeferredValue, useState } from 'react';
import { useNavigate } from 'react-router';
import { call } from '../api/client.ts';
import { type SheetRow, useAction, useRehearsal } from '../api/queries.ts';
import { useEditor } from '../editor/draft/context.tsx';
import { BalanceStrip } from '../parts/BalanceStrip.tsx';
import { Button } from '../parts/Button.tsx';
import { formatInstant, formatNumber, formatSeconds } from '../parts/formats.ts';
import { StepStory } from '../parts/ItemStory.tsx';
import { EmptyState, ProblemMessage } from '../parts/Messages.tsx';
import { RunSheet } from '../parts/RunSheet.tsx';
import { sourceLabel } from '../parts/source-label.ts';
import { FirstDifferenceNote } from './FirstDifferenceNote.tsx';
import { LiveDialog } from './LiveDialog.tsx';
import { type Narrowed, RehearsalFilters } from './RehearsalFilters.tsx';

const scopes = [
  { scope: 'samples', text: 'the samples' },
  { scope: 'last_200', text: 'the last 200' },
  { scope: 'all', text: 'all' },
] as const;
/** Of a workflow that puts right what a comparison found. */
const repaired = { scope: 'chosen', text: 'what is to be repaired' } as const;

/** A run that writes nothing and shows everything. */
export function RehearsePage() {
  const { workflow, draft, zone, connections } = useEditor();
  const rehearsal = useRehearsal(workflow.id).data;
  const [state, setState] = useState<(typeof itemStates)[number]>();
  const [narrowed, setNarrowed] = useState<Narrowed>({});
  const search = useDeferredValue(narrowed.search?.trim() || undefined);
  const [row, setRow] = useState<SheetRow>();
  const [isGoingLive, setGoingLive] = useState(false);
  const begin = useAction(async (scope: (typeof scopes)[number]['scope'] | 'chosen') => {
    await draft.flush();
    setRow(undefined);
    await call('POST /api/workflows/:id/rehearsal', { params: { id: workflow.id }, body: { scope } });
  });
  const navigate = useNavigate();
  const repair = useAction(async () => {
    const { run } = await call('POST /api/workflows/:id/repair', { params: { id: workflow.id } });
    await navigate(`/workflows/${workflow.id}/runs/${run}`);
  });
  const stop = useAction(() => call('DELETE /api/workflows/:id/rehearsal', { params: { id: workflow.id } }));
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
          {[...scopes, ...(rehearsal?.scope === 'chosen' ? [repaired] : [])].map(({ scope, text }) => (
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
        {rehearsal?.scope === 'chosen' && workflow.liveVersion === null ? (
          // What repairs is done once, for just these.
          <Button
            look="main"
            icon={<CircleCheck size={15} strokeWidth={1.75} />}
            disabled={isRunning || repair.isPending}
            onClick={() => repair.mutate(undefined)}
          >
            Carry it out
          </Button>
        ) : (
          <Button
            look="main"
            icon={<CircleCheck size={15} strokeWidth={1.75} />}
            disabled={!isReady(content)}
            onClick={() => setGoingLive(true)}
          >
            Make it live…
          </Button>
        )}
      </div>
      {rehearsal?.message && (
        <div className="px-5 pb-2">
          <ProblemMessage>{rehearsal.message}</ProblemMessage>
        </div>
      )}
      {rehearsal && !rehearsal.isOfThisDraft && !isRunning && (
        <p className="mx-5 mb-2 rounded-md bg-brass-tint px-3 py-1.5 text-brass">
          The draft has changed since. Rehearse again to see the new result.
        </p>
      )}
      {rehearsal ? (
        <>
          <div className="px-5 pb-3">
            <BalanceStrip
              balance={rehearsal.balance}
              source={sourceLabel(content.start, connections)}
              isUnderWay={isRunning}
              chosen={state}
              onChoose={(next) => {
                setState(next);
                setRow(undefined);
              }}
            />
          </div>
          {!isRunning && <FirstDifferenceNote rehearsal={rehearsal} onAgain={() => begin.mutate(rehearsal.scope)} />}
          <RehearsalFilters
            workflow={workflow.id}
            marks={rehearsal.marks}
            narrowed={narrowed}
            onNarrow={(next) => {
              setNarrowed(next);
              setRow(undefined);
            }}
          />
          <div
            className={`grid min-h-0 flex-1 border-t border-line-1 ${row ? 'grid-cols-[1fr_340px]' : 'grid-cols-1'}`}
          >
            <RunSheet
              content={content}
              zone={zone}
              writes={rehearsal.writes}
              queryKey={[
                'rehearsal-items',
                workflow.id,
                rehearsal.startedAt,
                state ?? 'all',
                narrowed.mark ?? 'all',
                search ?? '',
              ]}
              load={(from, limit) =>
                call('GET /api/workflows/:id/rehearsal/items', {
                  params: { id: workflow.id },
                  query: {
                    from,
                    limit,
                    ...(state && { state }),
                    ...(narrowed.mark && { mark: narrowed.mark }),
                    ...(search && { search }),
                  },
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
            A rehearsal takes real records through the draft and shows what would happen to each: new, changed, the
            same, or needs you. Nothing is written anywhere.
          </EmptyState>
        </div>
      )}
      <LiveDialog isOpen={isGoingLive} onClose={() => setGoingLive(false)} />
    </div>
  );
}

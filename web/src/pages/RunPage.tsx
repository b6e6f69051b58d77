import type { itemStates, Start } from '@golden/core';
import { Square, Undo2 } from 'lucide-react';
import { useState } from 'react';
import { Link, useNavigate, useParams, useSearchParams } from 'react-router';
import { call } from '../api/client.ts';
import { useAction, useRun, useUndo, type WholeRun } from '../api/queries.ts';
import { useEditor } from '../editor/draft/context.tsx';
import { BalanceStrip } from '../parts/BalanceStrip.tsx';
import { Button } from '../parts/Button.tsx';
import { formatInstant, formatNumber, formatSeconds } from '../parts/formats.ts';
import { ItemDrawer } from '../parts/ItemDrawer.tsx';
import { Loading, ProblemMessage } from '../parts/Messages.tsx';
import { WaitNote } from '../parts/PauseNote.tsx';
import { RunSheet } from '../parts/RunSheet.tsx';
import { sourceLabel } from '../parts/source-label.ts';
import { isUnderWay as isUndoing } from '../undo/words.ts';

/** One run: its balance and its sheet, live while it runs. */
export function RunPage() {
  const { runId = '' } = useParams();
  const [search] = useSearchParams();
  const { zone, connections } = useEditor();
  const run = useRun(runId);
  const [state, setState] = useState<(typeof itemStates)[number] | undefined>(
    (search.get('state') as 'unsettled' | null) ?? undefined,
  );
  const [itemId, setItemId] = useState(search.get('item') ?? '');
  const stop = useAction(
    () => call('POST /api/runs/:id/stop', { params: { id: runId } }),
    'Stopped. Records that had not begun are cancelled.',
  );
  const navigate = useNavigate();
  const undo = useUndo(runId).data;
  const isUndoUnderWay = undo && isUndoing(undo);
  const lookAtUndo = useAction(async () => {
    if (!isUndoUnderWay) await call('POST /api/runs/:id/undo', { params: { id: runId } });
    await navigate('undo');
  });
  if (run.error) {
    return (
      <div className="p-5">
        <ProblemMessage>{run.error.message}</ProblemMessage>
      </div>
    );
  }
  if (!run.data) return <Loading what="the run" />;
  const { data } = run;
  const isUnderWay = data.state === 'listing' || data.state === 'working';
  const source = sourceLabel(data.content.start as Start, connections);
  const took = data.endedAt
    ? ` and took ${formatSeconds((Date.parse(data.endedAt) - Date.parse(data.startedAt)) / 1000)}`
    : '';
  return (
    <div className="flex h-full min-h-0 flex-col">
      <div className="flex items-center gap-3 px-5 py-2.5">
        <Link to=".." relative="path" className="underlined">
          All runs
        </Link>
        <span className="text-ink-2">
          This one started {formatInstant(data.startedAt, zone)}
          {took}, on version {data.version}
          {data.repeats > 0 && `; ${data.repeats} came twice and count once`}. {askedWords(data, zone)}
        </span>
        {isUnderWay && (
          <Button className="ml-auto" icon={<Square size={13} />} onClick={() => stop.mutate(undefined)}>
            Stop
          </Button>
        )}
        {!isUnderWay && undo && undo.startedAt !== null && (
          <Link to="undo" className="underlined ml-auto">
            {undo.state === 'undoing' || undo.state === 'waiting' ? 'Being undone: ' : 'Undone: '}
            {formatNumber(undo.done)} of {formatNumber(undo.total)}
          </Link>
        )}
        {!isUnderWay && data.balance.takenIn > data.balance.items.undone && !isUndoUnderWay && (
          <Button
            className={undo && undo.startedAt !== null ? '' : 'ml-auto'}
            icon={<Undo2 size={15} strokeWidth={1.75} />}
            disabled={lookAtUndo.isPending}
            onClick={() => lookAtUndo.mutate(undefined)}
          >
            Undo this run…
          </Button>
        )}
      </div>
      {data.message && (
        <div className="px-5 pb-2">
          {data.wakeAt ? (
            <WaitNote>
              <span className="font-medium">{data.message}</span> Reading goes on by itself, next at{' '}
              {formatInstant(data.wakeAt, zone)}.
            </WaitNote>
          ) : (
            <ProblemMessage>{data.message}</ProblemMessage>
          )}
        </div>
      )}
      <div className="px-5 pb-3">
        <BalanceStrip
          balance={data.balance}
          source={source}
          isUnderWay={isUnderWay}
          own={data.own}
          chosen={state}
          onChoose={setState}
        />
      </div>
      {data.balance.takenIn === 0 && data.state === 'done' && (
        <p className="px-5 pb-3 text-ink-2">
          {data.balance.inSource === 0
            ? 'The source gave no records.'
            : 'All of it is already known: nothing was taken in.'}
        </p>
      )}
      <div className="min-h-0 flex-1 border-t border-line-1">
        <RunSheet
          content={data.content}
          zone={zone}
          writes={data.writes}
          queryKey={['run-items', runId, state ?? 'all']}
          load={(from, limit) =>
            call('GET /api/runs/:id/items', { params: { id: runId }, query: { from, limit, ...(state && { state }) } })
          }
          total={data.balance.takenIn}
          chosen={itemId || undefined}
          onChoose={(row) => setItemId(row.id)}
        />
      </div>
      <ItemDrawer itemId={itemId} zone={zone} onClose={() => setItemId('')} />
    </div>
  );
}

/** What the run asked of its source: "4 changed since 09:05, of 1,323 that are known". */
function askedWords({ asked, balance }: WholeRun, zone: string): string {
  switch (asked.for) {
    case 'changes':
      return `${formatNumber(balance.inSource)} changed since ${formatInstant(asked.since ?? '', zone)}, of ${formatNumber(asked.known)} that are known.`;
    case 'chosen':
      return 'It asked for the records that somebody chose.';
    case 'told':
      return 'It asked for the records that it was told of.';
    default:
      return 'It asked for all records.';
  }
}

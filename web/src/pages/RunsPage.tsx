import { comesByItself, itemStates, takesFiles } from '@golden/core';
import { RefreshCw } from 'lucide-react';
import { lazy, Suspense, useEffect, useState } from 'react';
import { Link } from 'react-router';
import { call } from '../api/client.ts';
import { type Run, useAction, useFileInbox, useRuns, useWorkflows, type Workflow } from '../api/queries.ts';
import { BeginButton } from '../editor/beginning/BeginDialog.tsx';
import { useEditor } from '../editor/draft/context.tsx';
import { DropFiles } from '../editor/files/DropFiles.tsx';
import { Button } from '../parts/Button.tsx';
import { counted, formatAhead, formatInstant, formatNumber, formatSeconds } from '../parts/formats.ts';
import { EmptyState, Loading, ProblemMessage } from '../parts/Messages.tsx';
import { OutcomeMark, stateLooks } from '../parts/OutcomeMark.tsx';
import { Term } from '../parts/Term.tsx';
import { useTurning } from '../parts/Turning.tsx';
import { TheseRecordsButton } from '../runs/TheseRecords.tsx';

const RunsChart = lazy(async () => ({ default: (await import('../runs/RunsChart.tsx')).RunsChart }));

const kinds: Record<Run['kind'], string> = {
  first: 'first run',
  check: 'check',
  asked: 'by hand',
  single: 'one for real',
};

/** When it looks at its source next. */
function nextCheck({ nextAt, content }: Workflow): string {
  if (nextAt) return `Next check ${formatAhead(nextAt)}`;
  const { kind } = content.start.trigger;
  if (kind === 'event' && takesFiles(content.start)) return 'Each file is taken in as it comes';
  if (kind === 'event') return 'Each event is taken in as it comes';
  return kind === 'hand' ? 'It begins by hand' : 'Next check soon';
}

/** History with durations and balances; the next check, and "check now". */
export function RunsPage() {
  const { workflow, zone } = useEditor();
  const runs = useRuns(workflow.id);
  const inbox = useFileInbox(workflow.id);
  const check = useAction(() => call('POST /api/workflows/:id/check', { params: { id: workflow.id } }), 'Checking.');
  const waiting = useWorkflows().data?.find(({ id }) => id === workflow.id)?.waiting ?? 0;
  const { turn, isBusy, asked } = useTurning(workflow.id, waiting);
  useEveryHalfMinute();
  return (
    <div className="h-full overflow-auto px-5 py-3">
      {asked}
      <div className="mb-3 flex flex-wrap items-center gap-3">
        <p className="text-ink-2" role="status">
          {workflow.isOn ? (
            <>
              <strong className="font-semibold text-pine">On</strong>, version {workflow.liveVersion}.{' '}
              {workflow.isStopped ? 'Stopped with everything: see Today' : nextCheck(workflow)}
              {workflow.lastCheckedAt && `, last checked ${formatInstant(workflow.lastCheckedAt, zone)}`}.
            </>
          ) : workflow.liveVersion ? (
            'Off. Make the draft live from Rehearse to switch it on again.'
          ) : (
            'Not live yet. Rehearse it, then make it live from there.'
          )}
        </p>
        {workflow.isOn && (
          <span className="ml-auto flex gap-2">
            {workflow.content.start.trigger.kind === 'hand' && comesByItself(workflow.content.start) ? (
              <BeginButton id={workflow.id} name={workflow.content.name} look="main" />
            ) : (
              <Button icon={<RefreshCw size={14} />} disabled={check.isPending} onClick={() => check.mutate(undefined)}>
                Check now
              </Button>
            )}
            {workflow.content.start.source && workflow.content.start.on !== 'removed' && (
              <TheseRecordsButton
                workflow={workflow.id}
                zone={zone}
                singular={workflow.content.start.source.described.singular}
                plural={workflow.content.start.source.described.plural}
              />
            )}
            <Button disabled={isBusy} onClick={() => turn(false)}>
              Switch off
            </Button>
          </span>
        )}
      </div>
      {workflow.isOn && inbox.data?.inbox && (
        <div className="mb-3">
          <DropFiles inbox={inbox.data.inbox} isLive />
        </div>
      )}
      {workflow.message && (
        <div className="mb-3">
          <ProblemMessage>
            {workflow.message} <Link to="/connections">See the connection</Link>
          </ProblemMessage>
        </div>
      )}
      <Suspense fallback={null}>
        <RunsChart workflow={workflow.id} />
      </Suspense>
      {runs.isPending && <Loading what="the runs" />}
      {runs.data?.length === 0 && (
        <EmptyState title="No runs yet.">
          Each run is listed here with its balance: what was in the source, what was taken in, and what happened to it.
        </EmptyState>
      )}
      {runs.data && runs.data.length > 0 && (
        <table className="sheet overflow-hidden rounded-lg border border-line-1">
          <thead>
            <tr>
              <th scope="col">Started</th>
              <th scope="col">Why</th>
              <th scope="col">Took</th>
              <th scope="col" className="text-right!">
                <Term>In the source</Term>
              </th>
              <th scope="col" className="text-right!">
                <Term>Already known</Term>
              </th>
              <th scope="col" className="text-right!">
                <Term>Taken in</Term>
              </th>
              <th scope="col">Result</th>
            </tr>
          </thead>
          <tbody>
            {runs.data.map((run) => (
              <tr key={run.id} className="hover:bg-pine-faint">
                <td>
                  <Link to={run.id} className="underlined">
                    {formatInstant(run.startedAt, zone)}
                  </Link>
                </td>
                <td className="text-ink-2">
                  {kinds[run.kind]}, version {run.version}
                  {run.isOfChosen && ', with chosen records'}
                  {run.repeats > 0 && `, ${counted(run.repeats, 'repeat')}`}
                  {run.neverPosted > 0 && `, ${formatNumber(run.neverPosted)} never posted`}
                  {run.own > 0 && `, ${formatNumber(run.own)} our own`}
                </td>
                <td className="text-ink-2">
                  {run.endedAt
                    ? formatSeconds((Date.parse(run.endedAt) - Date.parse(run.startedAt)) / 1000)
                    : 'under way'}
                </td>
                <td className="text-right">{formatNumber(run.balance.inSource)}</td>
                <td className="text-right">{formatNumber(run.balance.notedEarlier)}</td>
                <td className="text-right">{formatNumber(run.balance.takenIn)}</td>
                <td>
                  <span className="flex flex-wrap gap-x-3">
                    {itemStates
                      .filter((name) => run.balance.items[name] > 0)
                      .map((name) => (
                        <OutcomeMark key={name} look={stateLooks[name]} count={run.balance.items[name]} />
                      ))}
                    {run.message && <span className="text-brick">{run.message}</span>}
                  </span>
                </td>
              </tr>
            ))}
          </tbody>
        </table>
      )}
    </div>
  );
}

/** Keeps "in 4 minutes" true while one looks. */
function useEveryHalfMinute(): void {
  const [, setTick] = useState(0);
  useEffect(() => {
    const timer = setInterval(() => setTick((tick) => tick + 1), 30_000);
    return () => clearInterval(timer);
  }, []);
}

import { Columns3, Hand, Plug } from 'lucide-react';
import { DateTime } from 'luxon';
import { useState } from 'react';
import { Link } from 'react-router';
import { type Need, useAsks, useSettings, useToday, useWorkflows } from '../api/queries.ts';
import { AskCards } from '../asking/AskCards.tsx';
import { Doors } from '../onboarding/Doors.tsx';
import { FirstSteps } from '../onboarding/FirstSteps.tsx';
import { DriftedNote } from '../parts/DriftedNote.tsx';
import { counted, formatInstant, formatNumber } from '../parts/formats.ts';
import { HeldDialog } from '../parts/HeldDialog.tsx';
import { Loading, ProblemMessage } from '../parts/Messages.tsx';
import { NewWorkflowButton } from '../parts/NewWorkflowButton.tsx';
import { PauseNote } from '../parts/PauseNote.tsx';
import { QuietNote } from '../parts/QuietNote.tsx';
import { OffNote, StopEverythingButton, StoppedNote } from '../parts/StopEverything.tsx';
import { sumWords } from '../parts/sum-words.ts';
import { WorkflowTable } from '../parts/WorkflowTable.tsx';

/** What needs a person, then each workflow's day. */
export function TodayPage() {
  const today = useToday();
  const zone = useSettings().data?.zone ?? 'utc';
  const workflows = useWorkflows().data;
  const toAnswer = (useAsks().data ?? []).reduce((sum, { count }) => sum + count, 0);
  if (!today.data || !workflows) return <Loading what="today" />;
  if (workflows.length === 0) return <Doors />;
  const { balance, needs, pauses, quiet, drifted, trouble, stopped, off } = today.data;
  // A source that can't be read is one thing to see to, whatever waits behind it.
  const needed = needs.reduce((sum, need) => sum + Math.max(1, need.count), 0);
  const waiting = today.data.workflows.reduce((sum, row) => sum + row.waiting, 0);
  return (
    <div className="px-6 py-4">
      <div className="mb-4 flex items-end justify-between">
        <div>
          <p className="text-sm text-ink-2">{DateTime.now().setZone(zone).toFormat('cccc d LLLL')}</p>
          <h1 className="text-2xl">
            {formatNumber(balance.takenIn)} taken in today, {formatNumber(balance.items.delivered)} delivered,{' '}
            {waiting > 0 && (
              <>
                <Link to="/waiting" className="underlined">
                  {formatNumber(waiting)} waiting
                </Link>
                ,{' '}
              </>
            )}
            {toAnswer > 0 && `${formatNumber(toAnswer)} to approve or answer, `}
            {needed > 0
              ? `${formatNumber(needed)} ${needed === 1 ? 'needs' : 'need'} you`
              : toAnswer > 0
                ? 'nothing else needs you'
                : 'nothing needs you'}
          </h1>
          {balance.takenIn > 0 && (
            <p className="text-ink-2">
              {formatNumber(balance.takenIn)} = {sumWords(balance)}
            </p>
          )}
        </div>
        <div className="flex gap-2">
          {!stopped && <StopEverythingButton />}
          <NewWorkflowButton />
        </div>
      </div>
      {(pauses.length > 0 || quiet.length > 0 || drifted.length > 0 || trouble !== null || stopped || off) && (
        <div className="mb-4 space-y-2">
          {trouble !== null && <ProblemMessage>{trouble}</ProblemMessage>}
          {stopped && <StoppedNote stopped={stopped} zone={zone} />}
          {off && <OffNote off={off} zone={zone} />}
          {pauses.map((pause) => (
            <PauseNote key={pause.connectionId} pause={pause} zone={zone} />
          ))}
          {drifted.map((one) => (
            <DriftedNote key={one.id} drifted={one} zone={zone} />
          ))}
          {quiet.map((one) => (
            <QuietNote key={one.workflowId} quiet={one} zone={zone} />
          ))}
        </div>
      )}
      {(needs.length > 0 || toAnswer > 0) && (
        <ul className="mb-4 grid grid-cols-[repeat(auto-fill,minmax(300px,1fr))] gap-3">
          <AskCards zone={zone} />
          {needs.map((need) => (
            <li key={`${need.workflowId}${need.cause}${need.connectionId}`}>
              <NeedCard need={need} zone={zone} />
            </li>
          ))}
        </ul>
      )}
      <WorkflowTable rows={today.data.workflows} zone={zone} />
      <FirstSteps />
    </div>
  );
}

/** A source that can't be read holds no records yet: what is wrong is said in its own words. */
const sourceTitles: Partial<Record<Need['cause'], string>> = {
  drift: 'A source has changed; nothing is taken in.',
  connection: 'A source can’t be read.',
  fault: 'A run stopped: Golden Relay had a fault.',
  held: 'A check is on hold: far more records than usual.',
};

const titles: Record<Need['cause'], (count: number) => string> = {
  value: (count) => `${counted(count, 'record')} ${count === 1 ? 'has' : 'have'} a value that doesn’t fit.`,
  refused: (count) => `${counted(count, 'record')} ${count === 1 ? 'was' : 'were'} refused.`,
  several: (count) => `${counted(count, 'record')} ${count === 1 ? 'has' : 'have'} several matches.`,
  drift: (count) => `${counted(count, 'record')} stopped: the destination changed.`,
  connection: (count) => `${counted(count, 'record')} ${count === 1 ? 'waits' : 'wait'} for a connection.`,
  gone: (count) => `${counted(count, 'record')} ${count === 1 ? 'is' : 'are'} linked to what was deleted there.`,
  removal: (count) =>
    `${counted(count, 'record')} ${count === 1 ? 'is' : 'are'} to be removed for good, if you say so.`,
  held: () => 'More than usual came.',
  account: (count) => `${counted(count, 'record')} ${count === 1 ? 'was' : 'were'} begun in another account.`,
  unsure: (count) => `${counted(count, 'record')} may or may not be written.`,
  altered: (count) => `${counted(count, 'record')} came back altered.`,
  returned: (count) => `${counted(count, 'mail')} came back undelivered.`,
  differs: (count) =>
    `${counted(count, 'record')} hold${count === 1 ? 's' : ''} something else there: whose value counts?`,
  unclear: (count) => `${counted(count, 'record')} ${count === 1 ? 'has' : 'have'} no clear match.`,
  double: (count) =>
    `${counted(count, 'record')} ${count === 1 ? 'is' : 'are'} probably the same as another one of the run.`,
  circle: (count) => `${counted(count, 'record')} may go round in a circle of workflows.`,
  fault: (count) => `${counted(count, 'record')} stopped: Golden Relay had a fault.`,
  behind: (count) => `${counted(count, 'record')} ${count === 1 ? 'stands' : 'stand'} behind another.`,
};

/** The step itself that has to be looked at. */
const stepAddress = ({ workflowId, sentence }: Need): string =>
  sentence === null || sentence === 'start'
    ? `/workflows/${workflowId}`
    : `/workflows/${workflowId}?sentence=${sentence}`;

function NeedCard({ need, zone }: { readonly need: Need; readonly zone: string }) {
  const [isLooking, setLooking] = useState(false);
  const isConnection = need.cause === 'connection';
  const isDrift = need.cause === 'drift';
  const Icon = isConnection ? Plug : isDrift ? Columns3 : Hand;
  const isProblem = isConnection || isDrift;
  return (
    <article
      className={`flex h-full gap-3 rounded-lg border px-4 py-3 ${isProblem ? 'border-line-1 bg-sheet' : 'border-brass-fill/60 bg-brass-tint'}`}
    >
      <Icon
        size={18}
        strokeWidth={1.75}
        className={`mt-1 shrink-0 ${isProblem ? 'text-brick' : 'text-brass'}`}
        aria-hidden="true"
      />
      <div className="min-w-0">
        <h2 className="text-lg leading-snug">
          {need.held?.kind === 'removed'
            ? 'A check is on hold: most records are gone.'
            : need.count === 0
              ? (sourceTitles[need.cause] ?? 'A source can’t be read.')
              : titles[need.cause](need.count)}
        </h2>
        <p className="mt-0.5 text-sm text-ink-2">
          {need.workflow} · since {formatInstant(need.since, zone)}
        </p>
        <p className="mt-0.5 line-clamp-2 text-sm">{need.message}</p>
        <p className="mt-1 flex gap-4 font-semibold text-pine">
          {isDrift && <Link to={stepAddress(need)}>Map it again</Link>}
          {need.count > 0 && (
            <Link
              to={`/needs-you?workflow=${need.workflowId}&cause=${need.cause}`}
            >{`Settle ${need.count === 1 ? 'it' : 'them'}`}</Link>
          )}
          {isConnection && <Link to="/connections">See the connection</Link>}
          {need.held && (
            <button type="button" onClick={() => setLooking(true)}>
              See what it is
            </button>
          )}
        </p>
        {need.held && (
          <HeldDialog need={{ ...need, held: need.held }} isOpen={isLooking} onClose={() => setLooking(false)} />
        )}
      </div>
    </article>
  );
}

import {
  type FieldPolicy,
  type FromWhen,
  lastingWrites,
  proposalsToAccept,
  type Start,
  type WorkflowContent,
  type WriteStep,
  whenText,
  withAskBefore,
  writeSteps,
} from '@golden/core';
import { useState } from 'react';
import { useNavigate } from 'react-router';
import { call } from '../api/client.ts';
import {
  useAction,
  useAlsoWrites,
  useBetween,
  useCounts,
  useHanding,
  useRehearsal,
  useSettings,
  useWaiters,
} from '../api/queries.ts';
import { useEditor } from '../editor/draft/context.tsx';
import { withAccepted, withStart } from '../editor/draft/edits.ts';
import { withPolicy } from '../editor/draft/overwriting.ts';
import { sentFrom, startKey } from '../editor/start/time-axis.ts';
import { Choice } from '../parts/AccountChoice.tsx';
import { BothEnds, idsOf, proposedToo } from '../parts/BothEnds.tsx';
import { Button } from '../parts/Button.tsx';
import { ConfirmDialog } from '../parts/ConfirmDialog.tsx';
import { counted, formatInstant, formatNumber } from '../parts/formats.ts';
import { ToAcceptList } from '../parts/ToAcceptList.tsx';
import { type Overdue, OverdueChoice, overdueIn } from '../parts/Turning.tsx';
import { NotCoveredList } from './NotCoveredList.tsx';
import { WaitersChoice, type Waiting } from './WaitersChoice.tsx';

/** Switching on, seeing how many records that means now, and who gets what. */
export function LiveDialog({ isOpen, onClose }: { readonly isOpen: boolean; readonly onClose: () => void }) {
  const { workflow, draft, sourceKey, connections } = useEditor();
  const navigate = useNavigate();
  const { start } = draft.content;
  const counts = useCounts(workflow.id, startKey(sourceKey, start), isOpen).data;
  const lies = useBetween(workflow.id, workflow.rev, isOpen).data;
  const waiters = useWaiters(workflow.id, workflow.rev, isOpen).data;
  const [waiting, setWaiting] = useState<Waiting>('stays');
  const goesOn = lies?.begins === null;
  const [already, setAlready] = useState<'taken' | 'noted'>();
  const [late, setLate] = useState<number>();
  const [overdue, setOverdue] = useState<Overdue>();
  const handing = useHanding(workflow.id, isOpen).data;
  const [said, setSaid] = useState<ReadonlySet<string>>();
  const also = said ?? proposedToo(handing);
  const isOther = lies?.begins === 'source' && workflow.liveVersion !== null;
  const live = useAction(async () => {
    // What is there already is asked for another source, as for another account.
    if (isOther && already) draft.change(withStart({ fromWhen: { kind: already === 'taken' ? 'all' : 'now' } }));
    await draft.flush();
    // What was shown to lie between isn't held once more.
    const seen = lies?.between?.count;
    const params = { id: workflow.id };
    try {
      await call('POST /api/workflows/:id/live', {
        params,
        query: { ...(seen && { seen }), overdue, waiting, also: idsOf(also) },
      });
    } catch (error) {
      const late = overdueIn(error);
      if (late === undefined) throw error;
      setLate(late);
      return;
    }
    onClose();
    await navigate(`/workflows/${workflow.id}/runs`);
  });
  const rehearse = useAction(async () => {
    await draft.flush();
    await call('POST /api/workflows/:id/rehearsal', { params: { id: workflow.id }, body: { scope: 'last_200' } });
    onClose();
    await navigate(`/workflows/${workflow.id}/rehearse`);
  });
  const chosen: FromWhen = isOther ? { kind: already === 'taken' ? 'all' : 'now' } : start.fromWhen;
  const now = counts && sentFrom(counts, chosen);
  const words = start.source?.described;
  const isCounting = [counts, lies, waiters].includes(undefined) || (isOther && !already);
  const rehearsal = useRehearsal(workflow.id).data;
  const toAccept = proposalsToAccept(draft.content);
  const rehearsed = rehearsedAsItIs(rehearsal);
  return (
    <ConfirmDialog
      title={`Make “${draft.content.name}” live`}
      isOpen={isOpen}
      onClose={onClose}
      onConfirm={() => (rehearsed === 'yes' ? live.mutate(undefined) : rehearse.mutate(undefined))}
      confirm={{ unknown: 'Looking…', no: 'Rehearse it first', yes: liveText(goesOn ? undefined : now) }[rehearsed]}
      isBusy={
        rehearsed === 'unknown' ||
        live.isPending ||
        rehearse.isPending ||
        (rehearsed === 'yes' && (isCounting || toAccept.length > 0 || (late !== undefined && !overdue)))
      }
    >
      {rehearsed === 'no' && (
        <p className="rounded-md bg-brass-tint px-3 py-2 text-brass">
          This draft has not been rehearsed as it is now. See first what it would do; nothing is written by that.
        </p>
      )}
      {toAccept.length > 0 && (
        <ToAcceptList
          proposals={toAccept}
          onAccept={() =>
            draft.change((content) => toAccept.reduce((all, one) => withAccepted(one.step, one.path)(all), content))
          }
        />
      )}
      {lies && workflow.liveVersion !== null && words && <Between lies={lies} words={words} />}
      {isOther && words && <Already plural={words.plural} already={already} onSay={setAlready} />}
      <p>
        {counts === undefined || words === undefined || now === undefined || lies === undefined ? (
          'Counting…'
        ) : (
          <Asked start={start} all={counts.all} now={goesOn ? undefined : now} words={words} />
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
      <BothEnds handing={handing} also={also} onSay={setSaid} />
      <WaitersChoice waiters={waiters} what={waiting} onSay={setWaiting} />
      {late !== undefined && <OverdueChoice count={late} what={overdue} onSay={setOverdue} />}
      <GoesOut content={draft.content} now={goesOn ? undefined : now} change={draft.change} />
      <NotCoveredList
        id={workflow.id}
        rev={workflow.rev}
        isOpen={isOpen}
        content={draft.content}
        change={draft.change}
        flush={draft.flush}
      />
      <Owners id={workflow.id} rev={workflow.rev} change={draft.change} />
      <Besides content={draft.content} stopped={workflow.stopped} />
      <p className="text-ink-2">
        The draft becomes a numbered version that never changes. You can go on editing the draft.
      </p>
    </ConfirmDialog>
  );
}

/** Whether the draft was rehearsed as it is; not known yet is not "no": a button that changes its words is pressed for the wrong ones. */
function rehearsedAsItIs(rehearsal: ReturnType<typeof useRehearsal>['data']): 'unknown' | 'yes' | 'no' {
  if (rehearsal === undefined) return 'unknown';
  return rehearsal?.isOfThisDraft && rehearsal.state !== 'broken' ? 'yes' : 'no';
}

const liveText = (now: number | undefined): string =>
  now ? `Make it live and take in ${formatNumber(now)}` : 'Make it live';

interface GoesOutProps {
  readonly content: WorkflowContent;
  readonly now: number | undefined;
  readonly change: (edit: (content: WorkflowContent) => WorkflowContent) => void;
}

/** What can't be taken back is said before it is done, with how many it may be at once, and who looks at it first. */
function GoesOut({ content, now, change }: GoesOutProps) {
  const lasting = lastingWrites(content);
  if (lasting.length === 0) return null;
  const unasked = lasting.filter(({ isAsked }) => !isAsked);
  const mayAsk = unasked.filter((one) => one.mayAsk);
  return (
    <div className="rounded-md bg-brass-tint px-3 py-2 text-brass">
      <p>
        What can’t be taken back once it is done:{' '}
        {lasting.map(({ what, isAsked }) => `the ${what}${isAsked ? ' (approved by a person first)' : ''}`).join(', ')}.
        {now ? ` For ${counted(now, 'record')} that ${now === 1 ? 'is' : 'are'} there already it may be done now.` : ''}
      </p>
      {mayAsk.length > 0 && (
        <p className="mt-1.5">
          <Button
            onClick={() => change((all) => mayAsk.reduce((next, { step }) => withAskBefore(next, step).content, all))}
          >
            Let a person approve {mayAsk.length === 1 ? 'it' : 'each of them'} first
          </Button>
        </p>
      )}
    </div>
  );
}

interface OwnersProps {
  readonly id: string;
  readonly rev: number;
  readonly change: (edit: (content: WorkflowContent) => WorkflowContent) => void;
}

/** Fields that another live workflow writes too: whose they are is said before both write them. */
function Owners({ id, rev, change }: OwnersProps) {
  const also = useAlsoWrites(id, rev).data ?? [];
  const { draft } = useEditor();
  const open = also.filter(({ step, path }) => policyOf(draft.content, step, path) === undefined);
  if (open.length === 0) return null;
  const names = [...new Set(open.map(({ name }) => `“${name}”`))].join(', ');
  const say = (policy: FieldPolicy): void =>
    change((content) => open.reduce((all, { step, path }) => withPolicy(step, [path], policy)(all), content));
  return (
    <div className="rounded-md border border-brass-fill/60 bg-brass-tint px-3 py-2 text-brass">
      <p className="mb-1.5">
        {names} also {new Set(open.map(({ name }) => name)).size === 1 ? 'writes' : 'write'}{' '}
        {[...new Set(open.map(({ label, place }) => `${label} in ${place}`))].join(', ')}. Whose value counts there?
      </p>
      <span className="flex flex-wrap gap-2">
        <Button onClick={() => say('always')}>From here</Button>
        <Button onClick={() => say('if_empty')}>From there: only fill what is empty</Button>
      </span>
      <p className="mt-1.5 text-sm">
        Or leave it: each writes what changed in its own source, and you are asked about the rest.
      </p>
    </div>
  );
}

const policyOf = (content: WorkflowContent, id: string, path: string): FieldPolicy | undefined =>
  writeSteps(content).find((step) => step.id === id)?.policies?.[path];

/** What else there is to know: records that were stopped go on, and suggestions that nobody has looked at. */
function Besides({ content, stopped }: { readonly content: WorkflowContent; readonly stopped: number }) {
  const unaccepted = writeSteps(content).reduce((sum, step) => sum + Object.keys(step.suggested ?? {}).length, 0);
  return (
    <>
      {stopped > 0 && (
        <p>
          {counted(stopped, 'record')} that a change of the place had stopped {stopped === 1 ? 'goes' : 'go'} on with
          it.
        </p>
      )}
      {unaccepted > 0 && (
        <p className="rounded-md bg-brass-tint px-3 py-2 text-brass">
          {counted(unaccepted, 'suggested filling')} {unaccepted === 1 ? 'has' : 'have'} not been accepted or changed by
          anybody yet.
        </p>
      )}
    </>
  );
}

interface AskedProps {
  readonly start: Start;
  /** How many are there, and how many of them are taken in now; it only goes on where that is undefined. */
  readonly all: number;
  readonly now: number | undefined;
  readonly words: { readonly singular: string; readonly plural: string };
}

/** What is taken in now, and how often it is asked from then on. */
function Asked({ start, all, now, words }: AskedProps) {
  const when = whenText(start.trigger);
  if (now === undefined) return <>It goes on checking {when}.</>;
  return (
    <>
      Of the {counted(all, words.singular, words.plural)} that are there,{' '}
      <strong className="font-semibold">{formatNumber(now)}</strong> {now === 1 ? 'is' : 'are'} taken in now and{' '}
      {formatNumber(all - now)} {all - now === 1 ? 'is' : 'are'} marked as already known. From then on it checks {when}.
    </>
  );
}

interface AlreadyProps {
  readonly plural: string;
  readonly already: 'taken' | 'noted' | undefined;
  readonly onSay: (already: 'taken' | 'noted') => void;
}

/** It starts from another place: what becomes of the records that are there already. */
function Already({ plural, already, onSay }: AlreadyProps) {
  return (
    <fieldset className="space-y-1.5" aria-label="What is there already">
      <Choice
        name="already"
        isOn={already === 'taken'}
        onChoose={() => onSay('taken')}
        title={`The ${plural} that are there already are taken in, all of them`}
      />
      <Choice
        name="already"
        isOn={already === 'noted'}
        onChoose={() => onSay('noted')}
        title="They are marked as already known; only what comes from now on is taken in"
      />
    </fieldset>
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
    going: 'It continues where the live version is.',
    source: 'It starts from another place than the live version, so it begins anew there.',
    from_when: 'You have changed “From when”, so it begins anew.',
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
              ? 'It is marked as already known and not copied.'
              : 'They are marked as already known and not copied.'}
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

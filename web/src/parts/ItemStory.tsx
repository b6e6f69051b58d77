import {
  type ItemState,
  isOfAnyKind,
  isPlaced,
  layOut,
  type PlannedChange,
  plannedIn,
  type Step,
  type StepResult,
  toText,
  type Value,
  type WorkflowContent,
} from '@golden/core';
import { ExternalLink } from 'lucide-react';
import { Link } from 'react-router';
import { call } from '../api/client.ts';
import { type Item, useAction } from '../api/queries.ts';
import { SentAndRead } from '../steps/placed/SentAndRead.tsx';
import { viewOf } from '../steps/registry.ts';
import { TakeBack } from '../undo/TakeBack.tsx';
import { Button } from './Button.tsx';
import { counted, formatInstant } from './formats.ts';
import { HandedList } from './HandedList.tsx';
import { OutcomeMark, stateLooks, writeLooks } from './OutcomeMark.tsx';
import { OutsideLink } from './OutsideLink.tsx';
import { WaitNote } from './PauseNote.tsx';
import { SettleForm } from './SettleForm.tsx';

/** Everything that happened to one record in one run, and what can be done now. */
export function ItemStory({ item, zone }: { readonly item: Item; readonly zone: string }) {
  const state = item.detail as ItemState;
  const takeUp = useAction(() => call('POST /api/items/:id/take-up', { params: { id: item.id } }));
  const isTakenBack = item.state === 'undone';
  const asking = askingStep(item.content, state);
  return (
    <div>
      <p className="mb-3 text-ink-2">
        <OutcomeMark look={stateLooks[item.state]} />
        <span className="ml-2">
          record <span className="font-mono text-sm">{item.sourceId}</span>, taken in{' '}
          {formatInstant(item.takenAt, zone)}, version {item.version}
        </span>
      </p>
      {isTakenBack &&
        takenBackNotes(item).map((note) => (
          <p key={note} className="mb-3">
            {note}
          </p>
        ))}
      {item.emptiedAt !== null && (
        <p className="mb-3 text-ink-2">
          It ended long ago: its values aren’t kept any more, and it can’t be undone. What became of it stays.
        </p>
      )}
      {state.instead !== undefined && !isTakenBack && (
        <p className="mb-3 text-brass">
          A trial: mails went to {state.instead}. Take it back, so that the record counts as not sent yet.
        </p>
      )}
      {item.state === 'unsettled' && <SettleForm item={item} />}
      {item.state === 'waiting' && asking && (
        <p className="mb-3 rounded-md bg-pine-faint px-3 py-2">
          {item.message}.{' '}
          <Link to={`/answer/${item.workflowId}/${asking}`} className="underlined font-medium">
            Look and answer
          </Link>
        </p>
      )}
      {item.state === 'waiting' && !asking && item.message && (
        <div className="mb-3">
          <WaitNote>
            <span className="font-medium">{item.message}</span>
            {item.wakeAt &&
              ` It goes on by itself${item.waitsForApp ? ', next' : ''} at ${formatInstant(item.wakeAt, zone)}.`}
          </WaitNote>
        </div>
      )}
      <StepStory content={item.content} state={state} />
      {layOut(item.content, state.values).map(({ id, step }) => {
        const sent = item.sent[id];
        if (!sent || isTakenBack) return null;
        return (
          <SentAndRead
            key={id}
            sent={sent.sent as Record<string, Value>}
            read={sent.read as Record<string, Value> | null}
            result={state.steps[id]}
            fields={isPlaced(step) ? (step.target?.described.fields ?? []) : []}
          />
        );
      })}
      <HandedList itemId={item.id} version={`${item.state} ${item.message}`} />
      <div className="mt-4 flex flex-wrap gap-2">
        {Object.entries(item.links).map(([step, link]) => (
          <LinkButton key={step} href={link} text="Open it there" />
        ))}
        {item.sourceLink && <LinkButton href={item.sourceLink} text="Open it in the source" />}
        {item.mayTakeBack && <TakeBack item={item} />}
        {item.state === 'cancelled' && item.emptiedAt === null && (
          <Button onClick={() => takeUp.mutate(undefined)}>Resume</Button>
        )}
      </div>
    </div>
  );
}

/** The step at which a record waits for a person's answer; undefined where it waits for none. */
function askingStep(content: WorkflowContent, state: ItemState): string | undefined {
  const here = state.phase === 'parked' ? layOut(content, state.values)[state.at]?.step : undefined;
  return here?.kind === 'ask' ? here.id : undefined;
}

/** What there is to know of how it was taken back. */
function takenBackNotes({ journal }: Item): readonly string[] {
  const last = journal.findLast(({ kind }) => kind === 'taken_back');
  return (last?.content as { notes?: readonly string[] } | undefined)?.notes ?? [];
}

function LinkButton({ href, text }: { readonly href: string; readonly text: string }) {
  return (
    <OutsideLink
      href={href}
      className="inline-flex h-[30px] items-center gap-1.5 rounded-md border border-line-1 bg-raised px-2.5 font-medium hover:bg-pine-faint"
    >
      <ExternalLink size={14} strokeWidth={1.75} aria-hidden="true" /> {text}
    </OutsideLink>
  );
}

/** One record step by step. */
export function StepStory({
  content,
  state,
  isRehearsal = false,
}: {
  readonly content: WorkflowContent;
  readonly state: ItemState;
  readonly isRehearsal?: boolean;
}) {
  const planned = isRehearsal ? plannedIn(content, state) : [];
  return (
    <ol className="space-y-2.5">
      {layOut(content, state.values).map(({ id, step, turn }, at) => {
        const result = state.steps[id];
        return (
          <li key={id} className={`border-l-2 border-line-1 pl-3 ${turn ? 'ml-5' : ''}`}>
            {turn && <span className="block text-sm text-ink-2">for no. {turn.number}</span>}
            {isPlaced(step) && <span className="block text-sm text-ink-2">{viewOf(step).title(step)}</span>}
            {result ? (
              <>
                <Result step={step} result={result} isRehearsal={isRehearsal} />
                {!turn && <NewValues changes={planned.filter((one) => one.step === id && one.what === 'new')} />}
              </>
            ) : (
              <span className="text-ink-2">
                {state.phase === 'parked' && at === state.at ? 'Waits here' : 'Not reached'}
              </span>
            )}
          </li>
        );
      })}
    </ol>
  );
}

/** Each value that a new record would have. */
function NewValues({ changes }: { readonly changes: readonly PlannedChange[] }) {
  if (changes.length === 0) return null;
  return (
    <dl className="mt-1.5 rounded-md border border-line-1 bg-raised">
      {changes.map(({ field, after }) => (
        <div key={field} className="grid grid-cols-[150px_1fr] gap-2 border-b border-line-2 px-2.5 py-1 last:border-0">
          <dt className="truncate text-ink-2">{field}</dt>
          <dd className="min-w-0 break-words">
            {Array.isArray(after) ? counted(after.length, 'line') : toText(after)}
          </dd>
        </div>
      ))}
    </dl>
  );
}

function Result({
  step,
  result,
  isRehearsal,
}: {
  readonly step: Step;
  readonly result: StepResult;
  readonly isRehearsal: boolean;
}) {
  if (!isOfAnyKind(result)) return viewOf(step).story(result, isRehearsal);
  switch (result.kind) {
    case 'off':
      return <span className="text-ink-2">Switched off</span>;
    case 'left_out':
      return <OutcomeMark look={writeLooks.left_out} text={`Left out: ${result.why}`} />;
    case 'passed_over':
      return <span className="text-ink-2">Not done for this one, by “only if”: {result.why}</span>;
    case 'blocked':
      return <span className="text-ink-2">Not done: it depends on a step that needs you</span>;
    case 'unsettled':
      return (
        <div>
          <OutcomeMark look={writeLooks.unsettled} text="Needs you" />
          {/* In a run the reason stands above, where it can be settled. */}
          {isRehearsal && <p className="mt-0.5">{result.message}</p>}
        </div>
      );
  }
}

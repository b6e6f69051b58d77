import {
  type ItemState,
  isPlaced,
  layOut,
  type MatchedBy,
  pointerLabel,
  readPointer,
  type StepResult,
  toText,
  type Value,
  type WorkflowContent,
} from '@golden/core';
import { ExternalLink, Undo2 } from 'lucide-react';
import { call } from '../api/client.ts';
import { type Item, useDo } from '../api/queries.ts';
import { Button } from './Button.tsx';
import { formatInstant } from './formats.ts';
import { OutcomeMark, stateLooks, writeLooks } from './OutcomeMark.tsx';
import { OutsideLink } from './OutsideLink.tsx';
import { WaitNote } from './PauseNote.tsx';
import { SettleForm } from './SettleForm.tsx';

/** Everything that happened to one record in one run, and what can be done now. */
export function ItemStory({ item, zone }: { readonly item: Item; readonly zone: string }) {
  const state = item.detail as ItemState;
  const takeBack = useDo(
    () => call('POST /api/items/:id/take-back', { params: { id: item.id } }),
    'Taken back. The destination is as it was.',
  );
  const takeUp = useDo(() => call('POST /api/items/:id/take-up', { params: { id: item.id } }));
  const isTakenBack = item.state === 'cancelled' && item.message === 'Taken back.';
  return (
    <div>
      <p className="mb-3 text-ink-2">
        <OutcomeMark look={stateLooks[item.state]} text={isTakenBack ? 'taken back' : undefined} />
        <span className="ml-2">
          record <span className="font-mono text-sm">{item.sourceId}</span>, taken in{' '}
          {formatInstant(item.takenAt, zone)}, version {item.version}
        </span>
      </p>
      {item.state === 'unsettled' && <SettleForm item={item} />}
      {item.state === 'waiting' && item.message && (
        <div className="mb-3">
          <WaitNote>
            <span className="font-medium">{item.message}</span>
            {item.wakeAt && ` It goes on by itself, next at ${formatInstant(item.wakeAt, zone)}.`}
          </WaitNote>
        </div>
      )}
      <StepStory content={item.content} state={state} />
      {layOut(item.content, state.values).map(({ id, step }) => {
        const sent = item.sent[id];
        if (!isPlaced(step) || !sent || isTakenBack) return null;
        return (
          <SentAndRead
            key={id}
            sent={sent.sent as Record<string, Value>}
            read={sent.read as Record<string, Value> | null}
            result={state.steps[id]}
          />
        );
      })}
      <div className="mt-4 flex flex-wrap gap-2">
        {Object.entries(item.links).map(([step, link]) => (
          <LinkButton key={step} href={link} text="Open it there" />
        ))}
        {item.sourceLink && <LinkButton href={item.sourceLink} text="Open it in the source" />}
        {item.mayTakeBack && (
          <Button
            look="danger"
            icon={<Undo2 size={15} />}
            disabled={takeBack.isPending}
            onClick={() => takeBack.mutate(undefined)}
          >
            Take it back
          </Button>
        )}
        {item.state === 'cancelled' && !isTakenBack && (
          <Button onClick={() => takeUp.mutate(undefined)}>Take it up again</Button>
        )}
      </div>
    </div>
  );
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
  return (
    <ol className="space-y-2.5">
      {layOut(content, state.values).map(({ id, turn }) => {
        const result = state.steps[id];
        return (
          <li key={id} className={`border-l-2 border-line-1 pl-3 ${turn ? 'ml-5' : ''}`}>
            {turn && <span className="block text-sm text-ink-2">for no. {turn.number}</span>}
            {result ? (
              <Result result={result} isRehearsal={isRehearsal} />
            ) : (
              <span className="text-ink-2">Not reached</span>
            )}
          </li>
        );
      })}
    </ol>
  );
}

function Result({ result, isRehearsal }: { readonly result: StepResult; readonly isRehearsal: boolean }) {
  switch (result.kind) {
    case 'off':
      return <span className="text-ink-2">Switched off</span>;
    case 'kept':
      return <span>Kept: {result.why}</span>;
    case 'found':
      return (
        <span>
          Found: {result.title} <span className="text-sm text-ink-2">{matchedText(result.by)}</span>
        </span>
      );
    case 'not_found':
      return <span className="text-ink-2">None found: {result.why}</span>;
    case 'computed':
      return (
        <span>
          Worked out:{' '}
          {Object.entries(result.values)
            .map(([name, value]) => `${name} ${toText(value) || 'empty'}`)
            .join(', ')}
        </span>
      );
    case 'each':
      return <span className="text-ink-2">For each of {result.count}</span>;
    case 'left_out':
      return <OutcomeMark look={writeLooks.left_out} text={`Left out: ${result.why}`} />;
    case 'blocked':
      return <span className="text-ink-2">Not done: it depends on a step that isn’t settled</span>;
    case 'unsettled':
      return (
        <div>
          <OutcomeMark look={writeLooks.unsettled} text="Unsettled" />
          {/* In a run the reason stands above, where it can be settled. */}
          {isRehearsal && <p className="mt-0.5">{result.message}</p>}
        </div>
      );
    case 'written':
      return <Written result={result} isRehearsal={isRehearsal} />;
  }
}

/** How a record was recognised, in words. */
export function matchedText({ how, probability }: MatchedBy): string {
  const said = {
    link: 'remembered from before',
    rung: 'recognised',
    chosen: 'chosen by a person',
    id: 'by its id',
    rule: 'by a rule',
  };
  return how === 'rung' && probability !== undefined ? `recognised, ${Math.floor(probability * 100)}% sure` : said[how];
}

function Written({
  result,
  isRehearsal,
}: {
  readonly result: Extract<StepResult, { kind: 'written' }>;
  readonly isRehearsal: boolean;
}) {
  const words = {
    new: isRehearsal ? 'Would be new' : 'Written as new',
    changed: `${isRehearsal ? 'Would change' : 'Changed'} ${result.changes.length} ${result.changes.length === 1 ? 'field' : 'fields'}`,
    same: 'The same: nothing to write',
  };
  const readBack = {
    as_sent: 'read back as sent',
    altered: 'read back altered',
    cut: 'read back cut',
    different: 'something else was read back',
    not_read: 'not read back',
  };
  return (
    <div>
      <OutcomeMark look={writeLooks[result.outcome]} text={words[result.outcome]} />
      {result.by && <span className="ml-2 text-sm text-ink-2">{matchedText(result.by)}</span>}
      {!isRehearsal && result.outcome !== 'same' && (
        <span className="ml-2 text-sm text-ink-2">{readBack[result.readBack]}</span>
      )}
      {isRehearsal && result.changes.length > 0 && (
        <dl className="mt-1.5 rounded-md border border-line-1 bg-raised">
          {result.changes.map((change) => (
            <div
              key={change.path}
              className="grid grid-cols-[120px_1fr] gap-2 border-b border-line-2 px-2.5 py-1 last:border-0"
            >
              <dt className="truncate text-ink-2">{change.label}</dt>
              <dd>
                <del className="mr-1.5 text-ink-2 decoration-brick">{toText(change.before) || 'empty'}</del>
                <ins className="rounded-sm bg-slate-tint px-1 text-slate no-underline">
                  {toText(change.after) || 'empty'}
                </ins>
              </dd>
            </div>
          ))}
        </dl>
      )}
    </div>
  );
}

interface SentProps {
  readonly sent: Record<string, Value>;
  readonly read: Record<string, Value> | null;
  readonly result: StepResult | undefined;
}

/** What was sent beside what was read back, and for a change what stood there before. */
function SentAndRead({ sent, read, result }: SentProps) {
  const changes = result?.kind === 'written' && result.outcome === 'changed' ? result.changes : [];
  const shown = (value: Value | undefined) => toText(value) || <em className="text-ink-3">empty</em>;
  return (
    <table className="sheet mt-3 border border-line-1">
      <thead>
        <tr>
          <th scope="col">Field</th>
          {changes.length > 0 && <th scope="col">Before</th>}
          <th scope="col">Sent</th>
          <th scope="col">Read back</th>
        </tr>
      </thead>
      <tbody>
        {Object.entries(sent).map(([path, value]) => {
          const there = read === null ? undefined : readPointer(read, path);
          const isSame = toText(there) === toText(value);
          return (
            <tr key={path}>
              <td className="text-ink-2">{pointerLabel(path)}</td>
              {changes.length > 0 && (
                <td>
                  <del className="text-ink-2 decoration-brick">
                    {toText(changes.find((change) => change.path === path)?.before) || 'empty'}
                  </del>
                </td>
              )}
              <td>{shown(value)}</td>
              <td className={read && !isSame ? 'bg-slate-tint text-slate' : ''}>
                {read ? shown(there) : <em className="text-ink-3">not read</em>}
              </td>
            </tr>
          );
        })}
      </tbody>
    </table>
  );
}

import type { ItemState, StepResult } from '@golden/core';
import { toText } from '@golden/core';
import { useState } from 'react';
import { Link } from 'react-router';
import { call } from '../api/client.ts';
import { type Item, useAction } from '../api/queries.ts';
import { Button } from './Button.tsx';
import { TextField } from './Field.tsx';
import { percentText } from './formats.ts';
import { ToRemove } from './ToRemove.tsx';
import { WhoseValue } from './WhoseValue.tsx';

type Unsettled = Extract<StepResult, { kind: 'unsettled' }>;
type DecisionBody = Parameters<typeof call<'POST /api/items/:id/decide'>>[1]['body'];

/** An unsettled item: the reason, its values, and the ways to go on. */
export function SettleForm({ item }: { readonly item: Item }) {
  const state = item.detail as ItemState;
  const open = Object.entries(state.steps).find((entry): entry is [string, Unsettled] => entry[1].kind === 'unsettled');
  const decide = useAction((body: DecisionBody) =>
    call('POST /api/items/:id/decide', { params: { id: item.id }, body }),
  );
  const newest = useAction(() => call('POST /api/items/:id/take-newest', { params: { id: item.id } }));
  const [stepId, result] = open ?? ['', undefined];
  const fields = result?.fields ?? [];
  const [values, setValues] = useState<Record<string, string>>(() =>
    Object.fromEntries(fields.map((field) => [field.path, toText(field.given)])),
  );
  const isBusy = decide.isPending || newest.isPending;
  const setsValue = fields.length > 0 && ['value', 'refused', 'returned'].includes(item.cause ?? '');
  // A mail that came back is sent again with another address; what is to be removed waits for a yes or a no.
  const mayRetry = !(setsValue && item.cause === 'returned') && !result?.toRemove;
  return (
    <section
      aria-label="Settle this record"
      className="mb-4 rounded-md border border-brass-fill/60 bg-brass-tint px-4 py-3"
    >
      <p className="mb-2 text-md font-medium text-brass">{item.message}</p>
      {setsValue && (
        <form
          onSubmit={(event) => {
            event.preventDefault();
            decide.mutate({ kind: 'set', step: stepId, values });
          }}
        >
          {fields.map((field) => (
            <TextField
              key={field.path}
              label={field.label}
              hint={fields.length > 1 ? field.message : undefined}
              value={values[field.path] ?? ''}
              onChange={(event) => setValues({ ...values, [field.path]: event.target.value })}
            />
          ))}
          <Button look="main" type="submit" disabled={isBusy}>
            Set {fields.length === 1 ? 'this value' : 'these values'} and{' '}
            {item.cause === 'returned' ? 'send it again' : 'retry'}
          </Button>
        </form>
      )}
      {item.cause === 'differs' && (
        <WhoseValue
          fields={fields}
          isBusy={isBusy}
          onSay={(said) => decide.mutate({ kind: 'set', step: stepId, values: said })}
        />
      )}
      {result?.toRemove && (
        <ToRemove item={item} step={stepId} result={result} isBusy={isBusy} onSay={(said) => decide.mutate(said)} />
      )}
      {result?.candidates && (
        <Candidates
          candidates={result.candidates}
          isBusy={isBusy}
          onChoose={(id) => decide.mutate({ kind: 'choose', step: stepId, id })}
        />
      )}
      <div className="mt-2 flex flex-wrap items-center gap-2">
        {item.cause === 'behind' ? (
          <Button disabled={isBusy} onClick={() => newest.mutate(undefined)}>
            Use the newest, dismiss the earlier
          </Button>
        ) : (
          mayRetry && (
            <Button disabled={isBusy} onClick={() => decide.mutate({ kind: 'retry' })}>
              Retry
            </Button>
          )
        )}
        {(item.cause === 'unclear' || item.cause === 'double') && (
          <Button disabled={isBusy} onClick={() => decide.mutate({ kind: 'new', step: stepId })}>
            It is a new one
          </Button>
        )}
        {item.cause === 'unclear' && (
          <Link to={`/needs-you?item=${item.id}`} className="underlined font-medium">
            Compare side by side
          </Link>
        )}
        <CauseAnswers item={item} stepId={stepId} isBusy={isBusy} onSay={(said) => decide.mutate(said)} />
      </div>
      {!result?.toRemove && (
        <Dismissal isBusy={isBusy} onDismiss={(because) => decide.mutate({ kind: 'dismiss', reason: because })} />
      )}
    </section>
  );
}

interface CandidatesProps {
  readonly candidates: NonNullable<Unsettled['candidates']>;
  readonly isBusy: boolean;
  readonly onChoose: (id: string) => void;
}

/** The records that it may be. */
function Candidates({ candidates, isBusy, onChoose }: CandidatesProps) {
  return (
    <ul className="mb-2 space-y-1">
      {candidates.map(({ id, record, probability }) => (
        <li key={id} className="flex items-center gap-2 rounded-md bg-sheet px-2.5 py-1.5">
          <span className="min-w-0 flex-1 truncate text-sm">
            {Object.values(record).map(toText).filter(Boolean).join(' · ')}
          </span>
          {probability !== undefined && <span className="text-sm text-ink-2">{percentText(probability)}</span>}
          <Button disabled={isBusy} onClick={() => onChoose(id)}>
            It is this one
          </Button>
        </li>
      ))}
    </ul>
  );
}

interface AnswersProps {
  readonly item: Item;
  readonly stepId: string;
  readonly isBusy: boolean;
  readonly onSay: (decision: DecisionBody) => void;
}

/** The answers that only one cause has. */
function CauseAnswers({ item, stepId, isBusy, onSay }: AnswersProps) {
  return (
    <>
      {item.cause === 'gone' && (
        <>
          <Button disabled={isBusy} onClick={() => onSay({ kind: 'new', step: stepId })}>
            Create it again
          </Button>
          <Button disabled={isBusy} onClick={() => onSay({ kind: 'leave_gone', step: stepId })}>
            Leave it deleted
          </Button>
        </>
      )}
      {(item.cause === 'unsure' || item.cause === 'altered') && (
        <Button disabled={isBusy} onClick={() => onSay({ kind: 'accept', step: stepId })}>
          It is there: accept it
        </Button>
      )}
      {item.cause === 'returned' && (
        <Button disabled={isBusy} onClick={() => onSay({ kind: 'accept', step: stepId })}>
          I have told them another way
        </Button>
      )}
      {item.cause === 'unsure' && (
        <Button disabled={isBusy} onClick={() => onSay({ kind: 'send_again', step: stepId })}>
          It isn’t there: send it again
        </Button>
      )}
      {(item.cause === 'connection' || item.cause === 'account') && (
        <Link to="/connections" className="underlined font-medium">
          See the connection
        </Link>
      )}
    </>
  );
}

interface DismissalProps {
  readonly isBusy: boolean;
  readonly onDismiss: (reason: string) => void;
}

/** Nothing is done with it, and why. */
function Dismissal({ isBusy, onDismiss }: DismissalProps) {
  const [reason, setReason] = useState('');
  return (
    <form
      className="mt-3 flex items-end gap-2 border-t border-brass-fill/40 pt-3"
      onSubmit={(event) => {
        event.preventDefault();
        if (reason.trim()) onDismiss(reason.trim());
      }}
    >
      <div className="-mb-3 flex-1">
        <TextField label="Or dismiss it, because" value={reason} onChange={(event) => setReason(event.target.value)} />
      </div>
      <Button type="submit" disabled={isBusy || !reason.trim()}>
        Dismiss
      </Button>
    </form>
  );
}

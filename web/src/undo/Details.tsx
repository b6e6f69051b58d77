import { toText, type Value } from '@golden/core';
import { Link } from 'react-router';
import type { UndoRow } from '../api/queries.ts';
import { partWords, shortWords, usedWords } from './words.ts';

type Shown = Pick<UndoRow, 'says' | 'fields' | 'used'> & Partial<Pick<UndoRow, 'parts' | 'message'>>;

/** What is to be known of undoing one record: both values of what somebody changed, and who has used it since. */
export function Details({ row, isWhole = false }: { readonly row: Shown; readonly isWhole?: boolean }) {
  const { says, fields, used, parts = [], message } = row;
  return (
    <div className="space-y-0.5">
      {isWhole ? (
        parts.flatMap(partWords).map((words) => <p key={words}>{words}.</p>)
      ) : (
        <p className="text-ink-2">{shortWords(parts)}</p>
      )}
      {message ? <p className="text-ink-2">{message}</p> : says !== '' && <p className="text-ink-2">{says}</p>}
      {fields.map((one) => (
        <p key={one.path}>
          {one.label}: <Held value={one.written as Value} /> was written, <Held value={one.now as Value} /> is there now
        </p>
      ))}
      {used.map((one) => (
        <p key={one.itemId}>
          <Link to={`/workflows/${one.workflowId}/runs/${one.runId}?item=${one.itemId}`} className="underlined">
            “{one.workflow}”
          </Link>{' '}
          {usedWords[one.how]}
        </p>
      ))}
    </div>
  );
}

function Held({ value }: { readonly value: Value }) {
  const text = toText(value);
  return text === '' ? <span className="text-ink-2">nothing</span> : <span className="font-medium">“{text}”</span>;
}

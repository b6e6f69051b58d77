import {
  fieldAt,
  isEmpty,
  isPlaced,
  type JsonRecord,
  readPointer,
  recordTitle,
  type StepResult,
  stepById,
  toText,
} from '@golden/core';
import { type Item, useConnections } from '../api/queries.ts';
import { Button } from './Button.tsx';

interface ToRemoveProps {
  readonly item: Item;
  readonly step: string;
  readonly result: Extract<StepResult, { kind: 'unsettled' }>;
  readonly isBusy: boolean;
  readonly onSay: (decision: { kind: 'remove'; step: string } | { kind: 'dismiss'; reason: string }) => void;
}

/** So many values tell which record it is. */
const mostShown = 8;

/** The record that would be removed, as it stands there, with what somebody has changed of it; and the two answers. */
export function ToRemove({ item, step, result: { toRemove, fields }, isBusy, onSay }: ToRemoveProps) {
  const placed = stepById(item.content, step);
  const target = placed && isPlaced(placed) ? placed.target : undefined;
  const record: JsonRecord = toRemove?.record ?? {};
  const described = target?.described.fields ?? [];
  const app = useConnections().data?.find(({ id }) => id === target?.connection)?.name;
  const changed = new Map(fields.map((field) => [field.path, field]));
  const paths = [
    ...changed.keys(),
    ...described.flatMap(({ path, readOnly }) =>
      readOnly || changed.has(path) || isEmpty(readPointer(record, path)) ? [] : [path],
    ),
  ];
  return (
    <div className="mb-2 rounded-md bg-sheet px-2.5 py-2">
      <p className="mb-1 font-medium">
        {recordTitle(record)}{' '}
        <span className="font-normal text-ink-2">
          in {[app, ...(target?.labels ?? [])].filter(Boolean).join(' → ')}
        </span>
      </p>
      <dl className="grid grid-cols-[auto_minmax(0,1fr)] gap-x-4 gap-y-0.5">
        {paths.slice(0, mostShown).map((path) => (
          <div key={path} className="contents">
            <dt className="text-ink-2">{fieldAt(described, path)?.label ?? path}</dt>
            <dd className="break-words">
              {toText(readPointer(record, path)) || <em className="text-ink-3">empty</em>}
              {changed.has(path) && (
                <span className="ml-2 text-sm text-brass">
                  both had {toText(changed.get(path)?.given) || 'nothing'} before
                </span>
              )}
            </dd>
          </div>
        ))}
      </dl>
      <p className="mt-2 flex flex-wrap gap-2">
        <Button disabled={isBusy} onClick={() => onSay({ kind: 'remove', step })}>
          Remove it for good
        </Button>
        <Button disabled={isBusy} onClick={() => onSay({ kind: 'dismiss', reason: 'It stays.' })}>
          Keep it
        </Button>
      </p>
    </div>
  );
}

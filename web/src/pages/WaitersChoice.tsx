import type { useWaiters } from '../api/queries.ts';
import { Choice } from '../parts/AccountChoice.tsx';
import { counted, formatNumber } from '../parts/formats.ts';

type Waiters = NonNullable<ReturnType<typeof useWaiters>['data']>;
export type Waiting = 'stays' | 'goes_on';

interface WaitersProps {
  /** Absent while they are counted. */
  readonly waiters: Waiters | undefined;
  readonly what: Waiting;
  readonly onSay: (what: Waiting) => void;
}

/** Records wait that began with an earlier version: whether this one goes on with them, and with how many it can. */
export function WaitersChoice({ waiters, what, onSay }: WaitersProps) {
  if (!waiters || waiters.total === 0) return null;
  const { total, canGoOn, waitAnew, atOnce, stay } = waiters;
  const isAll = canGoOn === total;
  return (
    <fieldset className="space-y-1.5" aria-label="Who waits already">
      <p>
        <strong className="font-semibold">{counted(total, 'record')}</strong> {total === 1 ? 'waits' : 'wait'} that
        began with an earlier version.
      </p>
      <Choice
        name="waiters"
        isOn={what === 'stays'}
        onChoose={() => onSay('stays')}
        title={total === 1 ? 'It goes on as it began' : 'They go on as they began'}
      />
      {canGoOn > 0 && (
        <Choice
          name="waiters"
          isOn={what === 'goes_on'}
          onChoose={() => onSay('goes_on')}
          title={`${isAll ? (total === 1 ? 'It goes' : 'They go') : `${formatNumber(canGoOn)} of them ${canGoOn === 1 ? 'goes' : 'go'}`} on with this version`}
          {...(waitAnew > 0 && { text: anewText(waitAnew, atOnce) })}
        />
      )}
      {stay.length > 0 && (
        <ul className="list-disc pl-5 text-sm text-ink-2">
          {stay.map(({ why, count }) => (
            <li key={why}>
              {formatNumber(count)} can only go on as {count === 1 ? 'it' : 'they'} began: {why}
            </li>
          ))}
        </ul>
      )}
    </fieldset>
  );
}

/** How many then wait another time, and how many of those no more. */
function anewText(count: number, atOnce: number): string {
  const anew = `For ${formatNumber(count)} the wait becomes another.`;
  if (atOnce === 0) return anew;
  const who =
    atOnce === count
      ? count === 1
        ? 'It goes'
        : 'These go'
      : `${formatNumber(atOnce)} of these ${atOnce === 1 ? 'goes' : 'go'}`;
  return `${anew} ${who} on at once, because that time has passed.`;
}

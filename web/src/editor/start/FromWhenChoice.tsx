import type { FromWhen } from '@golden/core';
import { useId, useState } from 'react';
import { useCounts } from '../../api/queries.ts';
import { inputLook } from '../../parts/Field.tsx';
import { formatNumber } from '../../parts/formats.ts';
import { ProblemMessage } from '../../parts/Messages.tsx';
import { useEditor } from '../draft/context.tsx';

interface FromWhenProps {
  readonly fromWhen: FromWhen;
  readonly onChange: (fromWhen: FromWhen) => void;
}

/** Where in time it begins, each with the number of records it means. */
export function FromWhenChoice({ fromWhen, onChange }: FromWhenProps) {
  const { workflow, sourceKey, draft } = useEditor();
  const name = useId();
  const since = fromWhen.kind === 'since' ? fromWhen.at : undefined;
  const [day, setDay] = useState(since?.slice(0, 10) ?? '');
  const isSaved = draft.state.kind === 'saved';
  const counts = useCounts(workflow.id, `${sourceKey}|${draft.content.start.on}`, isSaved, since);
  const all = counts.data?.all;
  const number = (value: number | undefined): string => (value === undefined ? '…' : formatNumber(value));
  const option = (kind: FromWhen['kind'], label: string, meaning: string, choose: () => void) => (
    <label
      className={`flex items-baseline gap-2 rounded-md px-2 py-1 ${fromWhen.kind === kind ? 'bg-pine-faint' : ''}`}
    >
      <input type="radio" name={name} checked={fromWhen.kind === kind} onChange={choose} className="accent-pine" />
      <span>{label}</span>
      <span className="text-sm text-ink-2">{meaning}</span>
    </label>
  );
  return (
    <fieldset className="-ml-2 max-w-[640px]">
      <legend className="sr-only">From when</legend>
      {option('now', 'only what comes from now on', `${number(all)} that are there are noted, 0 sent`, () =>
        onChange({ kind: 'now' }),
      )}
      <div className="flex items-center gap-2">
        {option(
          'since',
          'since a date',
          fromWhen.kind === 'since' && counts.data?.since !== undefined
            ? `${number(counts.data.since)} of ${number(all)} sent`
            : '',
          () => day && onChange({ kind: 'since', at: day }),
        )}
        <input
          type="date"
          aria-label="Since which date"
          value={day}
          onChange={(event) => {
            setDay(event.target.value);
            if (event.target.value) onChange({ kind: 'since', at: event.target.value });
          }}
          className={inputLook}
        />
      </div>
      {option('all', 'everything that is there, and what comes', `${number(all)} sent`, () =>
        onChange({ kind: 'all' }),
      )}
      {counts.data && counts.data.days.length > 1 && (
        <TimeAxis days={counts.data.days} from={since} isAll={fromWhen.kind === 'all'} />
      )}
      {counts.error && <ProblemMessage>{counts.error.message}</ProblemMessage>}
    </fieldset>
  );
}

interface AxisProps {
  readonly days: readonly { readonly day: string; readonly count: number }[];
  readonly from: string | undefined;
  readonly isAll: boolean;
}

const barsShown = 60;

/** Records by day, the latest sixty with any; those that would be sent are filled. */
function TimeAxis({ days, from, isAll }: AxisProps) {
  const shown = days.slice(-barsShown);
  const most = Math.max(...shown.map((one) => one.count));
  return (
    <figure className="mt-2 px-2">
      <div className="flex h-[38px] items-end gap-px" aria-hidden="true">
        {shown.map(({ day, count }) => (
          <span
            key={day}
            title={`${day}: ${count}`}
            style={{ height: `${Math.max(6, (count / most) * 100)}%` }}
            className={`min-w-[3px] flex-1 rounded-t-sm ${isAll || (from !== undefined && day >= from) ? 'bg-pine' : 'bg-line-1'}`}
          />
        ))}
      </div>
      <figcaption className="flex justify-between text-sm text-ink-2">
        <span>{shown[0]?.day}</span>
        <span>records by day</span>
        <span>{shown.at(-1)?.day}</span>
      </figcaption>
    </figure>
  );
}

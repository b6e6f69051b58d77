import { dateInWords, itemStates } from '@golden/core';
import { useState } from 'react';
import { useDays } from '../api/queries.ts';
import { counted, formatNumber } from '../parts/formats.ts';
import { stateLooks } from '../parts/OutcomeMark.tsx';
import { DaysChart } from './DaysChart.tsx';

const spans = [14, 90] as const;

/** What came in on each of the last days, by what has become of it: a picture, and the same as a table for reading. */
export function RunsChart({ workflow }: { readonly workflow: string }) {
  const [span, setSpan] = useState<(typeof spans)[number]>(14);
  const days = useDays(workflow, span).data;
  const states = itemStates.filter((state) => days?.some(({ items }) => items[state] > 0));
  const sum = days?.reduce((all, { items }) => all + itemStates.reduce((of, state) => of + items[state], 0), 0) ?? 0;
  if (!days || sum === 0) return null;
  return (
    <section aria-label="The last days" className="mb-4 rounded-lg border border-line-1 bg-sheet px-4 py-3">
      <div className="mb-1 flex flex-wrap items-center gap-x-4 gap-y-1">
        <h2 className="text-lg">{counted(sum, 'record')} taken in</h2>
        <ul className="flex flex-wrap gap-x-3 text-sm">
          {states.map((state) => (
            <li key={state} className="flex items-center gap-1.5">
              <span aria-hidden="true" className="size-2.5 rounded-sm" style={{ background: fills[state] }} />
              {stateLooks[state].word}
            </li>
          ))}
        </ul>
        <fieldset className="ml-auto flex gap-1">
          <legend className="sr-only">How many days</legend>
          {spans.map((one) => (
            <button
              key={one}
              type="button"
              aria-pressed={span === one}
              onClick={() => setSpan(one)}
              className={`rounded-md px-2 py-0.5 ${span === one ? 'bg-pine-tint font-medium text-pine' : 'text-ink-2 hover:bg-pine-faint'}`}
            >
              {one} days
            </button>
          ))}
        </fieldset>
      </div>
      <div className="h-[110px]" aria-hidden="true">
        <DaysChart days={days} states={states} fills={fills} />
      </div>
      <table className="sr-only">
        <caption>Records by day and outcome</caption>
        <tbody>
          {days
            .filter(({ items }) => states.some((state) => items[state] > 0))
            .map(({ day, items }) => (
              <tr key={day}>
                <th scope="row">{dateInWords(day)}</th>
                <td>
                  {states
                    .filter((state) => items[state] > 0)
                    .map((state) => `${formatNumber(items[state])} ${stateLooks[state].word}`)
                    .join(', ')}
                </td>
              </tr>
            ))}
        </tbody>
      </table>
    </section>
  );
}

const fills: Readonly<Record<(typeof itemStates)[number], string>> = {
  delivered: 'var(--pine)',
  left_out: 'var(--line-input)',
  unsettled: 'var(--brass-fill)',
  waiting: 'var(--plum)',
  running: 'var(--slate)',
  dismissed: 'var(--stone)',
  cancelled: 'var(--line-1)',
  undone: 'var(--line-2)',
};

import { DateTime } from 'luxon';
import type { WorkflowRow } from '../api/queries.ts';
import { counted } from './formats.ts';

/** Fourteen days as small bars: taken in, and on top what needs a person still. */
export function DayBars({ days }: { readonly days: WorkflowRow['days'] }) {
  const most = Math.max(1, ...days.map((one) => one.takenIn));
  const sum = days.reduce((total, one) => total + one.takenIn, 0);
  return (
    <span role="img" aria-label={`${counted(sum, 'record')} in 14 days`} className="flex h-[24px] items-end gap-[2px]">
      {days.map((one) => {
        const height = one.takenIn === 0 ? 1 : Math.max(3, Math.round((one.takenIn / most) * 24));
        const open = one.unsettled === 0 ? 0 : Math.max(2, Math.round((one.unsettled / most) * 24));
        const day = DateTime.fromISO(one.day).toFormat('d LLL');
        return (
          <span
            key={one.day}
            data-hint={`${day}: ${counted(one.takenIn, 'record')}${one.unsettled > 0 ? `, ${one.unsettled} need you` : ''}`}
            className="flex min-w-[4px] flex-1 flex-col justify-end"
          >
            {open > 0 && <span className="bg-brass-fill" style={{ height: Math.min(open, height) }} />}
            <span
              className={one.takenIn === 0 ? 'bg-line-1' : 'bg-pine/45'}
              style={{ height: Math.max(1, height - open) }}
            />
          </span>
        );
      })}
    </span>
  );
}

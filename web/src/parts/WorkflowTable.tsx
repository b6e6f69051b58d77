import { Link } from 'react-router';
import type { WorkflowRow } from '../api/queries.ts';
import { formatAhead, formatInstant, formatNumber, formatSeconds } from './formats.ts';

/** Each workflow as one row: from, to, on or off, last and next run, the day's balance. */
export function WorkflowTable({ rows, zone }: { readonly rows: readonly WorkflowRow[]; readonly zone: string }) {
  return (
    <table className="sheet overflow-hidden rounded-lg border border-line-1">
      <thead>
        <tr>
          <th scope="col">Workflow</th>
          <th scope="col">From → to</th>
          <th scope="col">Last run</th>
          {['Taken in', 'Delivered', 'Left out', 'Unsettled'].map((title) => (
            <th key={title} scope="col" className="text-right!">
              {title}
            </th>
          ))}
        </tr>
      </thead>
      <tbody>
        {rows.map((row) => (
          <tr key={row.id} className="h-[48px] hover:bg-pine-faint">
            <td>
              <Link to={`/workflows/${row.id}`} className="block font-serif text-lg leading-tight">
                {row.name}
              </Link>
              <span className="text-sm text-ink-2">
                <StateWords row={row} />
              </span>
            </td>
            <td>
              {row.from} → {row.to}
            </td>
            <td className="text-ink-2">
              {row.lastRun ? (
                <>
                  {formatInstant(row.lastRun.at, zone)}
                  {row.lastRun.seconds !== null && ` · ${formatSeconds(row.lastRun.seconds)}`}
                </>
              ) : (
                '–'
              )}
            </td>
            <td className="text-right">{formatNumber(row.today.takenIn)}</td>
            <td className="text-right">{formatNumber(row.today.items.delivered)}</td>
            <td className="text-right text-ink-2">{formatNumber(row.today.items.left_out)}</td>
            <td className={`text-right ${row.unsettled > 0 ? 'font-semibold text-brass' : 'text-ink-2'}`}>
              {formatNumber(row.unsettled)}
            </td>
          </tr>
        ))}
      </tbody>
    </table>
  );
}

function StateWords({ row }: { readonly row: WorkflowRow }) {
  if (row.message) return <span className="text-brick">{row.message}</span>;
  if (row.isOn) {
    return (
      <>
        <span className="font-semibold text-pine">on</span>,{' '}
        {row.nextAt ? `next check ${formatAhead(row.nextAt)}` : 'checking'}
      </>
    );
  }
  return row.liveVersion === null ? 'a draft, not live yet' : 'switched off';
}

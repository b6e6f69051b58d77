import { useState } from 'react';
import { Link } from 'react-router';
import { useWaiting } from '../api/queries.ts';
import { inputLook } from '../parts/Field.tsx';
import { counted, formatDayAndTime, formatNumber } from '../parts/formats.ts';
import { EmptyState, Loading, ProblemMessage } from '../parts/Messages.tsx';
import { useZone } from '../parts/use-zone.ts';

/** Who waits for what and until when, in whatever workflow. */
export function WaitingPage() {
  const [search, setSearch] = useState('');
  const zone = useZone();
  const { data, error } = useWaiting(search);
  if (error)
    return (
      <div className="p-6">
        <ProblemMessage>{error.message}</ProblemMessage>
      </div>
    );
  if (!data) return <Loading what="who waits" />;
  const { rows, total } = data;
  return (
    <div className="px-5 py-4">
      <header className="mb-3 flex flex-wrap items-center gap-3">
        <h1 className="text-2xl">Waiting</h1>
        <span className="text-ink-2">
          {counted(total, 'record waits', 'records wait')}
          {total > rows.length && `, the next ${formatNumber(rows.length)} shown`}
        </span>
        <input
          type="search"
          aria-label="Search for a person"
          placeholder="Search for a person"
          value={search}
          onChange={({ target }) => setSearch(target.value)}
          className={`${inputLook} w-[240px]`}
        />
      </header>
      {rows.length === 0 ? (
        <EmptyState title={search ? 'Nobody of that name waits.' : 'Nothing waits.'}>
          Records wait here when a workflow has a wait or asks somebody, until their time comes, something ends it, or
          it is answered.
        </EmptyState>
      ) : (
        <table className="sheet table-fixed border border-line-1">
          <thead>
            <tr>
              <th scope="col" className="w-[36%]">
                Who
              </th>
              <th scope="col" className="w-[36%]">
                Workflow
              </th>
              <th scope="col">Waits until</th>
            </tr>
          </thead>
          <tbody>
            {rows.map((row) => (
              <tr key={row.id}>
                <td className="truncate">
                  <Link to={`/workflows/${row.workflowId}/runs/${row.runId}?state=waiting`} className="underline">
                    {row.title}
                  </Link>
                </td>
                <td className="truncate">
                  <Link to={`/workflows/${row.workflowId}/due`}>{row.workflow}</Link>
                </td>
                <td className={row.isOverdue ? 'text-brass' : 'text-plum'}>
                  {row.asks !== null ? (
                    <Link to={`/answer/${row.workflowId}/${row.asks}`} className="underline">
                      {row.message}
                    </Link>
                  ) : row.until === null ? (
                    row.message
                  ) : (
                    formatDayAndTime(row.until, zone)
                  )}
                  {row.isOverdue && ', overdue'}
                </td>
              </tr>
            ))}
          </tbody>
        </table>
      )}
    </div>
  );
}

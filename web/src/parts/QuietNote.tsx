import { DateTime } from 'luxon';
import { Link } from 'react-router';
import type { Today } from '../api/queries.ts';
import { formatNumber } from './formats.ts';
import { WaitNote } from './PauseNote.tsx';

/** A workflow that has brought far less than usual: nothing arriving looks like peace. */
export function QuietNote({ quiet, zone }: { readonly quiet: Today['quiet'][number]; readonly zone: string }) {
  const now = DateTime.now().setZone(zone).setLocale('en-GB');
  const { workflowId, workflow, usual, today, by } = quiet;
  return (
    <WaitNote
      action={
        <Link to={`/workflows/${workflowId}/runs`} className="font-medium text-pine underline">
          Look at its runs
        </Link>
      }
    >
      {by === undefined ? (
        <>
          <span className="font-medium">“{workflow}” is quieter than usual.</span> By {now.toFormat('HH:mm')} on a{' '}
          {now.toFormat('cccc')} it usually has {formatNumber(usual)}; today it has {formatNumber(today)}.
        </>
      ) : (
        <>
          <span className="font-medium">“{workflow}” is quieter than expected.</span> At least {formatNumber(usual)} are
          expected by {by}; today it has {formatNumber(today)}.
        </>
      )}
    </WaitNote>
  );
}

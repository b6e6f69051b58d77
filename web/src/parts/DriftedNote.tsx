import { Link } from 'react-router';
import type { Today } from '../api/queries.ts';
import { formatInstant } from './formats.ts';
import { WaitNote } from './PauseNote.tsx';

/** A comparison of each day whose two sides aren't the same any more. */
export function DriftedNote({ drifted, zone }: { readonly drifted: Today['drifted'][number]; readonly zone: string }) {
  const { id, name, at, count, says } = drifted;
  return (
    <WaitNote
      action={
        <Link to={`/reconcile?id=${id}`} className="font-medium text-pine underline">
          Look at it
        </Link>
      }
    >
      <span className="font-medium">
        {count > 0 ? `“${name}” are not the same.` : `“${name}” could not be compared.`}
      </span>{' '}
      {says} ({formatInstant(at, zone)})
    </WaitNote>
  );
}

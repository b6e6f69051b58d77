import { Link } from 'react-router';
import type { DoorView } from '../../api/queries.ts';

/** Who reaches the address, and how to let others. */
export function Reached({ view }: { readonly view: DoorView }) {
  if (!view.isPublic)
    return (
      <p className="mt-1 text-sm text-brass">
        Only this machine reaches it.{' '}
        <Link to="/settings" className="underlined">
          Set a public address
        </Link>{' '}
        so that an app elsewhere can post to it.
      </p>
    );
  return (
    <p className={`mt-1 text-sm ${view.isProven ? 'text-pine' : 'text-brass'}`}>
      {view.isProven
        ? 'An event has come in by it.'
        : 'No event has come in by it yet. It can go live once one has, so that you know the way is open.'}
    </p>
  );
}

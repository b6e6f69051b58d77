import { Link, useLocation } from 'react-router';
import { EmptyState } from '../parts/Messages.tsx';

/** An address that leads nowhere says so, and where to go instead. */
export function NotFoundPage() {
  const { pathname } = useLocation();
  return (
    <div className="max-w-[640px] p-6">
      <h1 className="sr-only">Not found</h1>
      <EmptyState
        title="There is nothing at this address."
        action={
          <span className="flex gap-4">
            <Link to="/" className="text-pine hover:underline">
              Go to Today
            </Link>
            <Link to="/workflows" className="text-pine hover:underline">
              Go to the workflows
            </Link>
          </span>
        }
      >
        <span className="font-mono text-sm break-all">{pathname}</span> was removed, or the address was cut off.
      </EmptyState>
    </div>
  );
}

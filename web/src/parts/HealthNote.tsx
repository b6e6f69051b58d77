import { BadgeCheck } from 'lucide-react';
import type { Connection } from '../api/queries.ts';
import { ProblemMessage } from './Messages.tsx';

/** Is it connected, as whom, may it write there? */
export function HealthNote({ connection }: { readonly connection: Connection }) {
  if (connection.status === 'broken')
    return <ProblemMessage>{connection.message ?? 'It doesn’t work.'}</ProblemMessage>;
  const { health } = connection;
  if (!health) return <p className="text-ink-2">Not checked yet.</p>;
  const rights = health.mayWrite ? 'may read and write' : 'may read, not write';
  return (
    <p className="flex gap-2 text-pine">
      <BadgeCheck size={16} strokeWidth={1.75} className="mt-0.5 shrink-0" aria-hidden="true" />
      <span>
        Signed in as <strong className="font-semibold">{health.signedInAs}</strong>, {rights}
        {health.readOnlyBecause && <span className="block text-ink-2">{health.readOnlyBecause}</span>}
        <span className="block text-sm text-ink-2">sees {health.sees.join(', ') || 'nothing yet'}</span>
      </span>
    </p>
  );
}

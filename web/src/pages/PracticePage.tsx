import { ExternalLink } from 'lucide-react';
import { useApps } from '../api/queries.ts';
import { EmptyState, Loading } from '../parts/Messages.tsx';
import { OutsideLink } from '../parts/OutsideLink.tsx';

/** The small stand-ins that ship with the product. */
export function PracticePage() {
  const apps = useApps();
  const practice = apps.data?.filter((app) => app.screens) ?? [];
  return (
    <div className="px-6 py-4">
      <h1 className="mb-1 text-2xl">Practice apps</h1>
      <p className="mb-4 max-w-prose text-ink-2">
        Small practice versions of the apps of a business, with invented data. Add a customer in one, see it arrive in
        the other, and make them fail on purpose.
      </p>
      {apps.isPending && <Loading what="the practice apps" />}
      {apps.data && practice.length === 0 && (
        <EmptyState title="No practice apps are running.">
          Start Golden Relay with <code className="font-mono">npm run demo</code> to have them beside it.
        </EmptyState>
      )}
      <ul className="grid max-w-[860px] grid-cols-2 gap-3">
        {practice.map((app) => (
          <li key={app.id} className="rounded-lg border border-line-1 bg-sheet px-4 py-3">
            <h2 className="text-lg">{app.title}</h2>
            <p className="text-ink-2">{app.holds}</p>
            <p className="mt-2 flex gap-4">
              <PracticeLink href={app.screens ?? ''} text="Open its screens" />
              <PracticeLink href={`${app.screens}practice`} text="Access keys and faults" />
            </p>
          </li>
        ))}
      </ul>
    </div>
  );
}

function PracticeLink({ href, text }: { readonly href: string; readonly text: string }) {
  return (
    <OutsideLink href={href} className="inline-flex items-center gap-1.5 font-medium text-pine hover:underline">
      {text} <ExternalLink size={13} strokeWidth={1.75} aria-hidden="true" />
    </OutsideLink>
  );
}

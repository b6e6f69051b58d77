import { ExternalLink, Play, Trash2 } from 'lucide-react';
import { useState } from 'react';
import { call } from '../api/client.ts';
import { useAction, useApps, usePractice } from '../api/queries.ts';
import { useStartPractising } from '../onboarding/practising.ts';
import { Button } from '../parts/Button.tsx';
import { ConfirmDialog } from '../parts/ConfirmDialog.tsx';
import { counted } from '../parts/formats.ts';
import { EmptyState, Loading, ProblemMessage } from '../parts/Messages.tsx';
import { OutsideLink } from '../parts/OutsideLink.tsx';

/** The practice apps that ship with the product: started, opened and removed here. */
export function PracticePage() {
  const apps = useApps();
  const practice = usePractice().data;
  const start = useStartPractising();
  const shown = apps.data?.filter((app) => app.screens) ?? [];
  return (
    <div className="px-6 py-4">
      <div className="mb-4 flex items-start justify-between gap-4">
        <div>
          <h1 className="mb-1 text-2xl">Practice apps</h1>
          <p className="max-w-prose text-ink-2">
            Small practice versions of the apps of a business, with invented data. Add a customer in one, see it arrive
            in the other, and make them fail on purpose.
          </p>
        </div>
        {practice?.state === 'on' && <RemoveButton use={practice} />}
      </div>
      {(apps.isPending || !practice) && <Loading what="the practice apps" />}
      {start.error && <ProblemMessage>{start.error.message}</ProblemMessage>}
      {apps.data && practice && shown.length === 0 && (
        <EmptyState
          title="No practice apps are running."
          action={
            practice.state !== 'none' && (
              <Button
                icon={<Play size={15} strokeWidth={1.75} />}
                disabled={start.isPending || practice.state === 'starting'}
                onClick={() => start.mutate(undefined)}
              >
                {start.isPending || practice.state === 'starting' ? 'Starting the practice apps…' : 'Start practising'}
              </Button>
            )
          }
        >
          {practice.state === 'none'
            ? 'They aren’t built here. Run npm run build, then start Golden Relay again.'
            : 'They run on this machine only, beside your own apps, and can be removed again with everything they made.'}
        </EmptyState>
      )}
      <ul className="grid max-w-[860px] grid-cols-2 gap-3">
        {shown.map((app) => (
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

type Use = NonNullable<ReturnType<typeof usePractice>['data']>;

/** Removing them says what goes along, before it goes. */
function RemoveButton({ use }: { readonly use: Use }) {
  const [isAsking, setAsking] = useState(false);
  const remove = useAction(async () => {
    await call('DELETE /api/practice', {});
    setAsking(false);
  }, 'The practice apps are removed.');
  return (
    <>
      <Button look="danger" icon={<Trash2 size={15} strokeWidth={1.75} />} onClick={() => setAsking(true)}>
        Remove the practice apps
      </Button>
      <ConfirmDialog
        title="Remove the practice apps"
        isOpen={isAsking}
        onClose={() => setAsking(false)}
        onConfirm={() => remove.mutate(undefined)}
        confirm="Remove them"
        isBusy={remove.isPending}
      >
        <p>
          The practice apps are removed with their data, and {counted(use.connections.length, 'connection')} to them.
          Your own connections stay.
        </p>
        {use.workflows.length > 0 && (
          <>
            <p>These workflows use them, and are removed with their runs:</p>
            <ul className="list-disc pl-5">
              {use.workflows.map((one) => (
                <li key={one.id}>
                  {one.name}
                  {one.isOn && ' (on)'}
                </li>
              ))}
            </ul>
          </>
        )}
      </ConfirmDialog>
    </>
  );
}

function PracticeLink({ href, text }: { readonly href: string; readonly text: string }) {
  return (
    <OutsideLink href={href} className="inline-flex items-center gap-1.5 font-medium text-pine hover:underline">
      {text} <ExternalLink size={13} strokeWidth={1.75} aria-hidden="true" />
    </OutsideLink>
  );
}

import { useBackups } from '../api/queries.ts';
import { formatAgo } from '../parts/formats.ts';
import { NewWorkflowButton } from '../parts/NewWorkflowButton.tsx';
import { ConnectDoor } from './ConnectDoor.tsx';
import { FirstSteps } from './FirstSteps.tsx';
import { ListDoor } from './ListDoor.tsx';
import { PractiseDoor } from './PractiseDoor.tsx';
import { ReadAsNote } from './ReadAsNote.tsx';

/** The empty product: three ways to begin, and the first steps. */
export function Doors() {
  const newest = useBackups().data?.copies[0];
  return (
    <div className="mx-auto max-w-[1120px] px-8 py-9">
      <div className="flex flex-wrap items-start justify-between gap-4">
        <h1 className="text-[32px] leading-tight">Nothing is copied yet.</h1>
        <NewWorkflowButton />
      </div>
      <p className="mt-1 mb-7 font-serif text-xl text-ink-2">
        Begin with what you have. Nothing is written anywhere until you say so.
      </p>
      <div className="grid gap-4 lg:grid-cols-3">
        <ListDoor />
        <ConnectDoor />
        <PractiseDoor />
      </div>
      <FirstSteps />
      <p className="mt-6 text-sm text-ink-2">
        Golden Relay works while this machine is on. Everything is kept in your own folder on this machine
        {newest ? `; the last backup was made ${formatAgo(newest.at)}` : '; a backup is made each night'}.{' '}
        <ReadAsNote />
      </p>
    </div>
  );
}

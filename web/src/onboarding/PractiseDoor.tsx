import { Play } from 'lucide-react';
import { Link } from 'react-router';
import { usePractice } from '../api/queries.ts';
import { Button } from '../parts/Button.tsx';
import { ProblemMessage } from '../parts/Messages.tsx';
import { useStartPractising } from './practising.ts';

/** Practising with the made-up merchant. */
export function PractiseDoor() {
  const practice = usePractice().data;
  const start = useStartPractising();
  const isRunning = practice?.state === 'on' || practice?.state === 'beside';
  return (
    <section
      aria-labelledby="door-practise"
      className="flex min-h-[230px] flex-col items-start rounded-lg border border-line-1 bg-sheet px-6 py-5"
    >
      <h2 id="door-practise" className="text-2xl">
        Practise first
      </h2>
      <p className="mt-2 mb-4 text-md">
        A made-up pottery merchant with a shop, a ledger, a card index and a shelf of workbooks. One click to start, one
        to clear it all away.
      </p>
      {isRunning ? (
        <p>
          The practice apps are running.{' '}
          <Link to="/workflows/new" className="underlined font-medium">
            Make a workflow with them
          </Link>
        </p>
      ) : (
        <Button
          icon={<Play size={15} strokeWidth={1.75} />}
          disabled={start.isPending || practice === undefined || practice.state !== 'off'}
          onClick={() => start.mutate(undefined)}
        >
          {start.isPending || practice?.state === 'starting' ? 'Starting the practice apps…' : 'Start practising'}
        </Button>
      )}
      {practice?.state === 'none' && (
        <p className="mt-2 text-sm text-ink-2">
          The practice apps aren’t built here. Run <code className="font-mono">npm run build</code> first.
        </p>
      )}
      {start.error && (
        <div className="mt-3 w-full">
          <ProblemMessage>{start.error.message}</ProblemMessage>
        </div>
      )}
    </section>
  );
}

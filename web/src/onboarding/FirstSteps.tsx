import { Circle, CircleCheck } from 'lucide-react';
import { useFirstSteps } from '../api/queries.ts';

/** The first steps, which tick themselves; gone once a workflow is live. */
export function FirstSteps() {
  const done = useFirstSteps().data;
  if (!done || done.isLive) return null;
  const steps = [
    { text: 'a sheet with real records', isDone: done.hasSheet },
    { text: 'rehearsed', isDone: done.isRehearsed },
    { text: 'one sent, and read back', isDone: done.isSent },
    { text: 'live', isDone: done.isLive },
  ];
  return (
    <ol aria-label="First steps" className="mt-6 flex flex-wrap gap-x-9 gap-y-2 font-serif text-lg">
      {steps.map(({ text, isDone }) => {
        const Icon = isDone ? CircleCheck : Circle;
        return (
          <li key={text} className={`flex items-center gap-2 ${isDone ? 'text-pine' : 'text-ink-2'}`}>
            <Icon size={16} strokeWidth={1.75} aria-hidden="true" />
            {text}
            <span className="sr-only">{isDone ? ': done' : ': not done yet'}</span>
          </li>
        );
      })}
    </ol>
  );
}

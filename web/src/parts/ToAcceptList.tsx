import type { ToAccept } from '@golden/core';
import { Button } from './Button.tsx';
import { counted } from './formats.ts';

interface ToAcceptProps {
  readonly proposals: readonly Pick<ToAccept, 'label' | 'place' | 'reason'>[];
  readonly onAccept: () => void;
}

/** Proposals for money, ids, and what recognises a record: somebody looks at them before they count. */
export function ToAcceptList({ proposals, onAccept }: ToAcceptProps) {
  return (
    <div className="rounded-md border border-brass-fill/60 bg-brass-tint px-3 py-2">
      <p className="mb-1 text-brass">
        {counted(proposals.length, 'suggestion')} for money, ids and what records are matched by{' '}
        {proposals.length === 1 ? 'has' : 'have'} to be accepted first:
      </p>
      <ul className="mb-2 max-h-[150px] list-disc overflow-y-auto pl-5 text-sm">
        {proposals.map(({ label, place, reason }) => (
          <li key={`${place} ${label}`}>
            <strong className="font-semibold">{label}</strong> in {place}: {reason}
          </li>
        ))}
      </ul>
      <Button onClick={onAccept}>{proposals.length === 1 ? 'Accept it' : `Accept these ${proposals.length}`}</Button>
    </div>
  );
}

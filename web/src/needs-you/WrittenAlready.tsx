import { type ItemState, isPlaced, layOut } from '@golden/core';
import type { Item } from '../api/queries.ts';
import { viewOf } from '../steps/registry.ts';

/** What was written for a record before it came to need somebody: none of it is written again. */
export function WrittenAlready({ item }: { readonly item: Item }) {
  const state = item.detail as ItemState;
  const done = layOut(item.content, state.values).flatMap(({ id, step }) => {
    const result = state.steps[id];
    return isPlaced(step) && step.kind === 'write' && result?.kind === 'written'
      ? [{ id, text: viewOf(step).title(step) }]
      : [];
  });
  if (done.length === 0) return null;
  return (
    <div className="mb-4 text-ink-2">
      <p>Done already, and not done again:</p>
      <ul className="list-disc pl-5">
        {done.map(({ id, text }) => (
          <li key={id}>{text}</li>
        ))}
      </ul>
    </div>
  );
}

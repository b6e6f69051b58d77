import type { WriteStep } from '@golden/core';
import { Link } from 'react-router';
import { useEditor } from '../../editor/draft/context.tsx';

/** What removes for good has no fields to fill: it is set where its two places are kept in step. */
export function RemovingSheet({ step }: { readonly step: WriteStep }) {
  const { draft } = useEditor();
  const { removalOf, start } = draft.content;
  const from = start.source?.labels.join(' → ');
  const where = step.target?.labels.join(' → ');
  return (
    <div className="max-w-[720px] space-y-3 px-5 py-4">
      <h2 className="text-lg">
        What is removed in {from} is removed in {where} too
      </h2>
      <ul className="list-disc space-y-1 pl-5">
        <li>Only the {step.target?.described.singular} that it was in step with; never one that is only like it.</li>
        <li>
          {step.removes === 'asks'
            ? 'You are asked first, each time.'
            : 'You are asked first where somebody has changed a field that the two share since both were the same.'}
        </li>
        <li>What can still be read in {from} removes nothing, though a list left it out.</li>
        <li>What only {where} holds of it goes too. Undoing the run makes it again; its app gives it another id.</li>
      </ul>
      {removalOf !== undefined && (
        <Link to={`/in-step?id=${removalOf}`} className="underlined font-medium">
          Change what happens to what is removed
        </Link>
      )}
    </div>
  );
}

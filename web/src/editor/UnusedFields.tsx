import { knownFields, refsOfStep, type WriteStep } from '@golden/core';
import { useEditor } from './context.tsx';

/** Source fields that go nowhere: entered with care, and carried nowhere unless somebody notices. */
export function UnusedFields({ step }: { readonly step: WriteStep }) {
  const { draft } = useEditor();
  const used = new Set(
    draft.content.steps
      .filter((one) => one.kind === 'write')
      .flatMap((one) => refsOfStep(one).map((ref) => `${ref.step}${ref.path}`)),
  );
  const unused = knownFields(draft.content, step.id).filter(
    (one) => one.ref.step === 'start' && !used.has(`${one.ref.step}${one.ref.path}`),
  );
  if (unused.length === 0) return null;
  return (
    <p className="px-5 py-3 text-sm text-ink-2">
      <span className="font-medium">Go nowhere:</span> {unused.map((one) => one.field.label).join(', ')}
    </p>
  );
}

import { useDraggable } from '@dnd-kit/core';
import { type KnownField, knownFields, type PlacedStep, refsOfStep, splitAtList } from '@golden/core';
import { useEditor } from '../draft/context.tsx';

interface UnusedProps {
  readonly step: PlacedStep;
  /** Only those whose name has this text. */
  readonly search: string;
}

/** Source fields that go nowhere: entered with care, and carried nowhere unless somebody notices. They can be dragged onto a row. */
export function UnusedFields({ step, search }: UnusedProps) {
  const { draft } = useEditor();
  const used = new Set(
    draft.content.steps
      // A field of a list's items uses the list.
      .flatMap((one) => refsOfStep(one).map((ref) => `${ref.step}${splitAtList(ref.path)?.list ?? ref.path}`)),
  );
  const wanted = search.trim().toLowerCase();
  const unused = knownFields(draft.content, step.id).filter(
    (one) =>
      one.ref.step === 'start' &&
      !one.isInList &&
      !used.has(`${one.ref.step}${one.ref.path}`) &&
      one.field.label.toLowerCase().includes(wanted),
  );
  if (unused.length === 0) return null;
  return (
    <div className="flex flex-wrap items-center gap-1 px-5 py-3 text-sm text-ink-2">
      <span className="mr-1 font-medium">Not copied:</span>
      {unused.map((one) => (
        <Unused key={one.ref.path} known={one} />
      ))}
    </div>
  );
}

/** One of them under the mouse; by keyboard a row is filled from its editor. */
function Unused({ known }: { readonly known: KnownField }) {
  const { setNodeRef, listeners, isDragging } = useDraggable({
    id: `unused ${known.ref.path}`,
    data: { ref: known.ref },
  });
  return (
    <span
      ref={setNodeRef}
      {...listeners}
      data-hint="Drag it onto a row"
      className={`cursor-grab rounded-sm border border-line-1 bg-raised px-1.5 py-0.5 ${isDragging ? 'opacity-40' : ''}`}
    >
      {known.field.label}
    </span>
  );
}

import { DndContext, type DragEndEvent, DragOverlay, PointerSensor, useSensor, useSensors } from '@dnd-kit/core';
import { nameOfRef, type PlacedStep, type Ref } from '@golden/core';
import { type ReactNode, useState } from 'react';
import { useEditor } from '../draft/context.tsx';
import { withFilling } from '../draft/edits.ts';

/** A source field dragged onto a row of the sheet fills it. */
export function DragOnto({ step, children }: { readonly step: PlacedStep; readonly children: ReactNode }) {
  const { draft } = useEditor();
  const [dragged, setDragged] = useState<Ref>();
  const sensors = useSensors(useSensor(PointerSensor, { activationConstraint: { distance: 4 } }));
  const drop = ({ active, activatorEvent, delta }: DragEndEvent): void => {
    setDragged(undefined);
    const ref = active.data.current?.['ref'] as Ref | undefined;
    const path = rowAt(activatorEvent as PointerEvent, delta);
    if (ref && path !== undefined) draft.change(withFilling(step.id, path, { kind: 'field', ref, tidies: [] }));
  };
  return (
    <DndContext
      sensors={sensors}
      accessibility={{ screenReaderInstructions: { draggable: '' } }}
      onDragStart={({ active }) => setDragged(active.data.current?.['ref'] as Ref | undefined)}
      onDragCancel={() => setDragged(undefined)}
      onDragEnd={drop}
    >
      <div className={dragged ? 'dragging contents' : 'contents'}>{children}</div>
      <DragOverlay dropAnimation={null} className="pointer-events-none">
        {dragged && (
          <span className="rounded-sm border border-pine bg-raised px-1.5 py-0.5 text-sm">
            {nameOfRef(draft.content, dragged)}
          </span>
        )}
      </DragOverlay>
    </DndContext>
  );
}

/**
 * The field whose row lies under the pointer. Looked up once, when it is let go: watching every row
 * for it would cost each keystroke.
 */
function rowAt(
  { clientX, clientY }: PointerEvent,
  delta: { readonly x: number; readonly y: number },
): string | undefined {
  const under = document.elementsFromPoint(clientX + delta.x, clientY + delta.y);
  const row = under.map((one) => one.closest<HTMLElement>('[data-drop]')).find((one) => one !== null);
  return row?.dataset['drop'];
}

import { DndContext, type DragEndEvent, DragOverlay, PointerSensor, useSensor, useSensors } from '@dnd-kit/core';
import { nameOfRef, type Ref, type WriteStep } from '@golden/core';
import { type ReactNode, useState } from 'react';
import { useEditor } from './context.tsx';
import { withFilling } from './edits.ts';

/** A source field dragged onto a row of the sheet fills it. */
export function DragOnto({ step, children }: { readonly step: WriteStep; readonly children: ReactNode }) {
  const { draft } = useEditor();
  const [dragged, setDragged] = useState<Ref>();
  const sensors = useSensors(useSensor(PointerSensor, { activationConstraint: { distance: 4 } }));
  const drop = ({ active, over }: DragEndEvent): void => {
    setDragged(undefined);
    const ref = active.data.current?.['ref'] as Ref | undefined;
    if (ref && over) draft.change(withFilling(step.id, String(over.id), { kind: 'field', ref, tidies: [] }));
  };
  return (
    <DndContext
      sensors={sensors}
      accessibility={{ screenReaderInstructions: { draggable: '' } }}
      onDragStart={({ active }) => setDragged(active.data.current?.['ref'] as Ref | undefined)}
      onDragCancel={() => setDragged(undefined)}
      onDragEnd={drop}
    >
      {children}
      <DragOverlay dropAnimation={null}>
        {dragged && (
          <span className="rounded-sm border border-pine bg-raised px-1.5 py-0.5 text-sm">
            {nameOfRef(draft.content, dragged)}
          </span>
        )}
      </DragOverlay>
    </DndContext>
  );
}

import type { Place } from '@golden/core';
import { Button } from '../../parts/Button.tsx';
import { EmptyState } from '../../parts/Messages.tsx';
import { useEditor } from '../draft/context.tsx';
import { SheetHead } from '../draft/SheetHead.tsx';
import { PlaceChooser } from './PlaceChooser.tsx';

interface ChooseProps {
  /** What the place is for, as long as there is none. */
  readonly title: string;
  readonly target: Place | null;
  /** The name of its connection. */
  readonly name: string;
  readonly empty: { readonly title: string; readonly text: string };
  readonly onKeep: () => void;
  readonly onChoose: (place: Place) => void;
}

/** The sheet of a write or a lookup while its place is chosen. */
export function ChoosePlace({ title, target, name, empty, onKeep, onChoose }: ChooseProps) {
  const { connections } = useEditor();
  return (
    <>
      <SheetHead title={target ? <PlaceTitle target={target} name={name} /> : title}>
        {target && (
          <Button look="quiet" onClick={onKeep}>
            Keep this place
          </Button>
        )}
      </SheetHead>
      <div className="border-b border-line-1 px-5 py-3">
        <PlaceChooser purpose="to" place={target} connections={connections} onChoose={onChoose} />
      </div>
      {!target && (
        <div className="p-5">
          <EmptyState title={empty.title}>{empty.text}</EmptyState>
        </div>
      )}
    </>
  );
}

/** A place by its connection's name and what leads to it. */
export function PlaceTitle({ target, name }: { readonly target: Place; readonly name: string }) {
  return (
    <>
      {name}
      {target.labels.map((label) => (
        <span key={label} className="font-normal">
          {' → '}
          {label}
        </span>
      ))}
    </>
  );
}

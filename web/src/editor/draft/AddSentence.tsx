import type { StepKind } from '@golden/core';
import { useEffect, useRef } from 'react';
import { Button } from '../../parts/Button.tsx';
import { stepViews } from '../../steps/registry.ts';
import type { StepView } from '../../steps/view.ts';

interface AddProps {
  /** Shown where the person asked for it by key, with the focus on it. */
  readonly isOpen: boolean;
  readonly onClose: () => void;
  readonly onAdd: (kind: StepKind) => void;
}

/** Which kind of sentence comes next. */
export function AddSentence({ isOpen, onClose, onAdd }: AddProps) {
  const first = useRef<HTMLDivElement>(null);
  useEffect(() => {
    if (isOpen) first.current?.querySelector('button')?.focus();
  }, [isOpen]);
  return (
    // Escape closes it wherever the focus is inside.
    // biome-ignore lint/a11y/noStaticElementInteractions: see above
    <div
      ref={first}
      data-add-step
      onKeyDown={(event) => event.key === 'Escape' && onClose()}
      className={
        isOpen ? 'my-1 flex flex-wrap gap-x-2 rounded-md bg-pine-faint py-1 pl-9' : 'mt-3 flex flex-wrap gap-x-2 pl-9'
      }
    >
      {(Object.entries(stepViews) as [StepKind, StepView<StepKind>][]).map(([kind, { icon: Icon, add }]) => (
        <Button key={kind} look="quiet" icon={<Icon size={15} strokeWidth={1.75} />} onClick={() => onAdd(kind)}>
          {add}
        </Button>
      ))}
    </div>
  );
}

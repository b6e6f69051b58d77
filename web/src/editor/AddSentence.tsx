import type { Step } from '@golden/core';
import { Calculator, Filter, PenLine, Repeat, Search } from 'lucide-react';
import { useEffect, useRef } from 'react';
import { Button } from '../parts/Button.tsx';

interface AddProps {
  /** Shown where the person asked for it by key, with the focus on it. */
  readonly isOpen: boolean;
  readonly onClose: () => void;
  readonly onAdd: (kind: Step['kind']) => void;
}

/** Which sentence comes next: a condition, a lookup, a write, a computation, or what is done for each item of a list. */
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
      onKeyDown={(event) => event.key === 'Escape' && onClose()}
      className={
        isOpen ? 'my-1 flex flex-wrap gap-x-2 rounded-md bg-pine-faint py-1 pl-9' : 'mt-3 flex flex-wrap gap-x-2 pl-9'
      }
    >
      <Button look="quiet" icon={<Filter size={15} strokeWidth={1.75} />} onClick={() => onAdd('condition')}>
        Add a condition
      </Button>
      <Button look="quiet" icon={<Search size={15} strokeWidth={1.75} />} onClick={() => onAdd('lookup')}>
        Look something up
      </Button>
      <Button look="quiet" icon={<PenLine size={15} strokeWidth={1.75} />} onClick={() => onAdd('write')}>
        Add a write
      </Button>
      <Button look="quiet" icon={<Calculator size={15} strokeWidth={1.75} />} onClick={() => onAdd('compute')}>
        Work something out
      </Button>
      <Button look="quiet" icon={<Repeat size={15} strokeWidth={1.75} />} onClick={() => onAdd('each')}>
        For each…
      </Button>
    </div>
  );
}

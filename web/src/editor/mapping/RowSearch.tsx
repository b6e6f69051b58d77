import { type Field, type Filling, type Ref, refsOf } from '@golden/core';
import { Popover } from 'radix-ui';
import { type RefObject, useMemo } from 'react';
import { useNames } from '../draft/use-names.ts';
import type { SampleOnSheet } from '../samples/sample-run.ts';
import { FieldPicker } from './FieldPicker.tsx';

/** A row whose filling is searched for. */
export interface OpenSearch {
  readonly field: Field;
  readonly element: HTMLElement;
}

interface SearchProps {
  readonly open: OpenSearch;
  readonly stepId: string;
  readonly samples: readonly SampleOnSheet[];
  /** What fills it most likely: offered first, with its tidies. */
  readonly likely: Filling | undefined;
  readonly onPick: (filling: Filling) => void;
  readonly onClose: () => void;
}

/** Searches the source's fields where an empty row stands; what is picked fills it, and the next row is gone to. */
export function RowSearch({ open, stepId, samples, likely, onPick, onClose }: SearchProps) {
  const names = useNames(stepId);
  const known = useMemo(() => names.map((one) => one.known), [names]);
  const refs = useMemo(() => (likely ? refsOf(likely) : []), [likely]);
  const anchor = useMemo((): RefObject<HTMLElement> => ({ current: open.element }), [open.element]);
  return (
    <Popover.Root open onOpenChange={(isOpen) => !isOpen && onClose()}>
      <Popover.Anchor virtualRef={anchor} />
      <Popover.Portal>
        <Popover.Content
          aria-label={`Fill ${open.field.label}`}
          align="start"
          sideOffset={2}
          collisionPadding={8}
          onCloseAutoFocus={(event) => {
            event.preventDefault();
            // After Escape; after a choice the next row has the focus already.
            if (document.activeElement === document.body) open.element.focus();
          }}
          className="z-50 w-[460px] rounded-lg border border-line-1 bg-raised p-2.5"
        >
          <FieldPicker
            known={known}
            samples={samples}
            likely={refs}
            onPick={({ ref }) =>
              onPick(likely?.kind === 'field' && isSame(likely.ref, ref) ? likely : { kind: 'field', ref, tidies: [] })
            }
            isFocused
          />
        </Popover.Content>
      </Popover.Portal>
    </Popover.Root>
  );
}

const isSame = (one: Ref, other: Ref): boolean => one.step === other.step && one.path === other.path;

import { Popover } from 'radix-ui';
import { type RefObject, useMemo } from 'react';
import { Button } from '../../parts/Button.tsx';

/** A cell with a problem that was opened. */
export interface OpenCell {
  readonly element: HTMLElement;
  readonly path: string;
  readonly message: string;
  readonly sample: string;
}

interface DetailProps {
  readonly open: OpenCell;
  readonly onClose: () => void;
  readonly onChoose: (path: string) => void;
}

/** What is wrong with one value, where it stands, and the way to what fills it. */
export function CellDetail({ open, onClose, onChoose }: DetailProps) {
  const anchor = useMemo((): RefObject<HTMLElement> => ({ current: open.element }), [open.element]);
  return (
    <Popover.Root open onOpenChange={(isOpen) => !isOpen && onClose()}>
      <Popover.Anchor virtualRef={anchor} />
      <Popover.Portal>
        <Popover.Content
          aria-label={`The value of ${open.sample}`}
          align="start"
          sideOffset={4}
          collisionPadding={8}
          onCloseAutoFocus={(event) => {
            event.preventDefault();
            open.element.focus();
          }}
          className="z-50 max-w-[360px] rounded-lg border border-line-1 bg-raised p-3"
        >
          <p className="mb-1 text-sm text-ink-2">{open.sample}</p>
          <p className="mb-3 text-brick">{open.message}</p>
          <Button
            onClick={() => {
              onClose();
              onChoose(open.path);
            }}
          >
            Change how it is filled
          </Button>
        </Popover.Content>
      </Popover.Portal>
    </Popover.Root>
  );
}

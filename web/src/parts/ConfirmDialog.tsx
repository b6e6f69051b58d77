import { Dialog } from 'radix-ui';
import type { ReactNode } from 'react';
import { Button } from './Button.tsx';

interface ConfirmProps {
  readonly title: string;
  readonly isOpen: boolean;
  readonly onClose: () => void;
  readonly onConfirm: () => void;
  readonly confirm: string;
  readonly isBusy?: boolean;
  readonly children: ReactNode;
}

/** Says what will happen before it happens. */
export function ConfirmDialog({ title, isOpen, onClose, onConfirm, confirm, isBusy = false, children }: ConfirmProps) {
  return (
    <Dialog.Root open={isOpen} onOpenChange={(open) => !open && onClose()}>
      <Dialog.Portal>
        <Dialog.Overlay className="fixed inset-0 z-40 bg-ink-1/25" />
        <Dialog.Content
          aria-describedby={undefined}
          // Its foot stays where it is: what comes a moment later makes it grow upwards, never moves an answer from
          // under the pointer.
          className="fixed bottom-[max(3vh,calc(50vh-200px))] left-1/2 z-50 flex max-h-[calc(97vh-max(3vh,50vh-200px))] w-[520px] max-w-[94vw] -translate-x-1/2 flex-col rounded-lg border border-line-1 bg-sheet p-5"
        >
          <Dialog.Title className="mb-3 font-serif text-xl">{title}</Dialog.Title>
          {/* What is longer than the window scrolls; the answers below stay in reach. */}
          <div className="min-h-0 space-y-2 overflow-y-auto text-md">{children}</div>
          <div className="mt-5 flex justify-end gap-2">
            <Button onClick={onClose}>Cancel</Button>
            <Button look="main" onClick={onConfirm} disabled={isBusy}>
              {confirm}
            </Button>
          </div>
        </Dialog.Content>
      </Dialog.Portal>
    </Dialog.Root>
  );
}

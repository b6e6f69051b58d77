import { X } from 'lucide-react';
import { Dialog } from 'radix-ui';
import type { ReactNode } from 'react';

interface DrawerProps {
  readonly title: string;
  readonly isOpen: boolean;
  readonly onClose: () => void;
  readonly children: ReactNode;
  readonly foot?: ReactNode;
  readonly isWide?: boolean;
}

/** What is set up elsewhere opens here, over the page one is on, and comes back to it. */
export function Drawer({ title, isOpen, onClose, children, foot, isWide = false }: DrawerProps) {
  return (
    <Dialog.Root open={isOpen} onOpenChange={(open) => !open && onClose()}>
      <Dialog.Portal>
        <Dialog.Overlay className="fixed inset-0 z-40 bg-ink-1/25" />
        <Dialog.Content
          aria-describedby={undefined}
          className={`fixed inset-y-0 right-0 z-50 flex max-w-full flex-col border-l border-line-1 bg-sheet shadow-drawer ${isWide ? 'w-[720px]' : 'w-[460px]'}`}
        >
          <header className="flex items-center justify-between border-b border-line-1 px-5 py-3.5">
            <Dialog.Title className="font-serif text-xl">{title}</Dialog.Title>
            <Dialog.Close className="rounded-md p-1 text-ink-2 hover:bg-pine-faint" aria-label="Close">
              <X size={18} strokeWidth={1.75} />
            </Dialog.Close>
          </header>
          {/* What is longer than the window scrolls; the keyboard reaches it too. */}
          {/* biome-ignore lint/a11y/noNoninteractiveTabindex: see above */}
          <div tabIndex={0} className="min-h-0 flex-1 overflow-y-auto px-5 py-4">
            {children}
          </div>
          {foot && (
            <footer className="flex items-center gap-2 border-t border-line-1 bg-paper px-5 py-3">{foot}</footer>
          )}
        </Dialog.Content>
      </Dialog.Portal>
    </Dialog.Root>
  );
}

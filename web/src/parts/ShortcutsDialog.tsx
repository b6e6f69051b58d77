import { X } from 'lucide-react';
import { Dialog } from 'radix-ui';
import { useState } from 'react';
import { Link } from 'react-router';
import { hasSingleKeys, setSingleKeys, shortcutList } from './shortcuts.ts';

/** The list of all shortcuts. */
export function ShortcutsDialog({ isOpen, onClose }: { readonly isOpen: boolean; readonly onClose: () => void }) {
  const [isOn, setOn] = useState(hasSingleKeys);
  const choose = (next: boolean): void => {
    setSingleKeys(next);
    setOn(next);
  };
  return (
    <Dialog.Root open={isOpen} onOpenChange={(open) => !open && onClose()}>
      <Dialog.Portal>
        <Dialog.Overlay className="fixed inset-0 z-40 bg-ink-1/25" />
        <Dialog.Content
          aria-describedby={undefined}
          className="fixed top-1/2 left-1/2 z-50 max-h-[86vh] w-[680px] max-w-[94vw] -translate-x-1/2 -translate-y-1/2 overflow-y-auto rounded-lg border border-line-1 bg-sheet p-5"
        >
          <div className="mb-3 flex items-center justify-between">
            <Dialog.Title className="font-serif text-xl">Shortcuts</Dialog.Title>
            <Dialog.Close className="rounded-md p-1 text-ink-2 hover:bg-pine-faint" aria-label="Close">
              <X size={18} strokeWidth={1.75} />
            </Dialog.Close>
          </div>
          <label className="mb-4 flex items-center gap-2">
            <input
              type="checkbox"
              checked={isOn}
              onChange={(event) => choose(event.target.checked)}
              className="accent-pine"
            />
            Keys without Ctrl or Alt are on
            <span className="text-sm text-ink-2">Switch them off if you speak to your computer.</span>
          </label>
          <p className="mb-4">
            What a word means:{' '}
            <Link to="/words" onClick={onClose} className="underlined">
              the page of words
            </Link>
            .
          </p>
          <div className="grid gap-x-8 gap-y-4 sm:grid-cols-2">
            {shortcutList.map(({ where, keys }) => (
              <section key={where}>
                <h3 className="mb-1 font-sans font-semibold">{where}</h3>
                <dl className="grid grid-cols-[96px_1fr] gap-x-3 gap-y-1">
                  {keys.map(([key, what]) => (
                    <div key={key} className="contents">
                      <dt>
                        <kbd className="key">{key}</kbd>
                      </dt>
                      <dd className="text-ink-2">{what}</dd>
                    </div>
                  ))}
                </dl>
              </section>
            ))}
          </div>
        </Dialog.Content>
      </Dialog.Portal>
    </Dialog.Root>
  );
}

import { Command } from 'cmdk';
import { ChevronsUpDown, RefreshCw } from 'lucide-react';
import { Popover } from 'radix-ui';
import { useState } from 'react';
import { inputLook } from './Field.tsx';

/** One thing to choose. */
export interface ChooserChoice {
  readonly value: string;
  readonly label: string;
  /** What is said beside it, such as how much it holds. */
  readonly hint?: string | undefined;
  readonly isOff?: boolean;
}

interface ChooserProps {
  readonly 'aria-label': string;
  readonly value: string;
  readonly choices: readonly ChooserChoice[];
  readonly onChoose: (value: string) => void;
  /** What stands in it while nothing is chosen. */
  readonly placeholder?: string;
  /** Asks again for what can be chosen, where an app tells it. */
  readonly onLookAgain?: () => void;
  readonly isLooking?: boolean;
  readonly className?: string;
}

/** A list to choose from that is searched by typing; it opens by pointer, Enter, Space or arrow down. */
export function Chooser(props: ChooserProps) {
  const { value, choices, onChoose, placeholder = 'Choose…', onLookAgain, isLooking = false, className = '' } = props;
  const label = props['aria-label'];
  const [isOpen, setOpen] = useState(false);
  const chosen = choices.find((one) => one.value === value);
  return (
    <Popover.Root open={isOpen} onOpenChange={setOpen}>
      <Popover.Trigger
        role="combobox"
        aria-label={label}
        aria-expanded={isOpen}
        onKeyDown={(event) => {
          if (event.key !== 'ArrowDown') return;
          event.preventDefault();
          setOpen(true);
        }}
        className={`${inputLook} inline-flex max-w-[280px] items-center gap-1.5 text-left ${className}`}
      >
        <span className={`min-w-0 flex-1 truncate ${chosen && chosen.value !== '' ? '' : 'text-ink-2'}`}>
          {chosen?.label ?? (isLooking ? 'Looking…' : placeholder)}
        </span>
        <ChevronsUpDown size={13} strokeWidth={1.75} className="shrink-0 text-ink-2" aria-hidden="true" />
      </Popover.Trigger>
      <Popover.Portal>
        <Popover.Content
          align="start"
          sideOffset={3}
          collisionPadding={8}
          className="z-50 w-[max(var(--radix-popover-trigger-width),260px)] rounded-lg border border-line-1 bg-raised p-1.5"
        >
          <Command label={label} loop>
            <Command.Input placeholder="Search" className={`${inputLook} mb-1 w-full`} />
            <Command.List className="max-h-[280px] overflow-y-auto">
              <Command.Empty className="px-2.5 py-2 text-ink-2">
                {isLooking ? 'Looking…' : 'Nothing found.'}
              </Command.Empty>
              {choices.map((one) => (
                <Command.Item
                  key={one.value}
                  value={`${one.label} ${one.hint ?? ''} ${one.value}`}
                  disabled={one.isOff === true}
                  onSelect={() => {
                    setOpen(false);
                    onChoose(one.value);
                  }}
                  className="flex cursor-pointer items-baseline gap-3 rounded-md px-2.5 py-1 data-[disabled=true]:opacity-50 data-[selected=true]:bg-pine-tint"
                >
                  <span className={`min-w-0 flex-1 truncate ${one.value === value ? 'font-semibold' : ''}`}>
                    {one.label}
                  </span>
                  {one.hint && <span className="shrink-0 text-sm text-ink-2">{one.hint}</span>}
                </Command.Item>
              ))}
            </Command.List>
          </Command>
          {onLookAgain && (
            <button
              type="button"
              onClick={onLookAgain}
              disabled={isLooking}
              className="mt-1 flex w-full items-center gap-1.5 border-t border-line-2 px-2.5 pt-1.5 pb-0.5 text-sm text-pine disabled:text-ink-2"
            >
              <RefreshCw size={13} strokeWidth={1.75} aria-hidden="true" />
              {isLooking ? 'Looking…' : 'Not there? Look again'}
            </button>
          )}
        </Popover.Content>
      </Popover.Portal>
    </Popover.Root>
  );
}

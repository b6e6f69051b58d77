import { readDate } from '@golden/core';
import { CalendarDays } from 'lucide-react';
import { Popover } from 'radix-ui';
import { lazy, Suspense, useEffect, useState } from 'react';
import { useSettings } from '../api/queries.ts';
import { dateInFigures, orderIn } from './custom.ts';
import { inputLook } from './Field.tsx';

const Calendar = lazy(async () => ({ default: (await import('./Calendar.tsx')).Calendar }));

interface DateProps {
  readonly label: string;
  /** `2026-11-03`, or empty. */
  readonly value: string;
  readonly onChange: (date: string) => void;
  /** The last day that may be chosen. */
  readonly until?: string;
}

/** A date, typed as it is written in the workspace's country or picked from a calendar. */
export function DateField({ label, value, onChange, until }: DateProps) {
  const country = useSettings().data?.country ?? 'GB';
  const shown = value === '' ? '' : dateInFigures(value, country);
  const [text, setText] = useState(shown);
  const [isOpen, setOpen] = useState(false);
  useEffect(() => setText(shown), [shown]);
  const read = text.trim() === '' ? undefined : readDate(text, 'utc', orderIn(country));
  const isWrong = read !== undefined && !read.ok;
  const keep = (): void => {
    if (read?.ok && read.date !== value) onChange(read.date);
    else if (read === undefined) setText(shown);
  };
  return (
    <span className="inline-flex items-center">
      <input
        aria-label={label}
        aria-invalid={isWrong}
        data-hint={isWrong ? 'This is not a date.' : undefined}
        placeholder={dateInFigures('2026-11-03', country)}
        value={text}
        onChange={(event) => setText(event.target.value)}
        onBlur={keep}
        onKeyDown={(event) => event.key === 'Enter' && keep()}
        className={`${inputLook} w-[112px] rounded-r-none ${isWrong ? 'border-brick text-brick' : ''}`}
      />
      <Popover.Root open={isOpen} onOpenChange={setOpen}>
        <Popover.Trigger
          aria-label={`${label}: calendar`}
          className="flex h-[30px] w-[30px] items-center justify-center rounded-r-md border border-l-0 border-line-input bg-raised text-ink-2 hover:bg-pine-faint"
        >
          <CalendarDays size={15} strokeWidth={1.75} aria-hidden="true" />
        </Popover.Trigger>
        <Popover.Portal>
          <Popover.Content align="end" sideOffset={4} className="z-50 rounded-lg border border-line-1 bg-sheet p-3">
            <Suspense fallback={<span className="text-ink-2">…</span>}>
              <Calendar
                date={value}
                country={country}
                until={until}
                onChoose={(date) => {
                  onChange(date);
                  setOpen(false);
                }}
              />
            </Suspense>
          </Popover.Content>
        </Popover.Portal>
      </Popover.Root>
    </span>
  );
}

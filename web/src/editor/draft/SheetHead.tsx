import type { ReactNode } from 'react';

interface HeadProps {
  readonly title: ReactNode;
  /** All of the title, where it can be too long for the line. */
  readonly hint?: string;
  readonly children?: ReactNode;
}

/**
 * The line above a worksheet: what it is, its state, what can be chosen. A long title gives way to what comes a moment
 * later, so that nothing moves under the pointer.
 */
export function SheetHead({ title, hint, children }: HeadProps) {
  return (
    <header className="flex min-h-[42px] flex-wrap items-center gap-x-3 gap-y-1 border-b border-line-1 px-5 py-1.5">
      <h2 data-hint={hint} className="min-w-0 max-w-max flex-[1_1_200px] truncate font-sans text-md font-semibold">
        {title}
      </h2>
      {children}
    </header>
  );
}

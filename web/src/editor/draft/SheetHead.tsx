import type { ReactNode } from 'react';

/** The line above a worksheet: what it is, its state, what can be chosen. */
export function SheetHead({ title, children }: { readonly title: ReactNode; readonly children?: ReactNode }) {
  return (
    <header className="flex min-h-[42px] flex-wrap items-center gap-x-3 gap-y-1 border-b border-line-1 px-5 py-1.5">
      <h2 className="min-w-0 truncate font-sans text-md font-semibold">{title}</h2>
      {children}
    </header>
  );
}

import type { ReactNode } from 'react';

/** The line above a worksheet: what it is, its state, what can be chosen. */
export function SheetHead({ title, children }: { readonly title: ReactNode; readonly children?: ReactNode }) {
  return (
    <header className="flex min-h-[46px] flex-wrap items-center gap-x-3 gap-y-1 border-b border-line-1 px-5 py-2">
      <h2 className="font-sans text-md font-semibold">{title}</h2>
      {children}
    </header>
  );
}

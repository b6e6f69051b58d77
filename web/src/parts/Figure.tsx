import type { ReactNode } from 'react';
import { formatNumber } from './formats.ts';

interface FigureProps {
  readonly value: number;
  readonly label: ReactNode;
  /** What the label means. */
  readonly hint?: string | undefined;
  readonly colour?: string;
  readonly isChosen?: boolean;
  readonly onChoose?: (() => void) | undefined;
}

/** A number of a sum with what it counts; chosen, it shows just these. */
export function Figure({ value, label, hint, colour = 'text-ink-2', isChosen = false, onChoose }: FigureProps) {
  const inside = (
    <>
      <span className="block font-serif text-xl leading-tight">{formatNumber(value)}</span>
      <span className={`block text-sm ${colour}`}>{label}</span>
    </>
  );
  const box = 'border-r border-line-2 px-4 py-2 text-left';
  if (!onChoose) return <div className={box}>{inside}</div>;
  return (
    <button
      type="button"
      aria-pressed={isChosen}
      data-hint={hint}
      onClick={onChoose}
      className={`${box} hover:bg-pine-faint ${isChosen ? 'bg-pine-tint' : ''}`}
    >
      {inside}
    </button>
  );
}

/** A sign between the numbers of a sum. */
export const Sign = ({ children }: { readonly children: string }) => (
  <div aria-hidden="true" className="flex items-center border-r border-line-2 px-3 text-ink-3">
    {children}
  </div>
);

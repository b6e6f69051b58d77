import { Check } from 'lucide-react';
import type { ReactNode } from 'react';
import type { Reconcile, ReconcileRow } from '../api/queries.ts';
import { formatNumber } from '../parts/formats.ts';
import { sideNames } from './sides.ts';

type Figures = NonNullable<Reconcile['figures']>;

interface SumsProps {
  readonly reconcile: Reconcile;
  readonly figures: Figures;
  readonly chosen: ReconcileRow['kind'] | undefined;
  readonly onChoose: (kind: ReconcileRow['kind'] | undefined) => void;
}

/** Both sums, each of which must add up: so many on a side, and what each of them is. */
export function Sums({ reconcile, figures, chosen, onChoose }: SumsProps) {
  const { here, there } = sideNames(reconcile);
  const pick = (kind: ReconcileRow['kind']) => () => onChoose(chosen === kind ? undefined : kind);
  const shared = [
    { value: figures.agree, label: 'agree', colour: 'text-pine' },
    { value: figures.differ, label: 'differ', colour: 'text-slate', kind: 'differ' as const },
  ];
  const sides = [
    {
      app: here,
      total: figures.left,
      parts: [
        ...shared,
        { value: figures.onlyLeft, label: 'only here', colour: 'text-brick', kind: 'only_left' as const },
        { value: figures.doubledLeft, label: 'doubled', colour: 'text-brass', kind: 'doubled' as const },
        { value: figures.unclearLeft, label: 'unclear', colour: 'text-brass', kind: 'unclear' as const },
      ],
    },
    {
      app: there,
      total: figures.right,
      parts: [
        ...shared,
        { value: figures.onlyRight, label: 'only there', colour: 'text-brick', kind: 'only_right' as const },
        { value: figures.doubledRight, label: 'doubled', colour: 'text-brass', kind: 'doubled' as const },
        { value: figures.unclearRight, label: 'unclear', colour: 'text-brass', kind: 'unclear' as const },
      ],
    },
  ];
  return (
    <div className="grid gap-3 lg:grid-cols-2">
      {sides.map(({ app, total, parts }) => (
        <section
          key={app}
          aria-label={`Sum of ${app}`}
          className="flex min-w-0 flex-wrap items-stretch overflow-hidden rounded-lg border border-line-1 bg-sheet"
        >
          <Figure value={total} label={`in ${app}`} />
          <Sign>=</Sign>
          {parts
            .filter(({ value, label }) => value > 0 || label === 'agree')
            .map((part, at) => (
              <span key={part.label} className="flex items-stretch">
                {at > 0 && <Sign>+</Sign>}
                <Figure
                  value={part.value}
                  label={part.label}
                  colour={part.colour}
                  isChosen={'kind' in part && part.kind === chosen}
                  onChoose={'kind' in part && part.kind ? pick(part.kind) : undefined}
                />
              </span>
            ))}
        </section>
      ))}
    </div>
  );
}

/** Nothing differs, nothing is missing, nothing is doubled. */
export function isAllTheSame({ agree, left, right }: Figures): boolean {
  return agree === left && agree === right;
}

export const AllTheSame = ({ count }: { readonly count: number }) => (
  <p role="status" className="flex items-center gap-2 py-6 text-md text-pine">
    <Check size={18} aria-hidden="true" /> All {formatNumber(count)} are the same on both sides.
  </p>
);

interface FigureProps {
  readonly value: number;
  readonly label: ReactNode;
  readonly colour?: string;
  readonly isChosen?: boolean;
  readonly onChoose?: (() => void) | undefined;
}

function Figure({ value, label, colour = '', isChosen = false, onChoose }: FigureProps) {
  const inside = (
    <>
      <span className={`block font-serif text-xl leading-tight ${colour}`}>{formatNumber(value)}</span>
      <span className="block text-sm text-ink-2">{label}</span>
    </>
  );
  const box = 'px-3.5 py-1.5 text-left';
  if (!onChoose) return <span className={box}>{inside}</span>;
  return (
    <button
      type="button"
      aria-pressed={isChosen}
      onClick={onChoose}
      className={`${box} hover:bg-pine-faint ${isChosen ? 'bg-pine-tint' : ''}`}
    >
      {inside}
    </button>
  );
}

const Sign = ({ children }: { readonly children: string }) => (
  <span aria-hidden="true" className="flex items-center text-ink-2">
    {children}
  </span>
);

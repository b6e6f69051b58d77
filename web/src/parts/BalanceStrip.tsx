import { type Balance, checkBalance, itemStates } from '@golden/core';
import { Check, TriangleAlert } from 'lucide-react';
import { Figure, Sign } from './Figure.tsx';
import { formatNumber } from './formats.ts';
import { stateLooks } from './OutcomeMark.tsx';
import { Term } from './Term.tsx';
import { meaningOf } from './words.ts';

interface StripProps {
  readonly balance: Balance;
  readonly source: string;
  readonly isUnderWay?: boolean;
  readonly chosen?: string | undefined;
  readonly onChoose?: (state: (typeof itemStates)[number] | undefined) => void;
  readonly remark?: string;
  /** Of what is already known, changes that workflows of ours made. */
  readonly own?: number;
}

function Known({ own }: { readonly own: number }) {
  return (
    <>
      <Term>already known</Term>
      {own > 0 && (
        <>
          , {formatNumber(own)} <Term>our own</Term>
        </>
      )}
    </>
  );
}

/** The line that must add up: in the source = already known + taken in = its items by outcome. */
export function BalanceStrip({ balance, source, isUnderWay = false, own = 0, chosen, onChoose, remark }: StripProps) {
  const problems = checkBalance(balance);
  const states = itemStates.filter((name) => balance.items[name] > 0 || name === 'delivered');
  return (
    <section
      aria-label="Balance"
      className="flex flex-wrap items-stretch overflow-hidden rounded-lg border border-line-1 bg-sheet"
    >
      <Figure value={balance.inSource} label={source} />
      <Sign>=</Sign>
      {balance.notedEarlier > 0 && (
        <>
          <Figure value={balance.notedEarlier} label={<Known own={own} />} />
          <Sign>+</Sign>
        </>
      )}
      <Figure value={balance.takenIn} label={<Term>taken in</Term>} />
      <Sign>=</Sign>
      {states.map((name) => {
        const { icon: Icon, word, colour } = stateLooks[name];
        const label = (
          <span className={`inline-flex items-center gap-1.5 ${colour}`}>
            <Icon size={14} strokeWidth={1.75} aria-hidden="true" />
            {word}
          </span>
        );
        return (
          <Figure
            key={name}
            value={balance.items[name]}
            label={label}
            hint={meaningOf(word)}
            isChosen={chosen === name}
            onChoose={onChoose && (() => onChoose(chosen === name ? undefined : name))}
          />
        );
      })}
      <div
        className={`ml-auto flex items-center gap-2 px-4 font-semibold ${problems.length > 0 ? 'bg-brick-tint text-brick' : isUnderWay ? 'text-ink-2' : 'bg-pine-faint text-pine'}`}
        role="status"
      >
        {problems.length > 0 ? (
          <TriangleAlert size={16} aria-hidden="true" />
        ) : (
          !isUnderWay && <Check size={16} aria-hidden="true" />
        )}
        <span>
          {problems.length > 0 ? problems.join(' ') : isUnderWay ? 'Under way' : accountedFor(balance)}
          {remark && <span className="block text-sm font-normal text-ink-2">{remark}</span>}
        </span>
      </div>
    </section>
  );
}

/** "All 200 accounted for, 4 need you": that it adds up, and what is left to do. */
function accountedFor({ inSource, items }: Balance): string {
  const all = inSource === 1 ? 'The one record is accounted for' : `All ${formatNumber(inSource)} accounted for`;
  const needs = items.unsettled;
  return needs === 0 ? all : `${all}, ${formatNumber(needs)} ${needs === 1 ? 'needs' : 'need'} you`;
}

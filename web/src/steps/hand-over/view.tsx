import type { HandedResult, HandOverStep } from '@golden/core';
import { Forward } from 'lucide-react';
import { counted, formatNumber } from '../../parts/formats.ts';
import { OutcomeMark, stateLooks } from '../../parts/OutcomeMark.tsx';
import type { StepView } from '../view.ts';
import { HandOverSheet } from './HandOverSheet.tsx';

const nounOf = (step: Pick<HandOverStep, 'target'>): string => step.target?.described.singular ?? 'record';

/** "3 people handed over, 3 delivered". */
function handedText({ count, back }: HandedResult, noun: string): string {
  const handed = `${counted(count, noun)} handed over`;
  if (!back) return handed;
  const parts = [
    back.delivered > 0 && `${formatNumber(back.delivered)} delivered`,
    back.leftOut > 0 && `${formatNumber(back.leftOut)} left out`,
    back.dropped > 0 && `${formatNumber(back.dropped)} dropped`,
  ].filter(Boolean);
  return parts.length > 0 ? `${handed}: ${parts.join(', ')}` : handed;
}

/** Handing over on screen. */
export const handOver: StepView<'hand_over'> = {
  icon: Forward,
  add: 'Hand over to a workflow',
  Sheet: HandOverSheet,
  title: (step) => step.name ?? `Hand over to ${step.target?.labels.at(-1) ?? '…'}`,
  cell: (result, step) => handedText(result, nounOf(step)),
  story: (result, isRehearsal) => <Handed result={result} isRehearsal={isRehearsal} />,
  counts: {
    handed: 'handed over',
    would_delivered: 'would be delivered there',
    would_left_out: 'left out there',
    would_unsettled: 'would need you there',
  },
};

const lookOf = { delivered: stateLooks.delivered, left_out: stateLooks.left_out, unsettled: stateLooks.unsettled };
const wouldWords = { delivered: 'would be delivered', left_out: 'would be left out', unsettled: 'would need you' };

function Handed({ result, isRehearsal }: { readonly result: HandedResult; readonly isRehearsal: boolean }) {
  const { would = [], count, passedOver = 0 } = result;
  return (
    <div>
      <span>
        {isRehearsal ? `Would hand over ${formatNumber(count)}` : handedText(result, 'record')}
        {passedOver > 0 && <span className="text-ink-2"> · {formatNumber(passedOver)} passed over, by “only if”</span>}
      </span>
      {would.length > 0 && (
        <ul className="mt-1 space-y-0.5">
          {would.map(({ title, state, message, marks }, at) => (
            // biome-ignore lint/suspicious/noArrayIndexKey: two may have the same name
            <li key={at} className="flex flex-wrap items-baseline gap-x-2">
              <span className="font-medium">{title}</span>
              <OutcomeMark
                look={lookOf[state]}
                text={state === 'delivered' && marks.length > 0 ? marks.join(', ') : wouldWords[state]}
              />
              {message && <span className="text-sm text-ink-2">{message}</span>}
            </li>
          ))}
          {count > would.length && (
            <li className="text-sm text-ink-2">and {formatNumber(count - would.length)} more</li>
          )}
        </ul>
      )}
    </div>
  );
}

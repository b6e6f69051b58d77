import { type Balance, itemStates } from '@golden/core';
import { formatNumber } from './formats.ts';
import { stateLooks } from './OutcomeMark.tsx';

/** What has become of what was taken in, as a sum that adds up: "266 delivered + 28 left out + 7 need you". */
export function sumWords({ items }: Pick<Balance, 'items'>): string {
  return itemStates
    .filter((name) => items[name] > 0)
    .map((name) => {
      const { word, several } = stateLooks[name];
      return `${formatNumber(items[name])} ${items[name] === 1 ? word : (several ?? word)}`;
    })
    .join(' + ');
}

/** How many were put aside for good or until somebody wants them: left out, dismissed, cancelled, undone. */
export const putAside = ({ items }: Pick<Balance, 'items'>): number =>
  items.left_out + items.dismissed + items.cancelled + items.undone;

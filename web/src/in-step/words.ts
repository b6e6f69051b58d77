import { type FieldOwner, ownerLabels } from '@golden/core';
import type { InStep, InStepLeg } from '../api/queries.ts';
import { formatNumber } from '../parts/formats.ts';

type Sides = Pick<InStep, 'here' | 'there'>;

/** Both sides of a pair, by which they are told apart: the apps, or the places where both are of one app. */
export function sideNames({ here, there }: Sides): { readonly here: string; readonly there: string } {
  const isOne = here.app === there.app;
  const nameOf = ({ app, labels }: InStep['here']): string => (isOne ? (labels.at(-1) ?? app) : app);
  return { here: nameOf(here), there: nameOf(there) };
}

/** Whose value a field gets, to choose from. */
export function ownerChoices(pair: Sides & Pick<InStep, 'keepsTimes'>): { value: FieldOwner; label: string }[] {
  const { here, there } = sideNames(pair);
  const labels = ownerLabels(here, there);
  return (Object.keys(labels) as FieldOwner[])
    .filter((owner) => owner !== 'newer' || pair.keepsTimes)
    .map((value) => ({ value, label: labels[value] }));
}

/** Where a pair stands. */
export const stateWords: Readonly<Record<InStep['state'], string>> = {
  draft: 'not live yet',
  on: 'on',
  partly: 'partly on',
  off: 'off',
};

/** What one of its workflows carries. */
export function carriesWords(pair: Sides, { carries }: Pick<InStepLeg, 'carries'>): string {
  const { here, there } = sideNames(pair);
  switch (carries) {
    case 'there':
      return `What is new or has changed in ${here} goes to ${there}`;
    case 'here':
      return `What is new or has changed in ${there} goes to ${here}`;
    case 'removed_here':
      return `What is removed in ${here}`;
    case 'removed_there':
      return `What is removed in ${there}`;
  }
}

/** What a rehearsal of one direction came to: “3 new, 5 changed, 40 the same, 2 brought back, 1 needs you”. */
export function rehearsedWords({ writes, brings, states, total }: NonNullable<InStepLeg['rehearsal']>): string {
  const counts: [number | undefined, string][] = [
    [writes['new'], 'new'],
    [writes['changed'], 'changed'],
    [writes['same'], 'the same'],
    [brings['changed'], 'brought back'],
    [states['unsettled'], 'need you'],
    [states['left_out'], 'left out'],
  ];
  const said = counts.flatMap(([count, what]) => (count ? [`${formatNumber(count)} ${what}`] : []));
  return total === 0 ? 'no records' : said.join(', ');
}

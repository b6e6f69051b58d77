import { usuallySure } from '@golden/core';

/** How often a person is asked, and from how sure on a match is used by itself then. */
export const askLevels = [
  { name: 'more', label: 'Ask me more often', sure: 0.97 },
  { name: 'normal', label: 'Normal', sure: usuallySure },
  { name: 'less', label: 'Ask me less often', sure: 0.8 },
] as const;

export type AskLevel = (typeof askLevels)[number]['name'];

/** The level of a number that was set; undefined for one between the levels. */
export const levelOf = (sure: number | undefined): AskLevel | undefined =>
  askLevels.find((one) => Math.abs(one.sure - (sure ?? usuallySure)) < 0.001)?.name;

/** What becomes of a sample whose likeliest candidate is so sure. */
export interface Sureness {
  readonly probability: number;
  readonly verdict: 'found' | 'unclear' | 'none';
}

/** A tenth of how sure a match can be, with the samples that fall into it. */
export interface SureBin {
  readonly from: number;
  readonly found: number;
  readonly unclear: number;
  readonly none: number;
}

/** Samples by how sure their likeliest candidate is, in ten equal parts; wholly sure falls into the last one. */
export function binsOf(all: readonly Sureness[]): SureBin[] {
  const bins = Array.from({ length: 10 }, (_, at) => ({ from: at / 10, found: 0, unclear: 0, none: 0 }));
  for (const { probability, verdict } of all) {
    const bin = bins[Math.min(9, Math.max(0, Math.floor(probability * 10)))];
    if (bin) bin[verdict] += 1;
  }
  return bins;
}

import type { DuplicateGroup } from '../api/queries.ts';

// How certainty and standing are said.

/** How sure, with a decimal, rounded down. */
export const percent = (value: number): string => `${Math.floor(value * 1000) / 10}%`;

/** Where a group stands, in words. */
export const stateWords: Record<DuplicateGroup['state'], string> = {
  open: '',
  merging: 'being merged',
  merged: 'merged',
  different: 'kept apart',
  undone: 'undone',
  unsure: 'needs a look',
};

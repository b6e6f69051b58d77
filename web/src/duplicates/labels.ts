import type { DuplicateGroup } from '../api/queries.ts';

// How certainty and standing are said.

export const percent = (value: number): string => `${Math.floor(value * 1000) / 10}%`;

export const stateWords: Record<DuplicateGroup['state'], string> = {
  open: '',
  merging: 'being merged',
  merged: 'merged',
  different: 'kept apart',
  undone: 'undone',
  unsure: 'needs a look',
};

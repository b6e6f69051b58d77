import type { Ref } from '../mapping/filling.ts';
import type { Use } from './definition.ts';

/** What rests on a sentence's fields by references alone. */
export function usesByRefs(refs: readonly Ref[], sentence: string, what: string): Use[] {
  return refs.filter((ref) => ref.step === sentence).map((ref) => ({ path: ref.path, what }));
}

/** Named references with each changed. */
export const renamedRefs = (refs: Readonly<Record<string, Ref>>, change: (ref: Ref) => Ref): Record<string, Ref> =>
  Object.fromEntries(Object.entries(refs).map(([name, one]) => [name, change(one)]));

import type { ReconcileSummary } from '../api/queries.ts';

/** What the two sides are called: by their apps; of one app, by what tells them apart there. */
export function sideNames({ left, right }: Pick<ReconcileSummary, 'left' | 'right'>): {
  readonly here: string;
  readonly there: string;
} {
  if (left.app !== right.app) return { here: left.app, there: right.app };
  const own = (one: typeof left, other: typeof left): string =>
    one.place.filter((label, at) => label !== other.place[at]).join(', ') || one.plural;
  return { here: `${left.app}, ${own(left, right)}`, there: `${right.app}, ${own(right, left)}` };
}

import { comesByItself, readInstant, type Start } from '@golden/core';

/** Polls overlap by this much, in milliseconds: an app may show a change a little after its own time for it. */
const overlap = 120_000;
/** What comes by itself bears our own time and is listed in the order in which it was stored. */
const arrivalOverlap = 2000;

/** True where all is listed each time: what was removed shows only then. */
export const isListedWhole = ({ on, takes }: Pick<Start, 'on' | 'takes'>): boolean =>
  on === 'removed' || takes === 'everything';

/** The instant from which the next listing asks. */
export function sinceAfter(
  highWater: string | null,
  before: string | null,
  start: Pick<Start, 'source'>,
): string | null {
  const instant = highWater ? readInstant(highWater, 'utc') : undefined;
  const back = comesByItself(start) ? arrivalOverlap : overlap;
  return instant ? new Date(Date.parse(instant) - back).toISOString() : before;
}

import { sql } from 'kysely';

// The few items, runs and writes that are open stand in indexes of their own, beside all that are done. SQLite uses such
// an index only where the state stands in the statement itself, not where it is given to it as a parameter.

/** Items that need a person. */
export const isUnsettled = sql<boolean>`item.state = 'unsettled'`;

/** Items that wait. */
export const isWaiting = sql<boolean>`item.state = 'waiting'`;

/** Items that somebody moves at this moment. */
export const isClaimed = sql<boolean>`item.claimed = 1`;

/** Items that have ended and hold their values still. */
export const isFull = sql<boolean>`item.emptied_at IS NULL
  AND item.state IN ('delivered', 'left_out', 'dismissed', 'cancelled', 'undone')`;

/** Items that are to be moved, and that nobody moves yet. */
export const isToBeMoved = sql<boolean>`item.state = 'running' AND item.claimed = 0`;

/** Runs that list or work. */
export const isRunUnderWay = sql<boolean>`run.state IN ('listing', 'working')`;

/** Writes whose result isn't known. */
export const isIntentOpen = sql<boolean>`write.status = 'intent'`;

/** What is gathered before the first step waits there. */
export const isGathered = sql<boolean>`park.step = 'start'`;

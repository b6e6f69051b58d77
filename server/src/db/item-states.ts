import { sql } from 'kysely';

// The few items that need somebody or wait stand in indexes of their own, beside all that are done. SQLite uses such an
// index only where the state stands in the statement itself, not where it is given to it as a parameter.

/** Items that need a person. */
export const isUnsettled = sql<boolean>`item.state = 'unsettled'`;

/** Items that wait. */
export const isWaiting = sql<boolean>`item.state = 'waiting'`;

/** Items that somebody moves at this moment. */
export const isClaimed = sql<boolean>`item.claimed = 1`;

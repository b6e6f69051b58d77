/** The time as a connector is told it, so that a test can let it pass. */
export interface Clock {
  /** Milliseconds since 1970 (UTC). */
  now(): number;
  /** Milliseconds that have passed in this process; a step of the clock moves it not. */
  uptime(): number;
}

/** The time of this machine. */
export const realClock: Clock = { now: () => Date.now(), uptime: () => performance.now() };

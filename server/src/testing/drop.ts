import type { KillPoint } from '../seams.ts';
import type { Services } from '../services.ts';
import type { TestClock } from './clock.ts';

/** Points at which a process is dropped within a test's own: `accounts.test.ts` stops there. */
export const pointOfAccounts = 'account:after-store';

/** The same, in `taking-in.test.ts`. */
export const pointsOfTakingIn = ['go-live:after-store', 'consent:after-store', 'gathered:after-store'] as const;

/** The same, in `parks.test.ts`. */
export const pointsOfParks = ['park:after-wake'] as const;

/** The same, in `arrivals.test.ts`. */
export const pointsOfArrivals = ['arrival:before-store', 'arrival:after-store'] as const;

/** Ends the process when it comes to a point: nothing more is stored or answered. Resolves when it has. */
export function dropAt(services: Services, wanted: KillPoint): Promise<void> {
  return new Promise((resolve) => {
    (services.seams as TestClock).onReach = (point) => {
      if (point === wanted) resolve(services.drop());
    };
  });
}

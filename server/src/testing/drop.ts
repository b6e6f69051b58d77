import type { KillPoint } from '../seams.ts';
import type { Services } from '../services.ts';
import type { TestClock } from './clock.ts';

/** Points at which a process is dropped within a test's own: `accounts.test.ts` stops there. */
export const pointOfAccounts = 'account:after-store';

/** The same, in `taking-in.test.ts`. */
export const pointsOfTakingIn = ['go-live:after-store', 'consent:after-store', 'gathered:after-store'] as const;

/** The same, in `parks.test.ts`. */
export const pointsOfParks = ['park:after-wake'] as const;

/** The same, in `take-over.test.ts`. */
export const pointsOfTakeOvers = ['take-over:after-store'] as const;

/** The same, in `endings.test.ts`. */
export const pointsOfEndings = ['ending:after-store'] as const;

/** The same, in `asking.test.ts`. */
export const pointsOfAsking = ['ask:after-letter', 'ask:after-mail', 'ask:after-answer'] as const;

/** The same, in `handing.test.ts`. */
export const pointsOfHandingOver = [
  'hand-over:before-store',
  'hand-over:after-piece',
  'hand-over:after-store',
] as const;

/** The same, in `document-app.test.ts`. */
export const pointsOfDocuments = ['document:after-reserve', 'document:after-put'] as const;
/** Where one is made again. */
export const pointsOfRemaking = ['document:after-swap'] as const;

/** The same, in `reconciles.test.ts`. */
export const pointsOfRepairs = ['repair:after-live', 'repair:after-run'] as const;

/** The same, in `undos.test.ts`. */
export const pointsOfUndoing = ['undo:after-begin', 'undo:after-record'] as const;

/** The same, in `in-steps.test.ts`. */
export const pointsOfInStep = ['in-step:after-take-over', 'in-step:after-live'] as const;

/** The same, in `mails.test.ts`. */
export const pointsOfReturned = ['returned:after-store'] as const;

/** The same, in `arrivals.test.ts`. */
export const pointsOfArrivals = ['arrival:before-store', 'arrival:after-store'] as const;

/** The same, in `files.test.ts`. */
export const pointsOfHandIns = ['hand-in:after-take', 'hand-in:after-put-away'] as const;

/**
 * Ends the process when it comes to a point: nothing more is stored or answered. Resolves when it has.
 *
 * @param passes - how often it goes by there before
 */
export function dropAt(services: Services, wanted: KillPoint, passes = 0): Promise<void> {
  let left = passes;
  return new Promise((resolve) => {
    (services.seams as TestClock).onReach = (point) => {
      if (point !== wanted) return;
      if (left === 0) resolve(services.drop());
      left -= 1;
    };
  });
}

import type { Phrase } from '../workflow/phrase.ts';
import type { Trigger } from './schemas.ts';

/**
 * All that there is to know of one kind of start: when something is to be looked at. Which records
 * come then is the source's matter.
 */
export interface TriggerDefinition<T extends Trigger = Trigger> {
  readonly kind: T['kind'];
  /** One with its usual settings. */
  make(): T;
  /** True where a look that is left out would miss what was told: it is made up for as soon as it can be. */
  readonly isTold?: boolean;
  /** True where a look that can't be made at its time is made up for: the next may be a month off. */
  readonly isMadeUpFor?: boolean;
  /** How it reads within the start's sentence: "asked every 5 minutes". */
  sentence(trigger: T): Phrase[];
  /** What is not ready in it, in sentences. */
  problems(trigger: T): string[];
  /** When it is looked at first once it has been switched on; null for never by itself. */
  firstAt(trigger: T, now: string, zone: string): string | null;
  /** The next time after an instant; null for never by itself. Both are UTC, ISO 8601. */
  nextAfter(trigger: T, instant: string, zone: string): string | null;
  /** Whether a look that was due at an instant is so late now that it is left out. */
  isLeftOut?(trigger: T, at: string, now: string): boolean;
}

import type { Filling, Ref } from './filling.ts';
import type { FieldProfile } from './profile.ts';

/** A proposed filling with the sentence that says why. */
export interface Suggestion {
  readonly path: string;
  readonly filling: Filling;
  readonly reason: string;
  /** From 0 to 1; what is below `enough` isn't proposed. */
  readonly score: number;
}

/** A source field with what the samples say of it. */
export interface SuggestSource {
  readonly ref: Ref;
  readonly profile: FieldProfile;
}

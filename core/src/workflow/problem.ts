/** Something that keeps a draft from running, or that its writer should know. */
export interface ReadinessProblem {
  /** The sentence it stands at: `start` or a step's id. */
  readonly sentence: string;
  /** The destination field, where it is about one. */
  readonly field?: string;
  readonly severity: 'blocks' | 'warns';
  readonly message: string;
}

/** A problem that keeps the draft from running. */
export const blocks = (sentence: string, message: string): ReadinessProblem => ({
  sentence,
  severity: 'blocks',
  message,
});

/** A problem that the draft may run with. */
export const warns = (sentence: string, message: string): ReadinessProblem => ({
  sentence,
  severity: 'warns',
  message,
});

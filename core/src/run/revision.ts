/** What the source says of a record's version, as far as it says anything. */
export interface SourceMark {
  /** A version or ETag. */
  readonly version?: string;
  /** The updated time, as the app writes it. */
  readonly updated?: string;
  /** A digest of the record's canonical text. */
  readonly fingerprint: string;
}

/** What was last seen of a record. */
export interface LastSeen {
  readonly fingerprint: string;
  readonly counter: number;
  readonly revision: string;
}

/** The revision of a record as it is seen now. */
export interface Revision {
  /** What the source says of it; the same as long as the record is. */
  readonly revision: string;
  /** Raised whenever the record differs from what was seen last. */
  readonly counter: number;
  /** Names this state of the record for ever: A → B → A is three, even where the source gives the third the mark of the first. */
  readonly unique: string;
}

/**
 * The revision of a record: the source's version, else updated time with fingerprint, else a
 * counter that is raised whenever the record differs from the last one seen, so that
 * A → B → A is three revisions.
 */
export function revisionOf(mark: SourceMark, last: LastSeen | undefined): Revision {
  const told = markOf(mark);
  const isNew = last && (last.fingerprint !== mark.fingerprint || (told !== undefined && last.revision !== told));
  const counter = last ? last.counter + (isNew ? 1 : 0) : 1;
  const revision = told ?? `n:${counter}`;
  return { revision, counter, unique: told === undefined ? revision : `${revision}~${counter}` };
}

function markOf({ version, updated, fingerprint }: SourceMark): string | undefined {
  if (version !== undefined) return `v:${version}`;
  return updated === undefined ? undefined : `u:${updated}:${fingerprint.slice(0, 16)}`;
}

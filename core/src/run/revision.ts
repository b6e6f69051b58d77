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

/**
 * The revision of a record: the source's version, else updated time with fingerprint, else a
 * counter that is raised whenever the fingerprint differs from the last one seen, so that
 * A → B → A is three revisions.
 */
export function revisionOf(mark: SourceMark, last: LastSeen | undefined): { revision: string; counter: number } {
  const counter = last ? last.counter + (last.fingerprint === mark.fingerprint ? 0 : 1) : 1;
  if (mark.version !== undefined) return { revision: `v:${mark.version}`, counter };
  if (mark.updated !== undefined) return { revision: `u:${mark.updated}:${mark.fingerprint.slice(0, 16)}`, counter };
  return { revision: `n:${counter}`, counter };
}

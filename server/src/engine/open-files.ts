import type { Seams } from '../seams.ts';

/** Milliseconds until a file is tried again; each time half as long again, up to the longest. */
const firstWait = 5000;
const longestWait = 60_000;

interface OpenFile {
  readonly since: number;
  readonly tries: number;
  /** When it is tried again, or until when nobody waits for it any more. */
  readonly until: number;
  readonly isGivenUp: boolean;
}

/**
 * Files that somebody has open in another program: what is to be written there waits for them, and for nothing else.
 * Times are those that have passed in this process.
 */
export class OpenFiles {
  private readonly files = new Map<string, OpenFile>();

  constructor(private readonly seams: Pick<Seams, 'uptime'>) {}

  /**
   * A file was found open: milliseconds until it is tried again; undefined when it has been open for so many hours
   * that a person has to look.
   */
  wait(file: string, hours: number): number | undefined {
    const now = this.seams.uptime();
    const known = this.files.get(file);
    // Others that were to be written at the same moment met the same.
    if (known && known.until > now) return known.isGivenUp ? undefined : known.until - now;
    // What comes long after it was given up is waited for anew.
    const { since, tries } = known && !known.isGivenUp ? known : { since: now, tries: 0 };
    const isGivenUp = now - since >= hours * 3_600_000;
    const wait = isGivenUp ? longestWait : Math.min(longestWait, firstWait * 1.5 ** tries);
    this.files.set(file, { since, tries: tries + 1, until: now + wait, isGivenUp });
    return isGivenUp ? undefined : wait;
  }

  /** It was written. */
  closed(file: string): void {
    this.files.delete(file);
  }
}

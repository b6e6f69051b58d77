import { stat } from 'node:fs/promises';

/**
 * What a file system says of a file and its content changes with it: which file it is, how long, and when it
 * was written (`ctime` can't be set by programs). Undefined where there is no such file.
 */
export async function statMark(path: string): Promise<string | undefined> {
  try {
    const { dev, ino, size, mtimeNs, ctimeNs } = await stat(path, { bigint: true });
    return [dev, ino, size, mtimeNs, ctimeNs].join(' ');
  } catch {
    return undefined;
  }
}

/**
 * Milliseconds for which a file has to have had its mark before a hash that is taken then is known by it: a file
 * system that counts in coarse steps gives two contents of one step the same times. Some count whole seconds, or
 * two (common practice).
 */
const [coarseStep, fineStep] = [2500, 60];

interface Seen {
  readonly mark: string;
  /** When it was first seen, by the time of this process: the clocks of a file server may go otherwise. */
  readonly since: number;
  etag?: string;
}

/** Hashes of files by their marks, so that an unchanged file needn't be read to be known as such. */
export class StatMarks {
  private readonly seen = new Map<string, Seen>();

  constructor(private readonly now: () => number = () => performance.now()) {}

  /** What is known of a file that has this mark now; its hash only where that is certain. */
  see(path: string, mark: string): { readonly etag?: string } {
    const known = this.seen.get(path);
    if (known?.mark === mark) return known;
    const begun: Seen = { mark, since: this.now() };
    this.seen.set(path, begun);
    return begun;
  }

  /** The hash of what was read while the file had this mark, before and after; kept once it is certain. */
  keep(path: string, mark: string, etag: string): void {
    const known = this.seen.get(path);
    if (known?.mark !== mark) return;
    const isCoarse = mark.split(' ').some((part, at) => at >= 3 && part.endsWith('000000000'));
    if (this.now() - known.since >= (isCoarse ? coarseStep : fineStep)) known.etag = etag;
  }
}

import { randomUUID } from 'node:crypto';
import { AppError, Changed, NoAnswer, NoRight, NotSignedIn, Refused } from '../../errors.ts';
import type { HttpClient } from '../../http/client.ts';

/** Whether a server may be written to at all, and how. */
export interface ServerRight {
  /** Why its files are only read, in a sentence; absent where they may be written. */
  readonly readOnlyBecause?: string;
  /** Files can be locked there while they are replaced (RFC 4918 section 18.2). */
  readonly hasLocks: boolean;
}

/** Answers that hold for the life of the process; those that may be put right are asked again after a minute. */
const known = new Map<string, { readonly right: Promise<ServerRight>; readonly until: number }>();
const badFor = 60_000;

/**
 * Whether a server keeps its promise that a file is replaced only while it has the mark that is named
 * (If-Match, RFC 9110 section 13.1.1). It is asked once, with a mark that no file has and the name of a file
 * that isn't there: a server that takes it would also take a change made from an older state, and somebody's
 * work would be lost. So it is only read, and the file of the question is taken away again.
 */
export function rightOf(http: HttpClient, account: string, now = performance.now()): Promise<ServerRight> {
  const before = known.get(account);
  if (before && before.until > now) return before.right;
  const right = askRight(http);
  known.set(account, { right, until: Number.POSITIVE_INFINITY });
  right.then(
    ({ readOnlyBecause }) => {
      if (readOnlyBecause) known.set(account, { right, until: performance.now() + badFor });
    },
    () => known.delete(account),
  );
  return right;
}

async function askRight(http: HttpClient): Promise<ServerRight> {
  const options = await http.read({ method: 'OPTIONS', path: '/' });
  const levels = String(options.headers['dav'] ?? '').split(/\s*,\s*/);
  if (!levels.includes('1'))
    return { hasLocks: false, readOnlyBecause: 'The address doesn’t speak WebDAV, so its files are only read.' };
  const readOnlyBecause = await askGuard(http);
  return { hasLocks: levels.includes('2'), ...(readOnlyBecause && { readOnlyBecause }) };
}

/** Why the server can't be written to; undefined where it refuses what was made from another state. */
async function askGuard(http: HttpClient): Promise<string | undefined> {
  const path = `/golden-relay-question-${randomUUID()}.csv`;
  try {
    await http.write({
      method: 'PUT',
      path,
      headers: { 'if-match': '"golden-relay-no-such-mark"', 'content-type': 'text/csv' },
      bytes: new TextEncoder().encode('A question whether this server honours If-Match. It can be deleted.\n'),
      succeeds: [200, 201, 204],
    });
  } catch (error) {
    if (error instanceof Changed) return undefined;
    if (error instanceof NoRight)
      return 'Whoever is signed in may read here, not write. Ask for the right to change files.';
    if (error instanceof Refused) return `It refuses new contents of files, so they are only read. ${error.message}`;
    if (error instanceof NotSignedIn) throw error;
    if (error instanceof AppError && error.isPassing) throw new NoAnswer(error.message, { cause: error });
    throw error;
  }
  await http.write({ method: 'DELETE', path, succeeds: [200, 204, 404] }).catch(() => undefined);
  return 'The server doesn’t look whether a file was changed in the meantime (it ignores If-Match), so that somebody’s work could be written over. Its files are only read.';
}

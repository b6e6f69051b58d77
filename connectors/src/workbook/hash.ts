import { webcrypto } from 'node:crypto';

/** The SHA-256 of a file's content, in hex; worked out beside the server's own thread: a large file takes a moment. */
export const hash = async (bytes: Uint8Array): Promise<string> =>
  Buffer.from(await webcrypto.subtle.digest('SHA-256', bytes)).toString('hex');

import { randomUUID } from 'node:crypto';
import { link, open, rename, rm, stat } from 'node:fs/promises';
import { dirname, join } from 'node:path';

/**
 * Puts a new file there whole, or not at all; who may read it is as with its folder. False where one of that name is
 * there: nothing is written over.
 * @throws Error of the file system, such as a full disk
 */
export async function putWhole(path: string, bytes: Uint8Array): Promise<boolean> {
  try {
    // A link fails where a file came up meanwhile; a rename would write over it.
    await throughPart(path, bytes, (part) => link(part, path));
    return true;
  } catch (error) {
    if ((error as NodeJS.ErrnoException).code === 'EEXIST') return false;
    throw error;
  }
}

/** Puts a file in the place of another, or where it was: there is the one or the other at any time. @throws Error of the file system */
export const swapWhole = (path: string, bytes: Uint8Array): Promise<void> =>
  throughPart(path, bytes, (part) => rename(part, path));

/** Writes the bytes beside where they belong, down to the disk, and then has them put there. */
async function throughPart(path: string, bytes: Uint8Array, put: (part: string) => Promise<void>): Promise<void> {
  const folder = dirname(path);
  const part = join(folder, `.${randomUUID()}.golden-part`);
  try {
    const file = await open(part, 'wx');
    try {
      await file.writeFile(bytes);
      const { mode } = await stat(folder);
      await file.chmod(mode & 0o666);
      await file.sync();
    } finally {
      await file.close();
    }
    await put(part);
    await flushed(folder);
  } finally {
    await rm(part, { force: true }).catch(() => undefined);
  }
}

/** The new name is safe only when the folder is. */
async function flushed(folder: string): Promise<void> {
  const handle = await open(folder, 'r');
  await handle.sync().catch(() => undefined);
  await handle.close();
}

import { randomUUID } from 'node:crypto';
import { link, open, rm, stat } from 'node:fs/promises';
import { dirname, join } from 'node:path';

/**
 * Puts a new file there whole, or not at all; who may read it is as with its folder. False where one of that name is
 * there: nothing is written over.
 * @throws Error of the file system, such as a full disk
 */
export async function putWhole(path: string, bytes: Uint8Array): Promise<boolean> {
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
    // A link fails where a file came up meanwhile; a rename would write over it.
    await link(part, path);
    await flushed(folder);
    return true;
  } catch (error) {
    if ((error as NodeJS.ErrnoException).code === 'EEXIST') return false;
    throw error;
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

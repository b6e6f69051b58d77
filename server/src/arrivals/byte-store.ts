import { createHash, randomUUID } from 'node:crypto';
import { existsSync } from 'node:fs';
import { chmod, copyFile, mkdir, open, readdir, readFile, rename, rm, stat, utimes } from 'node:fs/promises';
import { join } from 'node:path';

const hashPattern = /^[0-9a-f]{64}$/;

/** The SHA-256 of bytes or of a text, in hexadecimal figures (FIPS 180-4). */
export const hashOf = (bytes: Uint8Array | string): string => createHash('sha256').update(bytes).digest('hex');

/**
 * Large bytes as files that are called by their hash, so that the same ones lie there once. A file is
 * flushed to the disk before its name is given back: whoever stores the name afterwards never points at
 * nothing.
 */
export class ByteStore {
  constructor(readonly folder: string) {}

  /** Stores bytes; gives the hash by which they are found. */
  async put(bytes: Uint8Array): Promise<string> {
    const hash = hashOf(bytes);
    const file = this.fileOf(hash);
    // One that lies there already is as good as new: a sweep of what is old leaves it, though its row isn't stored yet.
    if (existsSync(file)) {
      const now = new Date();
      await utimes(file, now, now).catch(() => undefined);
      if (existsSync(file)) return hash;
    }
    await mkdir(join(this.folder, hash.slice(0, 2)), { recursive: true, mode: 0o700 });
    const part = join(this.folder, `${randomUUID()}.part`);
    const handle = await open(part, 'wx', 0o600);
    try {
      await handle.writeFile(bytes);
      await handle.sync();
    } finally {
      await handle.close();
    }
    await rename(part, file);
    await flushFolder(join(this.folder, hash.slice(0, 2)));
    return hash;
  }

  /** @throws Error when the file isn't there, or its content isn't what its name says */
  async get(hash: string): Promise<Uint8Array> {
    const bytes = await readFile(this.fileOf(hash));
    if (hashOf(bytes) !== hash) throw new Error(`The stored file ${hash.slice(0, 12)}… is damaged.`);
    return bytes;
  }

  /**
   * Takes away what broke off before it was stored, and files that `isUsed` doesn't know.
   *
   * @param age - milliseconds for which a file has to have lain there: one that is just being stored has no row yet
   */
  async sweep(isUsed: (hash: string) => Promise<boolean>, age = 0): Promise<void> {
    const isOld = async (file: string): Promise<boolean> =>
      age === 0 || Date.now() - ((await stat(file).catch(() => undefined))?.mtimeMs ?? Date.now()) > age;
    for (const name of await namesIn(this.folder)) {
      const part = join(this.folder, name);
      if (name.endsWith('.part') && (await isOld(part))) await rm(part, { force: true });
      if (!/^[0-9a-f]{2}$/.test(name)) continue;
      for (const hash of await namesIn(part)) {
        if (!hashPattern.test(hash) || (await isUsed(hash)) || !(await isOld(this.fileOf(hash)))) continue;
        await rm(this.fileOf(hash), { force: true });
      }
    }
  }

  private fileOf(hash: string): string {
    if (!hashPattern.test(hash)) throw new Error('Bytes are found by their hash only.');
    return join(this.folder, hash.slice(0, 2), hash);
  }
}

/** Copies the files of a store that another folder doesn't have yet; each appears there only when it is whole. */
export async function copyBytes(from: string, to: string): Promise<void> {
  for (const part of await namesIn(from)) {
    if (!/^[0-9a-f]{2}$/.test(part)) continue;
    await mkdir(join(to, part), { recursive: true, mode: 0o700 });
    for (const hash of await namesIn(join(from, part))) {
      const file = join(to, part, hash);
      if (!hashPattern.test(hash) || existsSync(file)) continue;
      await copyFile(join(from, part, hash), `${file}.part`);
      await chmod(`${file}.part`, 0o600);
      await rename(`${file}.part`, file);
    }
  }
}

const namesIn = async (folder: string): Promise<string[]> => (existsSync(folder) ? readdir(folder) : []);

/** A new name in a folder is safe on the disk only once the folder is; where that can't be said, it stays. */
async function flushFolder(folder: string): Promise<void> {
  const handle = await open(folder, 'r').catch(() => undefined);
  await handle?.sync().catch(() => undefined);
  await handle?.close();
}

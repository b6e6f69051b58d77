import { existsSync } from 'node:fs';
import { access, constants, link, open, readdir, realpath, rename, rm, stat } from 'node:fs/promises';
import { dirname, join } from 'node:path';
import { lock } from 'proper-lockfile';
import { AppError, Changed, Locked, NoRight, NotThere, Refused } from '../errors.ts';
import type { FileStore, Reach, StoredFile, TakenFile, UnchangedFile } from './file-store.ts';
import { FolderHandIns } from './folder-hand-ins.ts';
import { hash } from './hash.ts';
import { mostFileBytes } from './limits.ts';
import { lockFilesOf, openElsewhere } from './open-elsewhere.ts';
import { isWorkbookName } from './sheet.ts';
import { StatMarks, statMark } from './stat-marks.ts';

/**
 * A lock whose holder has died counts as free after three seconds; asking goes on a little longer
 * than that, so that a start after a crash doesn't meet its own lock.
 */
const lockTimes = {
  stale: 3000,
  update: 1000,
  retries: { retries: 8, factor: 1.6, minTimeout: 120, maxTimeout: 1500 },
};

/**
 * Workbook files in a folder of this machine: guarded by hash, lock and atomic rename. A link that
 * leads out of the folder isn't followed.
 */
export class FolderStore implements FileStore {
  readonly title = 'The folder';
  readonly handIns: FolderHandIns;
  private readonly marks = new StatMarks();

  constructor(
    private readonly folder: string,
    private readonly reach: Reach = () => undefined,
  ) {
    this.handIns = new FolderHandIns(folder);
  }

  async whoAmI(): Promise<{ account: string; mayWrite: boolean }> {
    if (!existsSync(this.folder)) throw new NotThere(`There is no folder “${this.folder}” on this machine.`);
    return { account: `the folder ${this.folder}`, mayWrite: await isWritable(this.folder) };
  }

  async list(): Promise<readonly StoredFile[]> {
    await this.whoAmI();
    const names = (await readdir(this.folder)).filter((name) => isWorkbookName(name) && !/^[.~]/.test(name)).sort();
    const files = await Promise.all(
      names.map(async (name): Promise<StoredFile[]> => {
        const path = await this.insideOf(name).catch(() => undefined);
        return path === undefined ? [] : [{ name, mayWrite: await isWritable(path) }];
      }),
    );
    return files.flat();
  }

  async take(name: string, knownEtag?: string): Promise<TakenFile | UnchangedFile> {
    const path = await this.insideOf(name);
    const mayWrite = await isWritable(path);
    const mark = await statMark(path);
    const seen = mark && this.marks.see(path, mark);
    if (seen && knownEtag !== undefined && seen.etag === knownEtag) return { bytes: undefined, mayWrite };
    const bytes = await this.read(name);
    const etag = await hash(bytes);
    if (mark && mark === (await statMark(path))) this.marks.keep(path, mark, etag);
    return etag === knownEtag ? { bytes: undefined, mayWrite } : { bytes, etag, mayWrite };
  }

  async replace(name: string, bytes: Uint8Array, etag: string): Promise<string> {
    const path = await this.insideOf(name);
    if (!(await isWritable(path)))
      throw new NoRight(`“${name}” may be read, not written. Ask for the right to change it.`);
    if (this.isOpenElsewhere(name)) throw new Locked(openElsewhere(name));
    const release = await lock(path, lockTimes).catch((error) => {
      throw new Locked(`“${name}” is being written by another program.`, { cause: error });
    });
    try {
      if ((await hash(await this.read(name))) !== etag) throw new Changed(`“${name}” was changed in the meantime.`);
      const temporary = await writePart(path, bytes, path);
      this.reach('folder:before-rename');
      await rename(temporary, path);
      this.reach('folder:after-rename');
      await syncFolder(dirname(path));
    } finally {
      await rm(`${path}.golden-part`, { force: true });
      await release();
    }
    return await hash(bytes);
  }

  async add(name: string, bytes: Uint8Array): Promise<void> {
    const path = this.pathOf(name);
    if (existsSync(path)) throw new Refused(`A file “${name}” is there already. Choose another name.`);
    const temporary = await writePart(path, bytes, this.folder);
    // A link fails where a file came up meanwhile; a rename would write over it.
    await link(temporary, path)
      .catch((error) => {
        throw new Refused(`A file “${name}” is there already. Choose another name.`, [], { cause: error });
      })
      .finally(() => rm(temporary, { force: true }));
    await syncFolder(this.folder);
  }

  linkTo(): undefined {
    return undefined;
  }

  private async read(name: string): Promise<Buffer> {
    try {
      return await readWhole(name, await this.insideOf(name));
    } catch (error) {
      if (error instanceof AppError) throw error;
      throw new NoRight(`“${name}” may not be read.`, { cause: error });
    }
  }

  /** Spreadsheet programs put an owner file beside a workbook that they have open. */
  private isOpenElsewhere(name: string): boolean {
    return lockFilesOf(name).some((file) => existsSync(join(this.folder, file)));
  }

  /**
   * The file itself, wherever links within the folder lead.
   * @throws NotThere when there is none, NoRight for one that lies outside
   */
  private async insideOf(name: string): Promise<string> {
    const [folder, path] = await Promise.all([realpath(this.folder), realpath(this.pathOf(name))]).catch(() => {
      throw new NotThere(`There is no file “${name}” in the folder any more.`);
    });
    if (dirname(path) === folder || path.startsWith(`${folder}/`)) return path;
    throw new NoRight(`“${name}” is a link that leads out of the folder, so it isn’t opened.`);
  }

  private pathOf(name: string): string {
    if (name.includes('/') || name.includes('\\') || name.startsWith('.'))
      throw new NotThere(`“${name}” is not a file in this folder.`);
    return join(this.folder, name);
  }
}

/** Reads what is a file, and no link by now. @throws NoRight for what is none, NotThere for what is too large to be read */
async function readWhole(name: string, path: string): Promise<Buffer> {
  const file = await open(path, constants.O_RDONLY | constants.O_NOFOLLOW | constants.O_NONBLOCK);
  try {
    const { size, ...about } = await file.stat();
    if (!isPlainFile(about.mode)) throw new NoRight(`“${name}” can’t be read as a file.`);
    if (size > mostFileBytes)
      throw new NotThere(`“${name}” is larger than ${mostFileBytes / 1024 / 1024} MB, which is more than can be read.`);
    return await file.readFile();
  } finally {
    await file.close();
  }
}

const isPlainFile = (mode: number): boolean => (mode & constants.S_IFMT) === constants.S_IFREG;

/**
 * The new content beside the file, on the disk; whatever lay there under that name, a link too, is put
 * aside first. Who may read and write it is as with the file that it replaces, or as with the folder that
 * a new one comes into: our own files are for us alone, those of a business are for all who work on them.
 */
async function writePart(path: string, bytes: Uint8Array, asWith: string): Promise<string> {
  const temporary = `${path}.golden-part`;
  await rm(temporary, { force: true });
  const file = await open(temporary, 'wx');
  try {
    await file.writeFile(bytes);
    const { mode, uid, gid } = await stat(asWith);
    // Giving a file to others takes rights that we seldom have; then it stays ours.
    await file.chown(uid, gid).catch(() => undefined);
    await file.chmod(mode & 0o666);
    await file.sync();
  } finally {
    await file.close();
  }
  return temporary;
}

const isWritable = (path: string): Promise<boolean> =>
  access(path, constants.W_OK).then(
    () => true,
    () => false,
  );

/** The rename itself is only durable when the folder is. */
async function syncFolder(folder: string): Promise<void> {
  const handle = await open(folder, 'r');
  await handle.sync();
  await handle.close();
}

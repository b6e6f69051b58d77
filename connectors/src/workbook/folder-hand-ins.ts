import { constants } from 'node:fs';
import { link, lstat, mkdir, open, readdir, rm, stat } from 'node:fs/promises';
import { join } from 'node:path';
import { doneFolder, type HandIns, type PutAway } from '../connector.ts';
import { AppError, Changed, NoRight, NotThere, Refused } from '../errors.ts';
import { doneNames, isPassingFile } from './done-names.ts';
import { mostFileBytes } from './limits.ts';
import { statMark } from './stat-marks.ts';

/** Files in a folder of this machine. Links and folders aren't taken. */
export class FolderHandIns implements HandIns {
  constructor(private readonly folder: string) {}

  async files(): Promise<readonly { name: string; mark: string }[]> {
    const entries = await readdir(this.folder, { withFileTypes: true }).catch((error) => {
      throw new NotThere(`There is no folder “${this.folder}” on this machine, or it may not be read.`, {
        cause: error,
      });
    });
    const names = entries.filter((one) => one.isFile() && !isPassingFile(one.name)).map((one) => one.name);
    const marked = names.sort().map(async (name) => ({ name, mark: await statMark(join(this.folder, name)) }));
    return (await Promise.all(marked)).flatMap(({ name, mark }) => (mark === undefined ? [] : [{ name, mark }]));
  }

  async content(name: string): Promise<Uint8Array> {
    const file = await open(this.pathOf(name), constants.O_RDONLY | constants.O_NOFOLLOW | constants.O_NONBLOCK).catch(
      (error: NodeJS.ErrnoException) => {
        if (error.code === 'ENOENT') throw new NotThere(`There is no file “${name}” in the folder any more.`);
        throw new NoRight(`“${name}” may not be read.`, { cause: error });
      },
    );
    try {
      const about = await file.stat();
      if (!about.isFile()) throw new NoRight(`“${name}” can’t be read as a file.`);
      if (about.size > mostFileBytes)
        throw new Refused(`“${name}” is larger than ${mostFileBytes / 1024 / 1024} MB. Split it into smaller files.`);
      return await file.readFile();
    } finally {
      await file.close();
    }
  }

  async putAway(name: string, mark: string, way: PutAway): Promise<string> {
    const path = this.pathOf(name);
    if ((await statMark(path)) !== mark) throw new Changed(`“${name}” was changed in the meantime.`);
    const folder = way === 'moved' ? join(this.folder, doneFolder) : this.folder;
    try {
      if (way === 'moved') await mkdir(folder, { recursive: true });
      for (const to of doneNames(name, way === 'marked')) {
        if (!(await linked(path, join(folder, to)))) continue;
        await rm(path);
        return way === 'moved' ? `${doneFolder}/${to}` : to;
      }
    } catch (error) {
      if (error instanceof AppError) throw error;
      throw new NoRight(`“${name}” can’t be put away: the folder may not be written.`, { cause: error });
    }
    throw new Refused(`“${name}” can’t be put away: there are too many of its name. Clear some of them away.`);
  }

  private pathOf(name: string): string {
    if (name.includes('/') || name.includes('\\') || name.startsWith('.'))
      throw new NotThere(`“${name}” is not a file in this folder.`);
    return join(this.folder, name);
  }
}

/** Gives a file a second name where that is free; true also where the file has it already, as after a kill between. */
async function linked(path: string, to: string): Promise<boolean> {
  try {
    // A rename would write over what is there.
    await link(path, to);
    return true;
  } catch (error) {
    if ((error as NodeJS.ErrnoException).code !== 'EEXIST') throw error;
    const [one, other] = await Promise.all([stat(path), lstat(to)]);
    return one.dev === other.dev && one.ino === other.ino;
  }
}

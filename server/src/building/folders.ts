import { readdir } from 'node:fs/promises';
import { homedir } from 'node:os';
import { basename, dirname, join, resolve } from 'node:path';
import { isWorkbookName } from '@golden/connectors';
import { NotPossible } from '../engine/errors.ts';

/** A folder of this machine with those in it, to choose one from. */
export interface FolderView {
  readonly at: string;
  /** The folder that it is in; null at the top. */
  readonly above: string | null;
  readonly folders: readonly { readonly name: string; readonly path: string }[];
  /** Workbooks and CSV files that lie in it. */
  readonly workbooks: number;
}

const isWorkbook = (name: string): boolean => isWorkbookName(name) && !name.startsWith('.') && !name.startsWith('~$');

/** The folders in a folder, the person's own where none is named; hidden ones aren't shown. @throws NotPossible */
export async function foldersIn(given: string | undefined): Promise<FolderView> {
  const at = resolve(given?.trim() || homedir());
  const entries = await readdir(at, { withFileTypes: true }).catch(() => {
    throw new NotPossible(`The folder ${at} isn’t there, or can’t be read by this program.`);
  });
  const folders = entries
    .filter((entry) => entry.isDirectory() && !entry.name.startsWith('.'))
    .map(({ name }) => ({ name, path: join(at, name) }))
    .sort((one, other) => one.name.localeCompare(other.name));
  const above = dirname(at);
  return {
    at,
    above: above === at || basename(at) === '' ? null : above,
    folders,
    workbooks: entries.filter((entry) => entry.isFile() && isWorkbook(entry.name)).length,
  };
}

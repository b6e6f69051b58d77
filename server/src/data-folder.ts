import { chmodSync, existsSync, mkdirSync, statfsSync, statSync } from 'node:fs';
import { join } from 'node:path';
import SQLite from 'better-sqlite3';
import { keepPrivate } from './db/private.ts';

/** The data folder can't be used; the message says why and what to do. */
export class CannotUseFolder extends Error {
  override readonly name = 'CannotUseFolder';
}

/** Kinds of file systems whose locks can't be trusted, by the numbers that Linux gives them (statfs(2)). */
const networkKinds: ReadonlyMap<number, string> = new Map([
  [0x6969, 'NFS'],
  [0x517b, 'SMB'],
  [0xff534d42, 'CIFS'],
  [0xfe534d42, 'SMB 2'],
  [0x5346414f, 'AFS'],
  [0x73757245, 'Coda'],
  [0x00c36400, 'Ceph'],
  [0x0bd00bd0, 'Lustre'],
  [0x01021997, '9P'],
  [0x47504653, 'GPFS'],
]);

/** Locks of this process: one that nothing referred to any more would be closed by the garbage collector, and let go. */
const held = new Set<SQLite.Database>();

/** A folder that this process has for itself. */
export interface HeldFolder {
  release(): void;
}

/**
 * Takes a data folder for this process alone, as long as it lives: an exclusive SQLite lock on a file
 * of its own. It holds through any pause of the process, and the system frees it the moment the
 * process ends, however it ends.
 * @throws CannotUseFolder with a sentence
 */
export function holdFolder(folder: string, kindOf: (folder: string) => number = kindOfFileSystem): HeldFolder {
  makeFolder(folder);
  const network = networkKinds.get(kindOf(folder));
  if (network || folder.startsWith('\\\\'))
    throw new CannotUseFolder(
      `${folder} lies on a network (${network ?? 'a share'}), where two computers could write at once. Choose a folder of this machine with --data.`,
    );
  const lock = openLock(folder);
  try {
    lock.pragma('locking_mode = EXCLUSIVE');
    // The lock is taken by the first statement that writes, and kept after it.
    lock.exec('BEGIN EXCLUSIVE; CREATE TABLE IF NOT EXISTS held (pid INTEGER); DELETE FROM held; COMMIT');
  } catch (error) {
    lock.close();
    throw asSentence(folder, error);
  }
  held.add(lock);
  return {
    release: () => {
      held.delete(lock);
      lock.close();
    },
  };
}

function makeFolder(folder: string): void {
  try {
    mkdirSync(folder, { recursive: true, mode: 0o700 });
    // One made by an earlier release may be open to everybody of this machine.
    const { mode, uid } = statSync(folder);
    if ((mode & 0o077) !== 0 && uid === process.getuid?.()) chmodSync(folder, mode & 0o700);
  } catch (error) {
    throw asSentence(folder, error);
  }
}

function openLock(folder: string): SQLite.Database {
  try {
    const file = join(folder, 'lock.db');
    const lock = new SQLite(file, { timeout: 0 });
    keepPrivate(file);
    return lock;
  } catch (error) {
    throw asSentence(folder, error);
  }
}

/**
 * A data file that has lost its content isn't taken for a new workspace: the key beside it says that
 * there was one.
 * @throws CannotUseFolder with a sentence
 */
export function expectContent(dataFile: string, keyFile: string): void {
  const isEmpty = (file: string): boolean => !existsSync(file) || statSync(file).size === 0;
  if (!existsSync(dataFile) || !isEmpty(dataFile) || !isEmpty(`${dataFile}-wal`) || isEmpty(keyFile)) return;
  throw new CannotUseFolder(
    `The data file ${dataFile} is empty, though there was a workspace: its key is in ${keyFile}. Put a copy of the data file back, or begin an empty workspace by starting once with --new.`,
  );
}

function kindOfFileSystem(folder: string): number {
  try {
    return statfsSync(folder).type;
  } catch {
    return 0;
  }
}

/** What keeps a folder from being used, as a sentence for the person. */
export function asSentence(folder: string, error: unknown): Error {
  const code = (error as { code?: string }).code ?? '';
  const said = (code: string): string | undefined => {
    if (code.startsWith('SQLITE_BUSY') || code.startsWith('SQLITE_LOCKED'))
      return `Another Golden Relay is running on ${folder}. End it, or choose another folder with --data.`;
    if (code === 'SQLITE_FULL' || code === 'ENOSPC')
      return `The disk that ${folder} lies on is full. Make room there and start again; nothing is lost.`;
    if (code === 'EACCES' || code === 'EPERM' || code === 'EROFS' || /^SQLITE_(READONLY|CANTOPEN|PERM)/.test(code))
      return `${folder} can’t be written. Give this account the right to write there, or choose another folder with --data.`;
    if (code === 'ENOTDIR' || code === 'EEXIST')
      return `${folder} is a file, not a folder. Choose a folder with --data.`;
    if (/^SQLITE_(NOTADB|CORRUPT)/.test(code))
      return `The data file in ${folder} is damaged. Put a backup of it back (those of the last nights are in ${folder}.backups), then start again.`;
    return undefined;
  };
  const sentence = said(code);
  return sentence ? new CannotUseFolder(sentence, { cause: error }) : (error as Error);
}

import { setImmediate } from 'node:timers/promises';
import type SQLite from 'better-sqlite3';

/** Pages that stay free in the file: what comes next needs them, and moving pages to and fro costs time. */
const stayFree = 2000;
/** Pages that are given back at once: a few milliseconds of work. */
const atOnce = 16;

/** `auto_vacuum` of a file whose free pages can be given back piece by piece. */
const incremental = 2;

/**
 * Gives the room of what was taken out back to the disk, piece by piece.
 *
 * @param isStopped - ends it between two pieces
 * @param carryOut - carries out a statement that gives a piece back, where that is done elsewhere
 * @returns the bytes that were given back; the file is shorter by them once its log has been taken over
 * @see https://www.sqlite.org/pragma.html#pragma_incremental_vacuum
 */
export async function giveRoomBack(
  sqlite: SQLite.Database,
  isStopped: () => boolean,
  carryOut: (statement: string) => Promise<unknown> = async (statement) => sqlite.exec(statement),
): Promise<number> {
  if (sqlite.pragma('auto_vacuum', { simple: true }) !== incremental) return 0;
  const before = bytesOf(sqlite);
  while (!isStopped() && pages(sqlite, 'freelist_count') > stayFree) {
    await carryOut(`PRAGMA incremental_vacuum(${atOnce})`);
    await setImmediate();
  }
  return before - bytesOf(sqlite);
}

/** The bytes of a data file, without its log. */
export const bytesOf = (sqlite: SQLite.Database): number => pages(sqlite, 'page_count') * pages(sqlite, 'page_size');

const pages = (sqlite: SQLite.Database, name: string): number => Number(sqlite.pragma(name, { simple: true }));

/**
 * Makes a file able to give its room back. A new one is made so; one of an earlier release is written anew once, which
 * takes some seconds a gigabyte and as much room on the disk again. Where there isn't that, it stays as it is: its free
 * room is used for what comes.
 *
 * @param told - is called with the bytes of the file before it is written anew
 * @returns why it can't; undefined where it can
 */
export function letRoomGo(
  sqlite: SQLite.Database,
  told: (bytes: number) => void = () => undefined,
): string | undefined {
  if (sqlite.pragma('auto_vacuum', { simple: true }) === incremental) return undefined;
  told(bytesOf(sqlite));
  sqlite.pragma('auto_vacuum = INCREMENTAL');
  try {
    sqlite.exec('VACUUM');
    return undefined;
  } catch (error) {
    return error instanceof Error ? error.message : String(error);
  }
}

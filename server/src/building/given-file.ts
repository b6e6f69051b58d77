import { type FileRows, readRowsOfFile, UnreadableWorkbook } from '@golden/connectors';
import { NotPossible } from '../engine/errors.ts';

/** Reads the rows of a file that somebody gave. @throws NotPossible with a sentence when it is none, or has no rows */
export async function rowsOfGiven(name: string, bytes: Uint8Array): Promise<FileRows> {
  try {
    return await readRowsOfFile(name, bytes);
  } catch (error) {
    if (error instanceof UnreadableWorkbook) throw new NotPossible(error.message);
    throw error;
  }
}

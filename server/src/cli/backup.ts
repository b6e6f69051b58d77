import { join, resolve } from 'node:path';
import { parseArgs } from 'node:util';
import { BackupFailed, backupFrom } from '../backups.ts';
import type { CommandResult } from './formula.ts';

const usage = 'golden backup FOLDER [--data .data/golden]';

/** `golden backup FOLDER`: a consistent copy of the data file, also while a server runs on it. */
export async function backupCommand(args: readonly string[], now = new Date().toISOString()): Promise<CommandResult> {
  let given: ReturnType<typeof read>;
  try {
    given = read(args);
  } catch (error) {
    return { error: `${(error as Error).message}\n${usage}`, code: 2 };
  }
  const [folder] = given.positionals;
  if (folder === undefined || given.positionals.length > 1)
    return { error: `Say into which folder.\n${usage}`, code: 2 };
  const data = resolve(given.values.data);
  try {
    const copy = await backupFrom(join(data, 'golden.sqlite'), resolve(folder), now);
    return {
      out: `${join(resolve(folder), copy.name)} (${(copy.bytes / 1024 / 1024).toFixed(1)} MB). The key that opens the stored sign-ins is not in it: keep ${data}.key in another safe place.`,
      code: 0,
    };
  } catch (error) {
    if (error instanceof BackupFailed) return { error: error.message, code: 1 };
    throw error;
  }
}

const read = (args: readonly string[]) =>
  parseArgs({
    args: [...args],
    allowPositionals: true,
    options: { data: { type: 'string', default: process.env['GOLDEN_DATA'] ?? '.data/golden' } },
  });

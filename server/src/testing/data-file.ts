import { createHash } from 'node:crypto';
import { copyFileSync, existsSync, mkdirSync, renameSync, rmSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { dirname, join } from 'node:path';
import { migrations } from '../db/migrations.ts';
import { openDb } from '../db/open.ts';

// Hundreds of tests begin with an empty data file. It is made once, by the migrations, and copied: making its tables
// anew each time was a tenth of what the tests took.

/** Puts an empty data file of this release where none is. */
export async function emptyDataFile(file: string): Promise<void> {
  if (existsSync(file)) return;
  const made = await madeOnce();
  mkdirSync(dirname(file), { recursive: true });
  copyFileSync(made, file);
}

/** Where the empty one is that is copied, by the content of the migrations: those of a changed program make another. */
async function madeOnce(): Promise<string> {
  const made = Object.entries(migrations).map(([name, { up }]) => `${name} ${String(up)}`);
  const name = `golden-empty-${createHash('sha256').update(made.join('\n')).digest('hex').slice(0, 16)}`;
  const kept = join(tmpdir(), `${name}.sqlite`);
  if (existsSync(kept)) return kept;
  const making = join(tmpdir(), `${name}.${process.pid}.sqlite`);
  rmSync(making, { force: true });
  const { db, sqlite } = await openDb(making);
  // All of it in the one file: what is copied has no log beside it.
  sqlite.pragma('journal_mode = DELETE');
  await db.destroy();
  // Of several processes that make it at once each puts a whole one there.
  renameSync(making, kept);
  return kept;
}

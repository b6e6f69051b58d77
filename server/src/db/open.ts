import SQLite from 'better-sqlite3';
import { Kysely, Migrator, SqliteDialect } from 'kysely';
import { migrations } from './migrations.ts';
import type { Tables } from './schema.ts';

export type Db = Kysely<Tables>;

/** The data file can't be brought to this release's layout. */
export class MigrationFailed extends Error {
  override readonly name = 'MigrationFailed';
}

/**
 * Opens the data file, making or migrating it as needed. Every commit is on the disk before it
 * returns (`synchronous = FULL`), which the promise of exactly-once rests on.
 */
export async function openDb(file: string): Promise<Db> {
  const sqlite = new SQLite(file);
  sqlite.pragma('journal_mode = WAL');
  sqlite.pragma('synchronous = FULL');
  sqlite.pragma('foreign_keys = ON');
  sqlite.pragma('busy_timeout = 5000');
  const db = new Kysely<Tables>({ dialect: new SqliteDialect({ database: sqlite }) });
  const migrator = new Migrator({ db, provider: { getMigrations: async () => migrations } });
  const { error, results } = await migrator.migrateToLatest();
  if (error) {
    const at = results?.find((one) => one.status === 'Error')?.migrationName;
    throw new MigrationFailed(`The data file could not be brought up to date${at ? ` (at ${at})` : ''}.`, {
      cause: error,
    });
  }
  return db;
}

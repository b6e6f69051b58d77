import SQLite from 'better-sqlite3';
import { Kysely, Migrator, type SqliteDatabase, SqliteDialect, type SqliteStatement } from 'kysely';
import { migrations } from './migrations.ts';
import { growthName } from './migrations-since-016.ts';
import { keepPrivate } from './private.ts';
import { letRoomGo } from './room.ts';
import type { Db, Tables } from './schema.ts';

export type { Db } from './schema.ts';

/** The data file, open: as queries see it, and as the library does, which alone can copy it. */
export interface OpenData {
  readonly db: Db;
  readonly sqlite: SQLite.Database;
}

/** The data file can't be brought to this release's layout. */
export class MigrationFailed extends Error {
  override readonly name = 'MigrationFailed';
}

/**
 * Opens the data file, making or migrating it as needed. Every commit is on the disk before it
 * returns (`synchronous = FULL`), which the promise of exactly-once rests on.
 *
 * @param told - is called with the bytes of a file before it is written anew, which takes a while for a large one
 */
export async function openDb(file: string, told: (bytes: number) => void = () => undefined): Promise<OpenData> {
  const sqlite = new SQLite(file);
  keepPrivate(file);
  // To be said before the first table is there.
  if (sqlite.pragma('page_count', { simple: true }) === 0) sqlite.pragma('auto_vacuum = INCREMENTAL');
  sqlite.pragma('journal_mode = WAL');
  sqlite.pragma('synchronous = FULL');
  sqlite.pragma('foreign_keys = ON');
  // What is taken out of a page is overwritten with the page.
  sqlite.pragma('secure_delete = FAST');
  sqlite.pragma('busy_timeout = 5000');
  const db = new Kysely<Tables>({ dialect: new SqliteDialect({ database: keepingStatements(sqlite) }) });
  const migrator = new Migrator({ db, provider: { getMigrations: async () => migrations } });
  const { error, results } = await migrator.migrateToLatest();
  if (error) {
    const at = results?.find((one) => one.status === 'Error')?.migrationName;
    if (error instanceof Error && error.message.includes('previously executed migration'))
      throw new MigrationFailed('The data file was written by a newer Golden Relay. Start that one.', { cause: error });
    throw new MigrationFailed(`The data file could not be brought up to date${at ? ` (at ${at})` : ''}.`, {
      cause: error,
    });
  }
  if (results?.some(({ migrationName }) => migrationName === growthName)) letRoomGo(sqlite, told);
  return { db, sqlite };
}

/** Statements kept at the most; lists of different length make different texts. */
const mostStatements = 300;

/**
 * A database that prepares each text once. A run asks the same dozen of questions for every record,
 * and preparing them anew cost a tenth of its time.
 */
function keepingStatements(sqlite: SQLite.Database): SqliteDatabase {
  const kept = new Map<string, SqliteStatement>();
  return {
    close: () => sqlite.close(),
    prepare: (text) => {
      const known = kept.get(text);
      if (known) return known;
      const statement = sqlite.prepare(text) as unknown as SqliteStatement;
      if (kept.size >= mostStatements) kept.clear();
      kept.set(text, statement);
      return statement;
    },
  };
}

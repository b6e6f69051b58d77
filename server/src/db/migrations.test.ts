import { mkdtempSync, rmSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import SQLite from 'better-sqlite3';
import { Kysely, Migrator, SqliteDialect, sql } from 'kysely';
import { migrations } from './migrations.ts';
import { openDb } from './open.ts';

// A data file of the release before accounts: what it knows has to hold afterwards.

let folder: string;
beforeEach(() => {
  folder = mkdtempSync(join(tmpdir(), 'golden-migrations-'));
});
afterEach(() => rmSync(folder, { recursive: true, force: true }));

const at = '2026-11-01T00:00:00.000Z';

/** A data file as the release of this migration left it. */
async function fileOf(last: string): Promise<string> {
  const file = join(folder, 'golden.sqlite');
  const db = new Kysely<unknown>({ dialect: new SqliteDialect({ database: new SQLite(file) }) });
  const names = Object.keys(migrations);
  const then = Object.fromEntries(
    Object.entries(migrations).filter(([name]) => names.indexOf(name) <= names.indexOf(last)),
  );
  const { error } = await new Migrator({ db, provider: { getMigrations: async () => then } }).migrateToLatest();
  if (error) throw error;
  const content = JSON.stringify({ start: { source: { connection: 'shop', path: ['customers'] } } });
  const statements = [
    sql`INSERT INTO connection (id, app, name, settings, status, created_at) VALUES ('shop', 'shop_counter', 'Shop', '{}', 'working', ${at})`,
    sql`INSERT INTO workflow (id, draft, draft_rev, draft_at, live_version, is_on, created_at) VALUES ('w', ${content}, 1, ${at}, 1, 1, ${at})`,
    sql`INSERT INTO workflow_version (workflow_id, number, content, locale, created_at) VALUES ('w', 1, ${content}, '{}', ${at})`,
    sql`INSERT INTO trigger_state (workflow_id, phase, since) VALUES ('w', 'asking', ${at})`,
    sql`INSERT INTO run (id, workflow_id, version, kind, state, started_at, taken_in) VALUES ('r', 'w', 1, 'check', 'done', ${at}, 1)`,
    sql`INSERT INTO seen (workflow_id, source_id, revision, fingerprint, counter, is_taken, run_id) VALUES ('w', '7', 'v1', 'f', 1, 1, 'r')`,
    sql`INSERT INTO item (id, workflow_id, run_id, version, source_id, revision, title, state, item_state, taken_at)
      VALUES ('i', 'w', 'r', 1, '7', 'v1', 'Ada', 'delivered', '{}', ${at})`,
    sql`INSERT INTO journal (item_id, at, kind, content) VALUES ('i', ${at}, 'write', '{}')`,
    sql`INSERT INTO write (token, item_id, step, purpose, connection, place, intent, status, at)
      VALUES ('t', 'i', 's', 'deliver', 'shop', '["customers"]', '{}', 'done', ${at})`,
    sql`INSERT INTO link (id, from_connection, from_place, from_id, to_connection, to_place, to_id, origin, made_at)
      VALUES ('l', 'shop', '["customers"]', '7', 'cards', '["people"]', '3', 'created', ${at})`,
  ];
  for (const statement of statements) await statement.execute(db);
  await db.destroy();
  return file;
}

test('a data file from before accounts keeps all that it knows: each connection begins as its own account', async () => {
  const { db } = await openDb(await fileOf('004_exact'));
  expect(await db.selectFrom('account').select(['id', 'app', 'who']).execute()).toEqual([
    { id: 'shop', app: 'shop_counter', who: null },
  ]);
  expect(await db.selectFrom('connection').select(['id', 'account_id']).execute()).toEqual([
    { id: 'shop', account_id: 'shop' },
  ]);
  const [intake] = await db.selectFrom('intake').selectAll().execute();
  expect(intake).toMatchObject({ account: 'shop', place: '["customers"]', identity: '', phase: 'asking', since: at });
  expect(await db.selectFrom('seen').select(['intake_id', 'source_id', 'is_taken']).execute()).toEqual([
    { intake_id: intake?.id, source_id: '7', is_taken: 1 },
  ]);
  expect(await db.selectFrom('item').select(['id', 'intake_id', 'state', 'claimed']).execute()).toEqual([
    { id: 'i', intake_id: intake?.id, state: 'delivered', claimed: 0 },
  ]);
  expect(await db.selectFrom('journal').select('item_id').execute()).toEqual([{ item_id: 'i' }]);
  expect(await db.selectFrom('write').select(['token', 'account']).execute()).toEqual([
    { token: 't', account: 'shop' },
  ]);
  expect(await db.selectFrom('link').select(['from_account', 'to_account', 'left_gone']).execute()).toEqual([
    { from_account: 'shop', to_account: 'cards', left_gone: 0 },
  ]);
  // References are looked at again afterwards, and hold: with its workflow everything of it goes.
  await db.deleteFrom('workflow').where('id', '=', 'w').execute();
  for (const table of ['item', 'journal', 'write', 'seen', 'intake', 'run'] as const)
    expect(await db.selectFrom(table).selectAll().execute()).toEqual([]);
  await db.destroy();
});

import { isSameValue, type JsonRecord, type MadeOf, type PlannedWrite, readPointer, type Value } from '@golden/core';
import { type Kysely, type Migration, sql } from 'kysely';
import { aSecondYear, aYear, bothWays, growth, growthName, reconciling, undoing } from './migrations-since-016.ts';
import { runAll } from './run-all.ts';
import type { Tables } from './schema.ts';

/** Each migration once, in the order of its name. A released one is never edited. */
export const migrations: Record<string, Migration> = {
  '001_first': { up: first },
  '002_building': { up: building },
  '003_matching': { up: matching },
  '004_exact': { up: exact },
  '005_accounts': { up: accounts },
  '006_parks_and_arrivals': { up: parksAndArrivals },
  '007_last_sent': { up: lastSent },
  '008_listed': { up: (db) => runAll(db, ['ALTER TABLE intake ADD COLUMN listed TEXT']) },
  '009_doors': { up: doors },
  '010_files_and_chosen': { up: filesAndChosen },
  '011_own_writes': { up: ownWrites },
  '012_mails': { up: mails },
  '013_consent': { up: consent },
  '014_asking': { up: asking },
  '015_handing_and_documents': { up: handingAndDocuments },
  '016_reconciling': { up: reconciling },
  '017_undoing': { up: undoing },
  '018_both_ways': { up: bothWays },
  '019_a_year': { up: aYear },
  [growthName]: { up: growth },
  '021_a_second_year': { up: aSecondYear },
};

async function first(db: Kysely<unknown>): Promise<void> {
  const statements = [
    'CREATE TABLE setting (name TEXT PRIMARY KEY, value TEXT NOT NULL)',
    `CREATE TABLE connection (id TEXT PRIMARY KEY, app TEXT NOT NULL, name TEXT NOT NULL, settings TEXT NOT NULL, secret TEXT,
      status TEXT NOT NULL, message TEXT, health TEXT, checked_at TEXT, created_at TEXT NOT NULL)`,
    `CREATE TABLE workflow (id TEXT PRIMARY KEY, draft TEXT NOT NULL, draft_rev INTEGER NOT NULL, draft_at TEXT NOT NULL,
      live_version INTEGER, is_on INTEGER NOT NULL DEFAULT 0, created_at TEXT NOT NULL)`,
    `CREATE TABLE workflow_version (workflow_id TEXT NOT NULL REFERENCES workflow (id) ON DELETE CASCADE, number INTEGER NOT NULL,
      content TEXT NOT NULL, locale TEXT NOT NULL, created_at TEXT NOT NULL, PRIMARY KEY (workflow_id, number))`,
    `CREATE TABLE trigger_state (workflow_id TEXT PRIMARY KEY REFERENCES workflow (id) ON DELETE CASCADE, phase TEXT NOT NULL, since TEXT,
      next_at TEXT, last_checked_at TEXT, message TEXT, is_paused INTEGER NOT NULL DEFAULT 0)`,
    `CREATE TABLE seen (workflow_id TEXT NOT NULL REFERENCES workflow (id) ON DELETE CASCADE, source_id TEXT NOT NULL,
      revision TEXT NOT NULL, fingerprint TEXT NOT NULL, counter INTEGER NOT NULL, is_taken INTEGER NOT NULL, run_id TEXT NOT NULL,
      PRIMARY KEY (workflow_id, source_id)) WITHOUT ROWID`,
    `CREATE TABLE run (id TEXT PRIMARY KEY, workflow_id TEXT NOT NULL REFERENCES workflow (id) ON DELETE CASCADE, version INTEGER NOT NULL,
      kind TEXT NOT NULL, state TEXT NOT NULL, started_at TEXT NOT NULL, ended_at TEXT, in_source INTEGER NOT NULL DEFAULT 0,
      noted_earlier INTEGER NOT NULL DEFAULT 0, taken_in INTEGER NOT NULL DEFAULT 0, repeats INTEGER NOT NULL DEFAULT 0,
      cursor TEXT, since TEXT, high_water TEXT, message TEXT)`,
    'CREATE INDEX run_workflow ON run (workflow_id, started_at)',
    `CREATE TABLE item (seq INTEGER PRIMARY KEY AUTOINCREMENT, id TEXT NOT NULL UNIQUE, workflow_id TEXT NOT NULL REFERENCES workflow (id) ON DELETE CASCADE,
      run_id TEXT NOT NULL REFERENCES run (id) ON DELETE CASCADE, version INTEGER NOT NULL, source_id TEXT NOT NULL, revision TEXT NOT NULL,
      title TEXT NOT NULL, state TEXT NOT NULL, cause TEXT, message TEXT, waits_for TEXT, item_state TEXT NOT NULL, effect TEXT, token TEXT,
      taken_at TEXT NOT NULL, ended_at TEXT, UNIQUE (workflow_id, source_id, revision))`,
    'CREATE INDEX item_run ON item (run_id, state)',
    'CREATE INDEX item_taken ON item (workflow_id, taken_at)',
    "CREATE INDEX item_open ON item (state, cause) WHERE state IN ('running', 'unsettled', 'waiting')",
    `CREATE TABLE journal (id INTEGER PRIMARY KEY AUTOINCREMENT, item_id TEXT NOT NULL REFERENCES item (id) ON DELETE CASCADE, at TEXT NOT NULL,
      kind TEXT NOT NULL, step TEXT, content TEXT NOT NULL)`,
    'CREATE INDEX journal_item ON journal (item_id)',
    `CREATE TABLE write (token TEXT PRIMARY KEY, item_id TEXT NOT NULL REFERENCES item (id) ON DELETE CASCADE, step TEXT NOT NULL, purpose TEXT NOT NULL,
      connection TEXT NOT NULL, place TEXT NOT NULL, intent TEXT NOT NULL, status TEXT NOT NULL, replacement_id TEXT, remote_id TEXT, read TEXT,
      at TEXT NOT NULL, done_at TEXT)`,
    'CREATE INDEX write_item ON write (item_id)',
    'CREATE INDEX write_remote ON write (connection, place, remote_id)',
    `CREATE TABLE replacement (id TEXT PRIMARY KEY, connection TEXT NOT NULL, file TEXT NOT NULL, hash_before TEXT NOT NULL,
      hash_after TEXT NOT NULL, rows TEXT NOT NULL, at TEXT NOT NULL)`,
    `CREATE TABLE sample (workflow_id TEXT NOT NULL REFERENCES workflow (id) ON DELETE CASCADE, source_id TEXT NOT NULL, at INTEGER NOT NULL,
      content TEXT NOT NULL, PRIMARY KEY (workflow_id, source_id))`,
    `CREATE TABLE decision (id TEXT PRIMARY KEY, item_id TEXT NOT NULL REFERENCES item (id) ON DELETE CASCADE, at TEXT NOT NULL, decision TEXT NOT NULL)`,
    `CREATE TABLE rehearsal (workflow_id TEXT PRIMARY KEY REFERENCES workflow (id) ON DELETE CASCADE, scope TEXT NOT NULL, state TEXT NOT NULL,
      draft_rev INTEGER NOT NULL, started_at TEXT NOT NULL, ended_at TEXT, total INTEGER NOT NULL, message TEXT)`,
    `CREATE TABLE rehearsal_item (workflow_id TEXT NOT NULL REFERENCES rehearsal (workflow_id) ON DELETE CASCADE, at INTEGER NOT NULL,
      source_id TEXT NOT NULL, title TEXT NOT NULL, state TEXT NOT NULL, cause TEXT, message TEXT, item_state TEXT NOT NULL,
      PRIMARY KEY (workflow_id, at))`,
  ];
  await runAll(db, statements);
}

/** Folders, kinds of samples, starts that compare with the last value seen, records gathered, why a start waits. */
async function building(db: Kysely<unknown>): Promise<void> {
  await runAll(db, [
    "ALTER TABLE workflow ADD COLUMN folder TEXT NOT NULL DEFAULT ''",
    'ALTER TABLE seen ADD COLUMN kept TEXT',
    'ALTER TABLE seen ADD COLUMN is_gone INTEGER NOT NULL DEFAULT 0',
    'ALTER TABLE run ADD COLUMN note TEXT',
    'ALTER TABLE item ADD COLUMN is_gathered INTEGER NOT NULL DEFAULT 0',
    'ALTER TABLE trigger_state ADD COLUMN cause TEXT',
    'ALTER TABLE trigger_state ADD COLUMN waits_for TEXT',
    "ALTER TABLE sample ADD COLUMN origin TEXT NOT NULL DEFAULT 'real'",
    'ALTER TABLE sample ADD COLUMN is_on_sheet INTEGER',
    'CREATE INDEX item_gathered ON item (workflow_id) WHERE is_gathered = 1',
  ]);
}

/** Links, the copies of places that likeness searches, numbered weights, duplicates and their merging. */
async function matching(db: Kysely<unknown>): Promise<void> {
  await runAll(db, [
    `CREATE TABLE link (id TEXT PRIMARY KEY, from_connection TEXT NOT NULL, from_place TEXT NOT NULL, from_id TEXT NOT NULL,
      to_connection TEXT NOT NULL, to_place TEXT NOT NULL, to_id TEXT NOT NULL, origin TEXT NOT NULL, workflow_id TEXT, probability REAL,
      made_at TEXT NOT NULL, UNIQUE (from_connection, from_place, from_id, to_connection, to_place))`,
    'CREATE INDEX link_to ON link (to_connection, to_place, to_id)',
    `CREATE TABLE mirror (connection TEXT NOT NULL, place TEXT NOT NULL, id TEXT NOT NULL, content TEXT NOT NULL, round INTEGER NOT NULL,
      PRIMARY KEY (connection, place, id)) WITHOUT ROWID`,
    `CREATE TABLE mirror_state (connection TEXT NOT NULL, place TEXT NOT NULL, since TEXT, round INTEGER NOT NULL, listed_at TEXT,
      PRIMARY KEY (connection, place)) WITHOUT ROWID`,
    `CREATE TABLE match_weights (number INTEGER PRIMARY KEY AUTOINCREMENT, connection TEXT NOT NULL, place TEXT NOT NULL, fields TEXT NOT NULL,
      model TEXT NOT NULL, origin TEXT NOT NULL, decisions INTEGER NOT NULL, made_at TEXT NOT NULL)`,
    `CREATE TABLE duplicate_search (id TEXT PRIMARY KEY, connection TEXT, place TEXT, labels TEXT NOT NULL, fields TEXT NOT NULL,
      state TEXT NOT NULL, progress TEXT, figures TEXT, message TEXT, started_at TEXT NOT NULL, ended_at TEXT)`,
    `CREATE TABLE duplicate_group (id TEXT PRIMARY KEY, search_id TEXT NOT NULL REFERENCES duplicate_search (id) ON DELETE CASCADE,
      at INTEGER NOT NULL, probability REAL NOT NULL, is_asked INTEGER NOT NULL, records TEXT NOT NULL, state TEXT NOT NULL, settled TEXT,
      message TEXT, settled_at TEXT)`,
    'CREATE INDEX duplicate_group_search ON duplicate_group (search_id, at)',
    `CREATE TABLE merge (id TEXT PRIMARY KEY, group_id TEXT NOT NULL, connection TEXT NOT NULL, place TEXT NOT NULL, survivor TEXT NOT NULL,
      steps TEXT NOT NULL, done INTEGER NOT NULL, state TEXT NOT NULL, message TEXT, made_at TEXT NOT NULL, ended_at TEXT)`,
    `CREATE TABLE not_same (connection TEXT NOT NULL, place TEXT NOT NULL, one TEXT NOT NULL, other TEXT NOT NULL, at TEXT NOT NULL,
      PRIMARY KEY (connection, place, one, other)) WITHOUT ROWID`,
  ]);
}

/** Claims and waiting, pauses of connections, tokens that are derived, what apps made of what we sent. */
async function exact(db: Kysely<unknown>): Promise<void> {
  await runAll(db, [
    'ALTER TABLE item ADD COLUMN claimed INTEGER NOT NULL DEFAULT 0',
    'ALTER TABLE item ADD COLUMN wake_at TEXT',
    "CREATE INDEX item_lane ON item (workflow_id, seq) WHERE state = 'running' AND claimed = 0",
    "CREATE INDEX item_waiting ON item (waits_for, seq) WHERE state = 'waiting'",
    'ALTER TABLE run ADD COLUMN wake_at TEXT',
    'ALTER TABLE run ADD COLUMN is_marked INTEGER NOT NULL DEFAULT 1',
    "CREATE INDEX run_open ON run (state, workflow_id) WHERE state IN ('listing', 'working')",
    'ALTER TABLE write ADD COLUMN base TEXT',
    'CREATE INDEX write_base ON write (base)',
    "CREATE INDEX write_open ON write (item_id) WHERE status = 'intent'",
    'ALTER TABLE connection ADD COLUMN paused_since TEXT',
    'ALTER TABLE connection ADD COLUMN paused_until TEXT',
    'ALTER TABLE connection ADD COLUMN pause_tries INTEGER NOT NULL DEFAULT 0',
    'ALTER TABLE connection ADD COLUMN pause_reason TEXT',
    `CREATE TABLE last_written (connection TEXT NOT NULL, place TEXT NOT NULL, remote_id TEXT NOT NULL, fields TEXT NOT NULL,
      PRIMARY KEY (connection, place, remote_id)) WITHOUT ROWID`,
  ]);
  await carryOverReadBacks(db as Kysely<Tables>);
}

/** What the last read-back of each record showed is carried over, so that nothing is sent again after the change. */
async function carryOverReadBacks(db: Kysely<Tables>): Promise<void> {
  for (let after = ''; ; ) {
    const rows = await db
      .selectFrom('write')
      .select(['token', 'connection', 'place', 'remote_id', 'intent', 'read'])
      .where('status', '=', 'done')
      .where('purpose', '=', 'deliver')
      .where('read', 'is not', null)
      .where('token', '>', after)
      .orderBy('token')
      .limit(1000)
      .execute();
    for (const { connection, place, remote_id, intent, read } of rows) {
      const made = rewrittenFields(JSON.parse(intent) as PlannedWrite, JSON.parse(read ?? '{}') as JsonRecord);
      if (remote_id === null || Object.keys(made).length === 0) continue;
      // Written as the table was then.
      await sql`INSERT INTO last_written (connection, place, remote_id, fields)
        VALUES (${connection}, ${place}, ${remote_id}, ${JSON.stringify(made)})
        ON CONFLICT DO UPDATE SET fields = excluded.fields`.execute(db);
    }
    const last = rows.at(-1);
    if (!last) return;
    after = last.token;
  }
}

/** What an app made of what was sent, for the fields that it writes its own way. */
function rewrittenFields(write: PlannedWrite, read: JsonRecord): Record<string, MadeOf> {
  const made: Record<string, MadeOf> = {};
  for (const [path, sent] of Object.entries(write.values)) {
    const there: Value = readPointer(read, path) ?? null;
    if (!isSameValue(sent, there, write.types[path] ?? 'text')) made[path] = { sent, read: there };
  }
  return made;
}

/**
 * Accounts: whatever rests on ids of an app carries the account that they are of. Intakes: how far a
 * workflow has listed one place of one account.
 *
 * Until now a connection was taken for its account, so that each begins as an account of its own.
 */
async function accounts(db: Kysely<unknown>): Promise<void> {
  // A table that others refer to can only be laid out anew while nobody looks at references.
  await sql`PRAGMA foreign_keys = OFF`.execute(db);
  await sql`BEGIN IMMEDIATE`.execute(db);
  try {
    await runAll(db, accountStatements);
    const { rows } = await sql`PRAGMA foreign_key_check`.execute(db);
    if (rows.length > 0) throw new Error('References between the tables are broken.');
    await sql`COMMIT`.execute(db);
  } catch (error) {
    await sql`ROLLBACK`.execute(db);
    throw error;
  } finally {
    await sql`PRAGMA foreign_keys = ON`.execute(db);
  }
}

const itemColumns = `seq, id, workflow_id, run_id, version, source_id, revision, title, state, cause, message, waits_for,
  item_state, effect, token, taken_at, ended_at, is_gathered, claimed, wake_at`;

/** The source of the version that is live, or of the draft. */
const sourceOf = (path: string): string => `COALESCE(
  (SELECT json_extract(v.content, '${path}') FROM workflow_version v WHERE v.workflow_id = w.id AND v.number = w.live_version),
  json_extract(w.draft, '${path}'))`;

const accountStatements = [
  `CREATE TABLE account (id TEXT PRIMARY KEY, app TEXT NOT NULL, origin TEXT NOT NULL, who TEXT, is_told INTEGER NOT NULL,
    label TEXT NOT NULL, made_at TEXT NOT NULL)`,
  'CREATE INDEX account_identity ON account (app, origin, who, is_told)',
  'ALTER TABLE connection ADD COLUMN account_id TEXT',
  'ALTER TABLE connection ADD COLUMN asked TEXT',
  `INSERT INTO account (id, app, origin, who, is_told, label, made_at)
    SELECT id, app, '', NULL, 1, COALESCE(json_extract(health, '$.signedInAs'), ''), created_at FROM connection`,
  'UPDATE connection SET account_id = id',
  'ALTER TABLE link ADD COLUMN left_gone INTEGER NOT NULL DEFAULT 0',
  'ALTER TABLE trigger_state ADD COLUMN held TEXT',
  'ALTER TABLE trigger_state ADD COLUMN consent TEXT',
  'ALTER TABLE link RENAME COLUMN from_connection TO from_account',
  'ALTER TABLE link RENAME COLUMN to_connection TO to_account',
  'ALTER TABLE mirror RENAME COLUMN connection TO account',
  'ALTER TABLE mirror_state RENAME COLUMN connection TO account',
  'ALTER TABLE last_written RENAME COLUMN connection TO account',
  'ALTER TABLE not_same RENAME COLUMN connection TO account',
  ...['write', 'replacement', 'merge', 'duplicate_search'].flatMap((table) => [
    `ALTER TABLE ${table} ADD COLUMN account TEXT`,
    `UPDATE ${table} SET account = connection`,
  ]),
  `CREATE TABLE intake (id TEXT PRIMARY KEY, workflow_id TEXT NOT NULL REFERENCES workflow (id) ON DELETE CASCADE,
    account TEXT NOT NULL, place TEXT NOT NULL, identity TEXT NOT NULL, phase TEXT NOT NULL, since TEXT, from_when TEXT,
    epoch INTEGER NOT NULL DEFAULT 0, made_at TEXT NOT NULL, UNIQUE (workflow_id, account, place, identity))`,
  `INSERT INTO intake (id, workflow_id, account, place, identity, phase, since, made_at)
    SELECT w.id, w.id, COALESCE(${sourceOf('$.start.source.connection')}, ''), COALESCE(${sourceOf('$.start.source.path')}, '[]'),
    COALESCE(${sourceOf('$.start.identity')}, ''), COALESCE(t.phase, 'first'), t.since, w.created_at
    FROM workflow w LEFT JOIN trigger_state t ON t.workflow_id = w.id`,
  'ALTER TABLE trigger_state DROP COLUMN phase',
  'ALTER TABLE trigger_state DROP COLUMN since',
  'ALTER TABLE run ADD COLUMN intake_id TEXT',
  'ALTER TABLE run ADD COLUMN epoch INTEGER NOT NULL DEFAULT 0',
  'UPDATE run SET intake_id = workflow_id',
  `CREATE TABLE seen_anew (intake_id TEXT NOT NULL REFERENCES intake (id) ON DELETE CASCADE, source_id TEXT NOT NULL,
    revision TEXT NOT NULL, fingerprint TEXT NOT NULL, counter INTEGER NOT NULL, is_taken INTEGER NOT NULL, run_id TEXT NOT NULL,
    kept TEXT, is_gone INTEGER NOT NULL DEFAULT 0, PRIMARY KEY (intake_id, source_id)) WITHOUT ROWID`,
  `INSERT INTO seen_anew SELECT workflow_id, source_id, revision, fingerprint, counter, is_taken, run_id, kept, is_gone FROM seen`,
  'DROP TABLE seen',
  'ALTER TABLE seen_anew RENAME TO seen',
  `CREATE TABLE item_anew (seq INTEGER PRIMARY KEY AUTOINCREMENT, id TEXT NOT NULL UNIQUE,
    workflow_id TEXT NOT NULL REFERENCES workflow (id) ON DELETE CASCADE, run_id TEXT NOT NULL REFERENCES run (id) ON DELETE CASCADE,
    intake_id TEXT NOT NULL, accounts TEXT NOT NULL, version INTEGER NOT NULL, source_id TEXT NOT NULL, revision TEXT NOT NULL,
    title TEXT NOT NULL, state TEXT NOT NULL, cause TEXT, message TEXT, waits_for TEXT, item_state TEXT NOT NULL, effect TEXT, token TEXT,
    taken_at TEXT NOT NULL, ended_at TEXT, is_gathered INTEGER NOT NULL DEFAULT 0, claimed INTEGER NOT NULL DEFAULT 0, wake_at TEXT,
    UNIQUE (intake_id, source_id, revision))`,
  `INSERT INTO item_anew (${itemColumns}, intake_id, accounts) SELECT ${itemColumns}, workflow_id, '{}' FROM item`,
  'DROP TABLE item',
  'ALTER TABLE item_anew RENAME TO item',
  'CREATE INDEX item_run ON item (run_id, state)',
  'CREATE INDEX item_taken ON item (workflow_id, taken_at)',
  "CREATE INDEX item_open ON item (state, cause) WHERE state IN ('running', 'unsettled', 'waiting')",
  'CREATE INDEX item_gathered ON item (workflow_id) WHERE is_gathered = 1',
  "CREATE INDEX item_lane ON item (workflow_id, seq) WHERE state = 'running' AND claimed = 0",
  "CREATE INDEX item_waiting ON item (waits_for, seq) WHERE state = 'waiting'",
];

/** What items wait for, of which gathering is one use; and what comes by itself. */
async function parksAndArrivals(db: Kysely<unknown>): Promise<void> {
  await runAll(db, [
    `CREATE TABLE park (item_id TEXT PRIMARY KEY REFERENCES item (id) ON DELETE CASCADE, step TEXT NOT NULL, until TEXT, who TEXT,
      token_hash TEXT UNIQUE, holds_later INTEGER NOT NULL, message TEXT NOT NULL, woken TEXT, at TEXT NOT NULL) WITHOUT ROWID`,
    'CREATE INDEX park_until ON park (until) WHERE woken IS NULL',
    'CREATE INDEX park_woken ON park (item_id) WHERE woken IS NOT NULL',
    `CREATE TABLE park_event (event TEXT NOT NULL, item_id TEXT NOT NULL REFERENCES park (item_id) ON DELETE CASCADE,
      PRIMARY KEY (event, item_id)) WITHOUT ROWID`,
    'CREATE INDEX park_event_item ON park_event (item_id)',
    `INSERT INTO park (item_id, step, holds_later, message, at)
      SELECT id, 'start', 1, COALESCE(message, ''), taken_at FROM item WHERE is_gathered = 1`,
    'DROP INDEX item_gathered',
    'ALTER TABLE item DROP COLUMN is_gathered',
    `CREATE TABLE inbox (id TEXT PRIMARY KEY, name TEXT NOT NULL, singular TEXT NOT NULL, plural TEXT NOT NULL, fields TEXT NOT NULL,
      made_at TEXT NOT NULL)`,
    `CREATE TABLE arrival (seq INTEGER PRIMARY KEY AUTOINCREMENT, inbox_id TEXT NOT NULL REFERENCES inbox (id) ON DELETE CASCADE,
      key TEXT NOT NULL, at TEXT NOT NULL, media_type TEXT NOT NULL, headers TEXT NOT NULL, size INTEGER NOT NULL, hash TEXT NOT NULL,
      body BLOB, refused TEXT, repeats INTEGER NOT NULL DEFAULT 0, UNIQUE (inbox_id, key))`,
    'CREATE INDEX arrival_hash ON arrival (hash) WHERE body IS NULL',
  ]);
}

/**
 * What was sent last is kept for each workflow and each field. Until now a value of the source was always
 * written: drafts and versions say so from here on, so that nothing of what is live changes its ways.
 */
async function lastSent(db: Kysely<unknown>): Promise<void> {
  await runAll(db, [
    `CREATE TABLE last_written_anew (account TEXT NOT NULL, place TEXT NOT NULL, remote_id TEXT NOT NULL,
      workflow_id TEXT NOT NULL DEFAULT '', fields TEXT NOT NULL, PRIMARY KEY (account, place, remote_id, workflow_id)) WITHOUT ROWID`,
    'INSERT INTO last_written_anew (account, place, remote_id, fields) SELECT account, place, remote_id, fields FROM last_written',
    'DROP TABLE last_written',
    'ALTER TABLE last_written_anew RENAME TO last_written',
    "ALTER TABLE rehearsal_item ADD COLUMN marks TEXT NOT NULL DEFAULT ''",
    "ALTER TABLE rehearsal ADD COLUMN fingerprint TEXT NOT NULL DEFAULT ''",
  ]);
  await rewriteSteps(db as Kysely<Tables>, 'workflow', 'draft', writesAsBefore);
  await rewriteSteps(db as Kysely<Tables>, 'workflow_version', 'content', writesAsBefore);
}

type StoredStep = Record<string, unknown> & { policies?: Record<string, string>; mapping?: Record<string, unknown> };

/** What a stored step did before it could be chosen: fields without a rule always as the source has them, empties too. */
function writesAsBefore(step: StoredStep): StoredStep {
  if (step['kind'] !== 'write' || step['mode'] !== 'create_or_update') return step;
  const always = Object.keys(step.mapping ?? {}).map((path) => [path, 'always']);
  return { ...step, policies: { ...Object.fromEntries(always), ...step.policies }, empties: 'all' };
}

async function rewriteSteps(
  db: Kysely<Tables>,
  table: 'workflow' | 'workflow_version',
  column: 'draft' | 'content',
  change: (step: StoredStep) => StoredStep,
): Promise<void> {
  const { rows } = await sql<{ at: number; text: string }>`SELECT rowid AS at, ${sql.ref(column)} AS text
    FROM ${sql.table(table)}`.execute(db);
  for (const { at, text } of rows) {
    const content = JSON.parse(text) as { steps?: StoredStep[] };
    if (!Array.isArray(content.steps)) continue;
    const changed = JSON.stringify({ ...content, steps: content.steps.map(change) });
    await sql`UPDATE ${sql.table(table)} SET ${sql.ref(column)} = ${changed} WHERE rowid = ${at}`.execute(db);
  }
}

/**
 * Addresses at which events are posted, what was refused there, and which of what came was only a test; what a person
 * is asked for who begins by hand; and whose runs and records another workflow begins after.
 */
async function doors(db: Kysely<unknown>): Promise<void> {
  await runAll(db, [
    `CREATE TABLE door (inbox_id TEXT PRIMARY KEY REFERENCES inbox (id) ON DELETE CASCADE, address TEXT NOT NULL UNIQUE,
      setting TEXT NOT NULL, secret TEXT, waiting_until TEXT, proven_by TEXT, made_at TEXT NOT NULL) WITHOUT ROWID`,
    `CREATE TABLE door_past (address TEXT PRIMARY KEY, inbox_id TEXT NOT NULL REFERENCES inbox (id) ON DELETE CASCADE,
      ended_at TEXT NOT NULL) WITHOUT ROWID`,
    `CREATE TABLE refusal (seq INTEGER PRIMARY KEY AUTOINCREMENT, inbox_id TEXT REFERENCES inbox (id) ON DELETE CASCADE,
      at TEXT NOT NULL, status INTEGER NOT NULL, reason TEXT NOT NULL, came_from TEXT NOT NULL, method TEXT NOT NULL,
      media_type TEXT NOT NULL, headers TEXT NOT NULL, size INTEGER NOT NULL, body BLOB)`,
    'CREATE INDEX refusal_inbox ON refusal (inbox_id)',
    'ALTER TABLE arrival ADD COLUMN is_test INTEGER NOT NULL DEFAULT 0',
    'CREATE INDEX arrival_body ON arrival (inbox_id, hash, at)',
    'CREATE INDEX arrival_at ON arrival (inbox_id, at)',
    "ALTER TABLE inbox ADD COLUMN asks TEXT NOT NULL DEFAULT '[]'",
    `CREATE TABLE relay (inbox_id TEXT PRIMARY KEY REFERENCES inbox (id) ON DELETE CASCADE,
      workflow_id TEXT NOT NULL REFERENCES workflow (id) ON DELETE CASCADE, moment TEXT NOT NULL) WITHOUT ROWID`,
    'CREATE INDEX relay_workflow ON relay (workflow_id)',
  ]);
}

/** Files that are dropped or appear in a folder; runs over chosen records, and over those that events tell of. */
async function filesAndChosen(db: Kysely<unknown>): Promise<void> {
  await runAll(db, [
    `CREATE TABLE file_start (inbox_id TEXT PRIMARY KEY REFERENCES inbox (id) ON DELETE CASCADE, setting TEXT NOT NULL,
      known TEXT NOT NULL DEFAULT '{}', trouble TEXT) WITHOUT ROWID`,
    `CREATE TABLE file (seq INTEGER PRIMARY KEY AUTOINCREMENT, inbox_id TEXT NOT NULL REFERENCES inbox (id) ON DELETE CASCADE,
      name TEXT NOT NULL, series TEXT NOT NULL, hash TEXT NOT NULL, size INTEGER NOT NULL, at TEXT NOT NULL, came TEXT NOT NULL,
      state TEXT NOT NULL, reason TEXT, plural TEXT, columns TEXT, rows INTEGER NOT NULL DEFAULT 0, added INTEGER NOT NULL DEFAULT 0,
      changed INTEGER NOT NULL DEFAULT 0, same INTEGER NOT NULL DEFAULT 0, twice INTEGER NOT NULL DEFAULT 0,
      refused INTEGER NOT NULL DEFAULT 0, repeats INTEGER NOT NULL DEFAULT 0, is_even_so INTEGER NOT NULL DEFAULT 0,
      is_again INTEGER NOT NULL DEFAULT 0)`,
    'CREATE INDEX file_inbox ON file (inbox_id, series, seq)',
    'CREATE INDEX file_hash ON file (hash)',
    'ALTER TABLE arrival ADD COLUMN file_seq INTEGER',
    'ALTER TABLE arrival ADD COLUMN place TEXT',
    'ALTER TABLE arrival ADD COLUMN record TEXT',
    'ALTER TABLE arrival ADD COLUMN source TEXT',
    'CREATE INDEX arrival_record ON arrival (inbox_id, record, seq) WHERE record IS NOT NULL',
    'CREATE INDEX arrival_source ON arrival (inbox_id, source, seq) WHERE source IS NOT NULL',
    'CREATE INDEX arrival_file ON arrival (file_seq) WHERE file_seq IS NOT NULL',
    'ALTER TABLE run ADD COLUMN wanted TEXT',
    'ALTER TABLE run ADD COLUMN never_posted INTEGER NOT NULL DEFAULT 0',
    'ALTER TABLE trigger_state ADD COLUMN told_seq INTEGER NOT NULL DEFAULT 0',
    `CREATE TABLE told (workflow_id TEXT NOT NULL REFERENCES workflow (id) ON DELETE CASCADE, record_id TEXT NOT NULL, at TEXT NOT NULL,
      tries INTEGER NOT NULL, due_at TEXT, PRIMARY KEY (workflow_id, record_id)) WITHOUT ROWID`,
    'CREATE INDEX told_due ON told (due_at) WHERE due_at IS NOT NULL',
  ]);
}

/**
 * What a write of ours left behind, by which our own changes are told from those of people. Until now they
 * started whatever looks at their place: drafts and versions say so from here on.
 */
async function ownWrites(db: Kysely<unknown>): Promise<void> {
  await runAll(db, [
    'DROP INDEX write_remote',
    'ALTER TABLE write ADD COLUMN left TEXT',
    "UPDATE write SET left = ''",
    "CREATE INDEX write_left ON write (account, place, left) WHERE left IS NULL OR left > ''",
    'ALTER TABLE seen ADD COLUMN seen_at TEXT',
    'ALTER TABLE intake ADD COLUMN listed_at TEXT',
    'ALTER TABLE run ADD COLUMN own INTEGER NOT NULL DEFAULT 0',
    "ALTER TABLE file_start ADD COLUMN own TEXT NOT NULL DEFAULT '[]'",
    `UPDATE file_start SET setting = json_set(setting, '$.watch.takesOwn', json('true'))
      WHERE json_type(setting, '$.watch') = 'object'`,
    ...[
      ['workflow', 'draft'],
      ['workflow_version', 'content'],
    ].map(
      ([table, column]) =>
        `UPDATE ${table} SET ${column} = json_set(${column}, '$.start.takesOwn', json('true'))
          WHERE json_extract(${column}, '$.start.source.connection') IN (SELECT id FROM connection WHERE app <> 'inbox')`,
    ),
  ]);
}

/** Addresses to which mails are sent, one for each inbox that has one; files that go along with mails. */
async function mails(db: Kysely<unknown>): Promise<void> {
  await runAll(db, [
    `CREATE TABLE mail_door (inbox_id TEXT PRIMARY KEY REFERENCES inbox (id) ON DELETE CASCADE, address TEXT NOT NULL UNIQUE,
      setting TEXT NOT NULL, forwarding TEXT, proven_by TEXT, made_at TEXT NOT NULL) WITHOUT ROWID`,
    `CREATE TABLE attachment (name TEXT PRIMARY KEY, media_type TEXT NOT NULL, size INTEGER NOT NULL, hash TEXT NOT NULL,
      at TEXT NOT NULL) WITHOUT ROWID`,
    'CREATE INDEX attachment_hash ON attachment (hash)',
    'ALTER TABLE workflow ADD COLUMN waits_go_on INTEGER NOT NULL DEFAULT 0',
    // Which links of records that wait were used; the links themselves are worked out, and stored nowhere.
    `CREATE TABLE wait_link (item_id TEXT NOT NULL REFERENCES item (id) ON DELETE CASCADE, kind TEXT NOT NULL, at TEXT NOT NULL,
      PRIMARY KEY (item_id, kind)) WITHOUT ROWID`,
    // What ends waits early: the places that are looked at, what happened there, and who waits for it.
    `CREATE TABLE watch (id INTEGER PRIMARY KEY, name TEXT NOT NULL UNIQUE, connection TEXT NOT NULL, account TEXT NOT NULL,
      content TEXT NOT NULL, since TEXT, looked_at TEXT)`,
    `CREATE TABLE happened (watch_id INTEGER NOT NULL REFERENCES watch (id) ON DELETE CASCADE, key TEXT NOT NULL, record TEXT NOT NULL,
      at TEXT NOT NULL, after TEXT NOT NULL, title TEXT NOT NULL, PRIMARY KEY (watch_id, key, record)) WITHOUT ROWID`,
    'CREATE INDEX happened_record ON happened (watch_id, record)',
    `CREATE TABLE park_ending (item_id TEXT NOT NULL REFERENCES park (item_id) ON DELETE CASCADE, watch_id INTEGER NOT NULL REFERENCES watch (id),
      key TEXT NOT NULL, since TEXT NOT NULL, ending TEXT NOT NULL, UNIQUE (item_id, watch_id, key))`,
    'CREATE INDEX park_ending_key ON park_ending (watch_id, key)',
    // What a rehearsal came to is counted as it comes; one from before has no counts and is done again.
    'DELETE FROM rehearsal',
    "ALTER TABLE rehearsal ADD COLUMN counts TEXT NOT NULL DEFAULT '{}'",
  ]);
}

/** Who doesn't want news any more, and what went out to whom. */
async function consent(db: Kysely<unknown>): Promise<void> {
  await runAll(db, [
    `CREATE TABLE unsubscribe (id TEXT PRIMARY KEY, contact TEXT NOT NULL, at TEXT NOT NULL, how TEXT NOT NULL, said TEXT,
      item_id TEXT, taken_back_at TEXT, taken_back_why TEXT) WITHOUT ROWID`,
    'CREATE UNIQUE INDEX unsubscribe_contact ON unsubscribe (contact) WHERE taken_back_at IS NULL',
    'CREATE INDEX unsubscribe_at ON unsubscribe (at, id)',
    // It stays when its workflow is removed: the links in what went out are good for ever.
    `CREATE TABLE sent_message (token TEXT NOT NULL, contact TEXT NOT NULL, purpose TEXT NOT NULL,
      workflow_id TEXT NOT NULL, item_id TEXT NOT NULL, step TEXT NOT NULL, at TEXT NOT NULL, PRIMARY KEY (token, contact)) WITHOUT ROWID`,
    'CREATE INDEX sent_message_contact ON sent_message (contact, at)',
    'CREATE INDEX sent_message_workflow ON sent_message (workflow_id, at)',
    'CREATE INDEX sent_message_item ON sent_message (item_id, step)',
    // The version that is to go on with those who wait, until that is carried out.
    'ALTER TABLE workflow ADD COLUMN takes_over INTEGER',
    // Texts for several workflows, with each version that they had; a workflow holds the words that it was given itself.
    `CREATE TABLE text_template (id TEXT PRIMARY KEY, name TEXT NOT NULL UNIQUE, version INTEGER NOT NULL) WITHOUT ROWID`,
    `CREATE TABLE text_template_version (text_id TEXT NOT NULL REFERENCES text_template (id) ON DELETE CASCADE, number INTEGER NOT NULL,
      text TEXT NOT NULL, at TEXT NOT NULL, PRIMARY KEY (text_id, number)) WITHOUT ROWID`,
    // Asked every second, however many wait for something else.
    "CREATE INDEX park_gathered ON park (item_id) WHERE step = 'start'",
    // Whom an item is about, where its workflow has each person in it once.
    'ALTER TABLE item ADD COLUMN person TEXT',
    "CREATE INDEX item_person ON item (workflow_id, person) WHERE person IS NOT NULL AND state IN ('running', 'unsettled', 'waiting')",
  ]);
}

/** What people are asked, the mails by which they are, and forms. */
async function asking(db: Kysely<unknown>): Promise<void> {
  await runAll(db, [
    // It goes with what its item waits for: what was answered stands among the decisions.
    `CREATE TABLE ask (item_id TEXT PRIMARY KEY REFERENCES park (item_id) ON DELETE CASCADE, workflow_id TEXT NOT NULL, step TEXT NOT NULL,
      asked TEXT NOT NULL, print TEXT NOT NULL, at TEXT NOT NULL, mail_at TEXT) WITHOUT ROWID`,
    'CREATE INDEX ask_step ON ask (workflow_id, step)',
    'CREATE INDEX ask_mail ON ask (mail_at) WHERE mail_at IS NOT NULL',
    `CREATE TABLE ask_letter (id TEXT PRIMARY KEY, workflow_id TEXT NOT NULL REFERENCES workflow (id) ON DELETE CASCADE, step TEXT NOT NULL,
      address TEXT NOT NULL, connection TEXT NOT NULL, is_reminder INTEGER NOT NULL, needs_code INTEGER NOT NULL, at TEXT NOT NULL, expires_at TEXT NOT NULL,
      sent_at TEXT, next_at TEXT, tries INTEGER NOT NULL DEFAULT 0, trouble TEXT, code_mark TEXT, code_until TEXT,
      code_tries INTEGER NOT NULL DEFAULT 0, codes INTEGER NOT NULL DEFAULT 0, session_mark TEXT, session_until TEXT) WITHOUT ROWID`,
    'CREATE INDEX ask_letter_unsent ON ask_letter (next_at) WHERE sent_at IS NULL',
    'CREATE INDEX ask_letter_step ON ask_letter (workflow_id, step)',
    `CREATE TABLE ask_letter_item (letter_id TEXT NOT NULL REFERENCES ask_letter (id) ON DELETE CASCADE,
      item_id TEXT NOT NULL REFERENCES item (id) ON DELETE CASCADE, PRIMARY KEY (letter_id, item_id)) WITHOUT ROWID`,
    'CREATE INDEX ask_letter_item_item ON ask_letter_item (item_id)',
    `CREATE TABLE form (inbox_id TEXT PRIMARY KEY REFERENCES inbox (id) ON DELETE CASCADE, address TEXT NOT NULL UNIQUE,
      setting TEXT NOT NULL, version INTEGER NOT NULL, made_at TEXT NOT NULL) WITHOUT ROWID`,
    `CREATE TABLE form_version (inbox_id TEXT NOT NULL REFERENCES form (inbox_id) ON DELETE CASCADE, number INTEGER NOT NULL,
      setting TEXT NOT NULL, at TEXT NOT NULL, PRIMARY KEY (inbox_id, number)) WITHOUT ROWID`,
    `CREATE TABLE form_file (id TEXT PRIMARY KEY, inbox_id TEXT NOT NULL REFERENCES inbox (id) ON DELETE CASCADE, name TEXT NOT NULL,
      media_type TEXT NOT NULL, size INTEGER NOT NULL, hash TEXT NOT NULL, at TEXT NOT NULL) WITHOUT ROWID`,
    'CREATE INDEX form_file_hash ON form_file (hash)',
    'CREATE INDEX decision_item ON decision (item_id)',
  ]);
}

/**
 * What is handed over from workflow to workflow. Where it stands the data file keeps itself, whatever moves its item:
 * so no way of moving one can forget whoever waits for it.
 */
async function handingOver(db: Kysely<unknown>): Promise<void> {
  const isOpen = "state IN ('handed', 'running', 'waiting', 'unsettled')";
  await runAll(db, [
    'ALTER TABLE arrival ADD COLUMN is_handed INTEGER NOT NULL DEFAULT 0',
    // Each entry of an index ends with the number of its row: a page of an inbox begins where the last one ended.
    'CREATE INDEX arrival_inbox ON arrival (inbox_id)',
    `CREATE TABLE handed (parent_id TEXT NOT NULL REFERENCES item (id) ON DELETE CASCADE, step TEXT NOT NULL, turn INTEGER NOT NULL,
      inbox_id TEXT NOT NULL REFERENCES inbox (id) ON DELETE CASCADE, key TEXT NOT NULL, child_id TEXT,
      state TEXT NOT NULL DEFAULT 'handed', PRIMARY KEY (parent_id, step, turn)) WITHOUT ROWID`,
    `CREATE TABLE write_call (token TEXT PRIMARY KEY REFERENCES write (token) ON DELETE CASCADE, call_id TEXT NOT NULL, at INTEGER NOT NULL) WITHOUT ROWID`,
    'CREATE INDEX write_call_id ON write_call (call_id, at)',
    'CREATE UNIQUE INDEX handed_key ON handed (inbox_id, key)',
    'CREATE INDEX handed_child ON handed (child_id) WHERE child_id IS NOT NULL',
    `CREATE INDEX handed_open ON handed (parent_id, step) WHERE ${isOpen}`,
    `CREATE TRIGGER item_handed AFTER UPDATE OF state ON item WHEN NEW.state <> OLD.state BEGIN
      UPDATE handed SET state = NEW.state WHERE child_id = NEW.id;
    END`,
    `CREATE TRIGGER item_handed_gone AFTER DELETE ON item BEGIN
      UPDATE handed SET state = 'cancelled' WHERE child_id = OLD.id AND ${isOpen};
    END`,
    // Whoever waits looks anew when one comes to need a person, needs none any more, or is the last.
    `CREATE TRIGGER handed_moved AFTER UPDATE OF state ON handed WHEN NEW.state <> OLD.state BEGIN
      UPDATE park SET woken = '{"kind":"event","event":"handed"}'
      WHERE item_id = NEW.parent_id AND step = NEW.step AND woken IS NULL AND (NEW.state = 'unsettled' OR OLD.state = 'unsettled'
        OR NOT EXISTS (SELECT 1 FROM handed AS other WHERE other.parent_id = NEW.parent_id AND other.step = NEW.step
          AND other.${isOpen}));
    END`,
  ]);
}

async function handingAndDocuments(db: Kysely<unknown>): Promise<void> {
  await handingOver(db);
  await documents(db);
}

/** Templates with their editions, and the documents that were made of them, each known by the token of its write. */
async function documents(db: Kysely<unknown>): Promise<void> {
  await runAll(db, [
    'CREATE TABLE document_template (id TEXT PRIMARY KEY, name TEXT NOT NULL, newest INTEGER NOT NULL, removed_at TEXT) WITHOUT ROWID',
    'CREATE UNIQUE INDEX document_template_name ON document_template (name) WHERE removed_at IS NULL',
    `CREATE TABLE document_edition (template_id TEXT NOT NULL REFERENCES document_template (id), number INTEGER NOT NULL,
      ending TEXT NOT NULL, hash TEXT NOT NULL, fields TEXT NOT NULL, at TEXT NOT NULL, PRIMARY KEY (template_id, number)) WITHOUT ROWID`,
    'CREATE INDEX document_edition_hash ON document_edition (hash)',
    `CREATE TABLE document (token TEXT PRIMARY KEY, template_id TEXT NOT NULL, edition INTEGER NOT NULL, folder TEXT NOT NULL,
      name TEXT NOT NULL, same_name TEXT NOT NULL, hash TEXT NOT NULL, size INTEGER NOT NULL, given TEXT NOT NULL, at TEXT NOT NULL, made_at TEXT) WITHOUT ROWID`,
    'CREATE UNIQUE INDEX document_name ON document (folder, same_name)',
    'CREATE INDEX document_hash ON document (hash)',
  ]);
}

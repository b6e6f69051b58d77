import type { Kysely } from 'kysely';
import { runAll } from './run-all.ts';

// The newer migrations; which there are, and in which order, `migrations.ts` says.

/** Comparisons of two places, what the last look found, and the workflows that put it right. */
export async function reconciling(db: Kysely<unknown>): Promise<void> {
  await runAll(db, [
    `CREATE TABLE reconcile (id TEXT PRIMARY KEY, name TEXT NOT NULL, setting TEXT NOT NULL, state TEXT NOT NULL, progress TEXT,
      figures TEXT, message TEXT, made_at TEXT NOT NULL, started_at TEXT, ended_at TEXT, daily_at TEXT, next_at TEXT) WITHOUT ROWID`,
    `CREATE TABLE reconcile_row (reconcile_id TEXT NOT NULL REFERENCES reconcile (id) ON DELETE CASCADE, at INTEGER NOT NULL,
      kind TEXT NOT NULL, title TEXT NOT NULL, fields TEXT NOT NULL, found TEXT NOT NULL, PRIMARY KEY (reconcile_id, at)) WITHOUT ROWID`,
    'CREATE INDEX reconcile_row_kind ON reconcile_row (reconcile_id, kind, at)',
    `CREATE TABLE repair (id TEXT PRIMARY KEY, reconcile_id TEXT NOT NULL REFERENCES reconcile (id) ON DELETE CASCADE,
      workflow_id TEXT NOT NULL REFERENCES workflow (id) ON DELETE CASCADE, ids TEXT NOT NULL, run_id TEXT, made_at TEXT NOT NULL) WITHOUT ROWID`,
    'CREATE INDEX repair_reconcile ON repair (reconcile_id)',
    'CREATE INDEX repair_workflow ON repair (workflow_id)',
  ]);
  await recordWords(db);
}

/**
 * The words by which records are found. Which item is to be taken in anew the data file notes itself, whatever moves
 * it; the words are made afterwards (`RecordIndex`), so that no run waits for them.
 */
async function recordWords(db: Kysely<unknown>): Promise<void> {
  await runAll(db, [
    `CREATE VIRTUAL TABLE record_words USING fts5(words, content='', contentless_delete=1, detail=none,
      tokenize='unicode61 remove_diacritics 0')`,
    'CREATE TABLE record_due (seq INTEGER PRIMARY KEY)',
    'INSERT INTO record_due SELECT seq FROM item',
    'CREATE TRIGGER item_words AFTER INSERT ON item BEGIN INSERT OR IGNORE INTO record_due VALUES (NEW.seq); END',
    // What it has found and written is known when it stands still.
    `CREATE TRIGGER item_words_anew AFTER UPDATE OF state ON item WHEN NEW.state <> OLD.state AND NEW.state <> 'running' BEGIN
      INSERT OR IGNORE INTO record_due VALUES (NEW.seq);
    END`,
    `CREATE TRIGGER item_words_gone AFTER DELETE ON item BEGIN
      DELETE FROM record_due WHERE seq = OLD.seq;
      DELETE FROM record_words WHERE rowid = OLD.seq;
    END`,
    'CREATE INDEX write_remote_account ON write (account, place, remote_id)',
  ]);
}

/** What was taken back is told apart from what was stopped; and the undoing of whole runs, record by record. */
export async function undoing(db: Kysely<unknown>): Promise<void> {
  await runAll(db, [
    "UPDATE item SET state = 'undone' WHERE state = 'cancelled' AND message = 'Taken back.'",
    `CREATE TABLE undo (id TEXT PRIMARY KEY, workflow_id TEXT NOT NULL REFERENCES workflow (id) ON DELETE CASCADE,
      run_id TEXT NOT NULL, state TEXT NOT NULL, message TEXT, wish TEXT, made_at TEXT NOT NULL, started_at TEXT,
      ended_at TEXT) WITHOUT ROWID`,
    'CREATE INDEX undo_run ON undo (run_id, made_at)',
    "CREATE INDEX undo_open ON undo (state) WHERE state IN ('looking', 'undoing', 'waiting')",
    `CREATE TABLE undo_row (undo_id TEXT NOT NULL REFERENCES undo (id) ON DELETE CASCADE, at INTEGER NOT NULL,
      item_id TEXT NOT NULL, source_id TEXT NOT NULL, title TEXT NOT NULL, kind TEXT NOT NULL, found TEXT NOT NULL,
      state TEXT NOT NULL, message TEXT, PRIMARY KEY (undo_id, at)) WITHOUT ROWID`,
    'CREATE INDEX undo_row_kind ON undo_row (undo_id, kind, at)',
    'CREATE INDEX undo_row_state ON undo_row (undo_id, state, at)',
  ]);
}

/** Two places that are kept in step both ways, by a workflow for each direction; and through which places news came. */
export async function bothWays(db: Kysely<unknown>): Promise<void> {
  await runAll(db, [
    `CREATE TABLE in_step (id TEXT PRIMARY KEY, name TEXT NOT NULL, setting TEXT NOT NULL,
      there_id TEXT NOT NULL REFERENCES workflow (id) ON DELETE CASCADE,
      here_id TEXT NOT NULL REFERENCES workflow (id) ON DELETE CASCADE,
      removed_here_id TEXT REFERENCES workflow (id) ON DELETE SET NULL,
      removed_there_id TEXT REFERENCES workflow (id) ON DELETE SET NULL, made_at TEXT NOT NULL) WITHOUT ROWID`,
    'CREATE INDEX in_step_there ON in_step (there_id)',
    'CREATE INDEX in_step_here ON in_step (here_id)',
    'CREATE INDEX in_step_removed_here ON in_step (removed_here_id) WHERE removed_here_id IS NOT NULL',
    'CREATE INDEX in_step_removed_there ON in_step (removed_there_id) WHERE removed_there_id IS NOT NULL',
    'ALTER TABLE item ADD COLUMN passed TEXT',
  ]);
}

/**
 * After a year of use: what lists count is read from indexes alone, since an item's row is long; a workflow that is
 * removed goes piece by piece, hidden meanwhile.
 */
export async function aYear(db: Kysely<unknown>): Promise<void> {
  await runAll(db, [
    'DROP INDEX item_taken',
    'CREATE INDEX item_taken ON item (workflow_id, taken_at, state)',
    "CREATE INDEX item_unsettled ON item (cause, workflow_id, waits_for, run_id, taken_at) WHERE state = 'unsettled'",
    'DROP INDEX item_waiting',
    "CREATE INDEX item_waiting ON item (waits_for, seq, workflow_id) WHERE state = 'waiting'",
    // Who starts lets go of what its process had claimed, without looking at all that ever came.
    'CREATE INDEX item_claimed ON item (claimed) WHERE claimed = 1',
    'CREATE INDEX undo_workflow ON undo (workflow_id)',
    'CREATE TABLE removed_workflow (id TEXT PRIMARY KEY REFERENCES workflow (id) ON DELETE CASCADE) WITHOUT ROWID',
  ]);
}

/** With it a data file is written anew once, so that it can give its room back. */
export const growthName = '020_growth';

/**
 * Of an item with many turns only what has changed is stored while it is under way; what it is then is in its row. And
 * what records held goes after the days in the settings: which have it still is read from an index.
 */
export async function growth(db: Kysely<unknown>): Promise<void> {
  await runAll(db, [
    `CREATE TABLE item_change (id INTEGER PRIMARY KEY, item_id TEXT NOT NULL REFERENCES item (id) ON DELETE CASCADE,
      change TEXT NOT NULL, effect TEXT)`,
    'CREATE INDEX item_change_item ON item_change (item_id)',
    'ALTER TABLE item ADD COLUMN emptied_at TEXT',
    `CREATE INDEX item_full ON item (coalesce(ended_at, taken_at), seq) WHERE emptied_at IS NULL
      AND state IN ('delivered', 'left_out', 'dismissed', 'cancelled', 'undone')`,
    'ALTER TABLE arrival ADD COLUMN emptied_at TEXT',
    // Its parts are joined beside the runs, a few pages at once, and never within a commit.
    "INSERT INTO record_words (record_words, rank) VALUES ('automerge', 0), ('crisismerge', 1000)",
    `CREATE TABLE mirror_index (name TEXT PRIMARY KEY, account TEXT NOT NULL, place TEXT NOT NULL, fields TEXT NOT NULL,
      weights INTEGER, used_at TEXT NOT NULL) WITHOUT ROWID`,
    // A record's items are found by its place and id, not by looking at all that ever came.
    'CREATE INDEX intake_place ON intake (account, place)',
    'CREATE INDEX link_made ON link (made_at DESC, id)',
    'CREATE INDEX link_workflow ON link (workflow_id, made_at DESC, id)',
    'CREATE INDEX arrival_full ON arrival (at, seq) WHERE emptied_at IS NULL',
  ]);
}

/**
 * The index of a copy is stored beside the data file: what has changed in the copy since is found by number, and which
 * stored one belongs to the copy is said in its row, so that one from before a restored backup is never taken. And files
 * that came go after the days in the settings.
 */
export async function aSecondYear(db: Kysely<unknown>): Promise<void> {
  await runAll(db, [
    'ALTER TABLE mirror ADD COLUMN changed INTEGER NOT NULL DEFAULT 0',
    'ALTER TABLE mirror_state ADD COLUMN changes INTEGER NOT NULL DEFAULT 0',
    'CREATE INDEX mirror_changed ON mirror (account, place, changed)',
    'ALTER TABLE mirror_index ADD COLUMN stored_as TEXT',
    'ALTER TABLE mirror_index ADD COLUMN stored_to INTEGER',
    'ALTER TABLE file ADD COLUMN emptied_at TEXT',
    'CREATE INDEX file_full ON file (at) WHERE emptied_at IS NULL',
  ]);
}

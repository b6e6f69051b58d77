import Database from 'better-sqlite3';
import { type Kept, RecordTable } from '../kit/records.ts';

/** A part of the website, such as "What people say". */
export interface Section {
  readonly name: string;
}

/** What stands in a section, for all to see once it is shown. */
export interface Entry {
  readonly section: number;
  readonly title: string;
  readonly text: string;
  readonly author: string | null;
  readonly link: string | null;
  readonly state: 'hidden' | 'shown';
}

/** Somewhere somebody wrote of the shop. */
export interface Mention {
  readonly where: string;
  readonly author: string;
  readonly text: string;
  readonly link: string;
}

/** The Window display's own data file. */
export class WindowStore {
  readonly sections: RecordTable<Section>;
  readonly entries: RecordTable<Entry>;
  readonly mentions: RecordTable<Mention>;
  private readonly db: Database.Database;

  constructor(file: string) {
    this.db = new Database(file);
    this.db.pragma('journal_mode = WAL');
    this.db.exec(`CREATE TABLE IF NOT EXISTS done (key TEXT PRIMARY KEY, entry INTEGER NOT NULL);
      CREATE TABLE IF NOT EXISTS done_call (key TEXT PRIMARY KEY, answer TEXT NOT NULL)`);
    this.sections = new RecordTable<Section>(this.db, 'section', ['name'], 180_001);
    this.entries = new RecordTable<Entry>(this.db, 'entry', ['section', 'link'], 181_001);
    this.mentions = new RecordTable<Mention>(this.db, 'mention', ['link'], 182_001);
  }

  close(): void {
    this.db.close();
  }

  /** What a call with a key was answered; the same key gets the same answer, and nothing is done again. */
  answerOnce<T>(key: string | undefined, work: () => T): T {
    const known =
      key && (this.db.prepare('SELECT answer FROM done_call WHERE key = ?').get(key) as { answer: string } | undefined);
    if (known) return JSON.parse(known.answer) as T;
    const answer = work();
    if (key) this.db.prepare('INSERT INTO done_call (key, answer) VALUES (?, ?)').run(key, JSON.stringify(answer));
    return answer;
  }

  /** Adds an entry once for a key; the same key gives the same entry. */
  addOnce(key: string | undefined, entry: Entry): Entry & Kept {
    const known = key && (this.db.prepare('SELECT entry FROM done WHERE key = ?').get(key) as { entry: number });
    const before = known ? this.entries.get(known.entry) : undefined;
    if (before) return before;
    const made = this.entries.add(entry);
    if (key) this.db.prepare('INSERT OR REPLACE INTO done (key, entry) VALUES (?, ?)').run(key, made.id);
    return made;
  }
}

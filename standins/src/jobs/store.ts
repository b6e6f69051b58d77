import Database from 'better-sqlite3';
import { type Kept, RecordTable } from '../kit/records.ts';
import { standardSigning } from '../kit/standard-signing.ts';
import { Webhooks } from '../kit/webhooks.ts';

export interface Department {
  readonly id: string;
  readonly name: string;
}

/** Where tasks stand: a board of a department, with its columns from left to right. */
export interface Board {
  readonly id: string;
  readonly department: string;
  readonly name: string;
  readonly columns: readonly string[];
}

/** Somebody who does tasks; only their mails become tasks. */
export interface Person {
  readonly email: string;
  readonly name: string;
}

export interface Task {
  readonly board: string;
  readonly title: string;
  readonly notes: string | null;
  readonly column: string;
  /** The name of who does it. */
  readonly person: string | null;
  /** A day, YYYY-MM-DD. */
  readonly due: string | null;
  /** The Message-ID of the mail that it was made of. */
  readonly mailId: string | null;
}

export type KeptTask = Task & Kept;

/** A mail of which no task was made. */
export interface LostMail {
  readonly board: string;
  readonly sender: string;
  readonly subject: string;
  readonly at: string;
}

/** The Job board's own data file. */
export class JobStore {
  readonly tasks: RecordTable<Task>;
  readonly webhooks: Webhooks;
  private readonly db: Database.Database;

  constructor(file: string) {
    this.db = new Database(file);
    this.db.pragma('journal_mode = WAL');
    this.db.exec(`CREATE TABLE IF NOT EXISTS department (id TEXT PRIMARY KEY, name TEXT NOT NULL);
      CREATE TABLE IF NOT EXISTS board (id TEXT PRIMARY KEY, department TEXT NOT NULL, name TEXT NOT NULL, columns TEXT NOT NULL);
      CREATE TABLE IF NOT EXISTS person (email TEXT PRIMARY KEY, name TEXT NOT NULL);
      CREATE TABLE IF NOT EXISTS lost_mail (board TEXT NOT NULL, sender TEXT NOT NULL, subject TEXT NOT NULL, at TEXT NOT NULL)`);
    this.tasks = new RecordTable<Task>(this.db, 'task', ['board', 'mailId'], 90_001);
    this.webhooks = new Webhooks(this.db, standardSigning);
  }

  close(): void {
    this.db.close();
  }

  departments(): Department[] {
    return this.db.prepare('SELECT * FROM department ORDER BY rowid').all() as Department[];
  }

  addDepartment({ id, name }: Department): void {
    this.db.prepare('INSERT INTO department (id, name) VALUES (?, ?)').run(id, name);
  }

  boards(department?: string): Board[] {
    const rows = this.db.prepare('SELECT * FROM board ORDER BY rowid').all() as (Omit<Board, 'columns'> & {
      columns: string;
    })[];
    return rows
      .filter((row) => department === undefined || row.department === department)
      .map((row) => ({ ...row, columns: JSON.parse(row.columns) as string[] }));
  }

  board(id: string): Board | undefined {
    return this.boards().find((one) => one.id === id);
  }

  addBoard({ id, department, name, columns }: Board): void {
    this.db
      .prepare('INSERT INTO board (id, department, name, columns) VALUES (?, ?, ?, ?)')
      .run(id, department, name, JSON.stringify(columns));
  }

  people(): Person[] {
    return this.db.prepare('SELECT * FROM person ORDER BY rowid').all() as Person[];
  }

  addPerson({ email, name }: Person): void {
    this.db.prepare('INSERT OR REPLACE INTO person (email, name) VALUES (?, ?)').run(email.toLowerCase(), name);
  }

  /** A task is kept, and told to those who asked. */
  add(task: Task, at?: string): KeptTask {
    const kept = this.tasks.add(task, at);
    this.webhooks.post(`${task.board}.task`, { type: 'task.added', task: shown(kept) });
    return kept;
  }

  change(id: number, change: Partial<Task>): KeptTask | undefined {
    const kept = this.tasks.change(id, change);
    if (kept) this.webhooks.post(`${kept.board}.task`, { type: 'task.changed', task: shown(kept) });
    return kept;
  }

  /** Mails of which no task was made, the newest first. */
  lostMails(): LostMail[] {
    return this.db.prepare('SELECT * FROM lost_mail ORDER BY rowid DESC LIMIT 50').all() as LostMail[];
  }

  addLostMail({ board, sender, subject, at }: LostMail): void {
    this.db
      .prepare('INSERT INTO lost_mail (board, sender, subject, at) VALUES (?, ?, ?, ?)')
      .run(board, sender, subject, at);
  }
}

/** A task as programs see it. */
export const shown = ({ id, created_at, updated_at, ...task }: KeptTask): object => ({
  id: String(id),
  ...task,
  addedAt: created_at,
  changedAt: updated_at,
});

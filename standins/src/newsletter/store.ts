import Database from 'better-sqlite3';
import { type Kept, RecordTable } from '../kit/records.ts';
import { standardSigning } from '../kit/standard-signing.ts';
import { Webhooks } from '../kit/webhooks.ts';

/** Somebody who unsubscribed, or whose mails come back, gets no more of them. */
export const subscriberStatuses = ['subscribed', 'unsubscribed', 'bounced'] as const;
export type SubscriberStatus = (typeof subscriberStatuses)[number];

/** One to whom a newsletter goes, or went. */
export interface Subscriber {
  readonly list: string;
  readonly email: string;
  readonly name: string | null;
  readonly status: SubscriberStatus;
  /** When their status changed last. */
  readonly status_at: string;
  /** What the business keeps of them besides, by the names of its own fields. */
  readonly own: Readonly<Record<string, string | null>>;
}

/** Where subscribers stand. */
export interface NewsList {
  readonly id: string;
  readonly name: string;
}

/** The Newsletter list's own data file. */
export class NewsletterStore {
  readonly subscribers: RecordTable<Subscriber>;
  readonly webhooks: Webhooks;
  private readonly db: Database.Database;

  constructor(file: string) {
    this.db = new Database(file);
    this.db.pragma('journal_mode = WAL');
    this.db.exec(`CREATE TABLE IF NOT EXISTS list (id TEXT PRIMARY KEY, name TEXT NOT NULL);
      CREATE TABLE IF NOT EXISTS own_field (name TEXT PRIMARY KEY)`);
    this.subscribers = new RecordTable<Subscriber>(this.db, 'subscriber', ['list', 'email'], 130_001);
    this.webhooks = new Webhooks(this.db, standardSigning);
  }

  close(): void {
    this.db.close();
  }

  lists(): NewsList[] {
    return this.db.prepare('SELECT * FROM list ORDER BY rowid').all() as NewsList[];
  }

  addList(id: string, name: string): void {
    this.db.prepare('INSERT INTO list (id, name) VALUES (?, ?)').run(id, name);
  }

  /** The fields that the business has made for itself. */
  ownFields(): string[] {
    return (this.db.prepare('SELECT name FROM own_field ORDER BY rowid').all() as { name: string }[]).map(
      ({ name }) => name,
    );
  }

  addOwnField(name: string): void {
    this.db.prepare('INSERT OR IGNORE INTO own_field (name) VALUES (?)').run(name);
  }

  /** Who has this address on a list. */
  withEmail(list: string, email: string): (Subscriber & Kept) | undefined {
    return this.subscribers.list({ list, email }, { limit: 1 })[0];
  }

  add(given: Omit<Subscriber, 'status_at'>, at = new Date().toISOString()): Subscriber & Kept {
    const kept = this.subscribers.add({ ...given, status_at: at }, at);
    this.tell(kept);
    return kept;
  }

  change(id: number, change: Partial<Omit<Subscriber, 'status_at'>>): (Subscriber & Kept) | undefined {
    const before = this.subscribers.get(id);
    const isOther = change.status !== undefined && change.status !== before?.status;
    const kept = this.subscribers.change(id, { ...change, ...(isOther && { status_at: new Date().toISOString() }) });
    if (kept) this.tell(kept);
    return kept;
  }

  private tell(kept: Subscriber & Kept): void {
    this.webhooks.post(`${kept.list}.subscriber`, { type: 'subscriber.changed', subscriber: shown(kept) });
  }
}

/** A subscriber as programs see them. */
export const shown = ({
  id,
  list,
  email,
  name,
  status,
  status_at,
  own,
  created_at,
  updated_at,
}: Subscriber & Kept) => ({
  id: String(id),
  list,
  email,
  name,
  status,
  status_since: status_at,
  own,
  joined_at: created_at,
  changed_at: updated_at,
});

import Database from 'better-sqlite3';
import { type Kept, RecordTable } from '../kit/records.ts';
import { standardSigning } from '../kit/standard-signing.ts';
import { Webhooks } from '../kit/webhooks.ts';

/** Where messages stand. */
export interface Channel {
  readonly id: string;
  readonly name: string;
}

export interface Message {
  readonly channel: string;
  readonly author: string;
  readonly text: string;
}

/** The Notice board's own data file. */
export class NoticeStore {
  readonly messages: RecordTable<Message>;
  readonly webhooks: Webhooks;
  private readonly db: Database.Database;

  constructor(file: string) {
    this.db = new Database(file);
    this.db.pragma('journal_mode = WAL');
    this.db.exec('CREATE TABLE IF NOT EXISTS channel (id TEXT PRIMARY KEY, name TEXT NOT NULL)');
    this.messages = new RecordTable<Message>(this.db, 'message', ['channel'], 80_001);
    this.webhooks = new Webhooks(this.db, standardSigning);
  }

  close(): void {
    this.db.close();
  }

  channels(): Channel[] {
    return this.db.prepare('SELECT * FROM channel ORDER BY rowid').all() as Channel[];
  }

  addChannel(id: string, name: string): void {
    this.db.prepare('INSERT INTO channel (id, name) VALUES (?, ?)').run(id, name);
  }

  /** Somebody has written a message: it is kept, and told to those who asked. */
  write(message: Message, at?: string): Message & Kept {
    const kept = this.messages.add(message, at);
    this.webhooks.post(`${message.channel}.message`, { type: 'message.added', message: shown(kept) });
    return kept;
  }
}

/** A message as programs see it. */
export const shown = ({ id, channel, author, text, created_at, updated_at }: Message & Kept): object => ({
  id: String(id),
  channel,
  author,
  text,
  posted_at: created_at,
  edited_at: updated_at,
});

import Database from 'better-sqlite3';
import { type Kept, RecordTable } from '../kit/records.ts';
import { standardSigning } from '../kit/standard-signing.ts';
import { Webhooks } from '../kit/webhooks.ts';

/** A text message to a phone, or from one. */
export interface PocketMessage {
  /** The phone at the other end, in E.164. */
  readonly phone: string;
  readonly way: 'out' | 'in';
  readonly text: string;
  /** By which a request that comes twice is done once. */
  readonly idempotency_key: string | null;
}

/** Pocket messages' own data file. */
export class PocketStore {
  readonly messages: RecordTable<PocketMessage>;
  readonly webhooks: Webhooks;
  private readonly db: Database.Database;

  constructor(file: string) {
    this.db = new Database(file);
    this.db.pragma('journal_mode = WAL');
    this.messages = new RecordTable<PocketMessage>(this.db, 'message', ['phone', 'way', 'idempotency_key'], 120_001);
    this.webhooks = new Webhooks(this.db, standardSigning);
  }

  close(): void {
    this.db.close();
  }

  /** The phones that were written to or have written, each with its last message, the newest first. */
  phones(): (PocketMessage & Kept)[] {
    const seen = new Map<string, PocketMessage & Kept>();
    for (const one of this.messages.list({}, { limit: 5000, newestFirst: true }))
      if (!seen.has(one.phone)) seen.set(one.phone, one);
    return [...seen.values()];
  }

  /** Sends a message; one that was asked for under the same key before is given as it was sent then. */
  send(phone: string, text: string, key: string | undefined): PocketMessage & Kept {
    const [known] = key === undefined ? [] : this.messages.list({ idempotency_key: key }, { limit: 1 });
    return known ?? this.messages.add({ phone, way: 'out', text, idempotency_key: key ?? null });
  }

  /** Somebody answers from their phone: it is kept, and told to those who asked. */
  answer(phone: string, text: string): PocketMessage & Kept {
    const kept = this.messages.add({ phone, way: 'in', text, idempotency_key: null });
    this.webhooks.post('replies.received', { type: 'replies.received', reply: shownReply(kept) });
    return kept;
  }
}

/** A message that was sent, as programs see it. */
export const shownMessage = ({ id, phone, text, created_at }: PocketMessage & Kept): object => ({
  id: String(id),
  phone,
  text,
  sent_at: created_at,
});

/** An answer, as programs see it. */
export const shownReply = ({ id, phone, text, created_at }: PocketMessage & Kept): object => ({
  id: String(id),
  from: phone,
  text,
  received_at: created_at,
});

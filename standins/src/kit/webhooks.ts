import { randomUUID } from 'node:crypto';
import type Database from 'better-sqlite3';

/** Somebody who asked to be told. */
export interface Subscription {
  readonly id: number;
  readonly url: string;
  /** Such as `orders.added`; empty for all. */
  readonly events: readonly string[];
  readonly secret: string;
}

/** How an app signs what it posts. */
export interface Signing {
  newSecret(): string;
  /** The headers of a message: its id, its time, its signature. */
  headers(secret: string, id: string, timestamp: number, body: string): Readonly<Record<string, string>>;
}

const pauses = [0, 500, 2000];

/** Tells those who asked of what happens in an app, signed, three times at most. */
export class Webhooks {
  private readonly underWay = new Set<Promise<void>>();

  constructor(
    private readonly db: Database.Database,
    private readonly signing: Signing,
  ) {
    db.exec(
      'CREATE TABLE IF NOT EXISTS webhook (id INTEGER PRIMARY KEY, url TEXT NOT NULL, events TEXT NOT NULL, secret TEXT NOT NULL)',
    );
  }

  list(): Subscription[] {
    const rows = this.db.prepare('SELECT * FROM webhook ORDER BY id').all() as (Omit<Subscription, 'events'> & {
      events: string;
    })[];
    return rows.map((row) => ({ ...row, events: JSON.parse(row.events) as string[] }));
  }

  /** Keeps a subscription; its secret is told this once. */
  add(url: string, events: readonly string[]): Subscription {
    const secret = this.signing.newSecret();
    const { lastInsertRowid } = this.db
      .prepare('INSERT INTO webhook (url, events, secret) VALUES (?, ?, ?)')
      .run(url, JSON.stringify(events), secret);
    return { id: Number(lastInsertRowid), url, events, secret };
  }

  remove(id: number): boolean {
    return this.db.prepare('DELETE FROM webhook WHERE id = ?').run(id).changes > 0;
  }

  /** Sends the news to all who want it; nobody waits for it. */
  post(event: string, content: object): void {
    const message = JSON.stringify(content);
    for (const one of this.list()) {
      if (one.events.length > 0 && !one.events.includes(event)) continue;
      const sending = this.send(one, randomUUID(), message).finally(() => this.underWay.delete(sending));
      this.underWay.add(sending);
    }
  }

  /** Resolves when nothing is being sent; for tests. */
  async settled(): Promise<void> {
    await Promise.all(this.underWay);
  }

  private async send(to: Subscription, id: string, body: string): Promise<void> {
    for (const pause of pauses) {
      if (pause > 0) await new Promise((resolve) => setTimeout(resolve, pause));
      const timestamp = Math.floor(Date.now() / 1000);
      const isTaken = await fetch(to.url, {
        method: 'POST',
        headers: { 'content-type': 'application/json', ...this.signing.headers(to.secret, id, timestamp, body) },
        body,
        signal: AbortSignal.timeout(5000),
      }).then(
        (answer) => answer.ok,
        () => false,
      );
      if (isTaken) return;
    }
  }
}

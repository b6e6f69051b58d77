import { sql, type Transaction } from 'kysely';
import type { Db } from './open.ts';
import type { Tables } from './schema.ts';

export type Trx = Transaction<Tables>;

interface Waiting {
  readonly work: (trx: Trx) => Promise<unknown>;
  readonly resolve: (value: unknown) => void;
  readonly reject: (error: unknown) => void;
}

/**
 * Commits pieces of work that wait at the same moment in one transaction, so that one flush to the
 * disk serves them all. Each stands in a savepoint of its own: one that fails takes no other along.
 * A promise resolves only after the commit.
 */
export class GroupCommit {
  private waiting: Waiting[] = [];
  private isBusy = false;

  constructor(private readonly db: Db) {}

  run<T>(work: (trx: Trx) => Promise<T>): Promise<T> {
    return new Promise<T>((resolve, reject) => {
      this.waiting.push({ work, resolve: resolve as (value: unknown) => void, reject });
      if (!this.isBusy) {
        this.isBusy = true;
        setImmediate(() => void this.flush());
      }
    });
  }

  private async flush(): Promise<void> {
    while (this.waiting.length > 0) {
      const batch = this.waiting;
      this.waiting = [];
      await this.commit(batch);
    }
    this.isBusy = false;
  }

  private async commit(batch: readonly Waiting[]): Promise<void> {
    const ends: (() => void)[] = [];
    try {
      await this.db.transaction().execute(async (trx) => {
        for (const { work, resolve, reject } of batch) {
          await sql`SAVEPOINT piece`.execute(trx);
          try {
            const value = await work(trx);
            ends.push(() => resolve(value));
          } catch (error) {
            await sql`ROLLBACK TO piece`.execute(trx);
            ends.push(() => reject(error));
          }
          await sql`RELEASE piece`.execute(trx);
        }
      });
    } catch (error) {
      for (const { reject } of batch) reject(error);
      return;
    }
    for (const end of ends) end();
  }
}

import { setImmediate } from 'node:timers/promises';
import { CompiledQuery, sql, type Transaction } from 'kysely';
import type { Db, Tables } from './schema.ts';

export type Trx = Transaction<Tables>;

interface Waiting {
  readonly work: (trx: Trx) => Promise<unknown>;
  readonly resolve: (value: unknown) => void;
  readonly reject: (error: unknown) => void;
}

/** What waiting needs to know of the outside. */
export interface CommitSeams {
  pause(milliseconds: number): Promise<void>;
  /** Told when the disk is full, with a sentence, and with null when there is room again. */
  onFull(message: string | null): void;
}

/** Milliseconds between tries while the disk is full. */
const patience = 2000;

/**
 * Commits pieces of work that wait at the same moment in one transaction, so that one flush to the
 * disk serves them all. One that fails takes no other along: they are done again, each in a savepoint
 * of its own. A promise resolves only after the commit.
 *
 * While the disk is full everything holds still and is done as soon as there is room. So a piece of
 * work may be called more than once, and must change nothing but the database.
 */
export class GroupCommit {
  private waiting: Waiting[] = [];
  private between: (() => Promise<void>)[] = [];
  private isBusy = false;
  private isEnded = false;
  private isDropped = false;

  constructor(
    private readonly db: Db,
    private readonly seams: CommitSeams,
  ) {}

  run<T>(work: (trx: Trx) => Promise<T>): Promise<T> {
    // Whoever asks a process that has ended gets no answer.
    if (this.isDropped) return new Promise<T>(() => undefined);
    return new Promise<T>((resolve, reject) => {
      this.waiting.push({ work, resolve: resolve as (value: unknown) => void, reject });
      this.begin();
    });
  }

  /**
   * Does work of another connection to the data file between two transactions of this one: what is to be committed
   * meanwhile waits for its end, and whoever only reads doesn't.
   */
  whileStill<T>(work: () => Promise<T>): Promise<T> {
    if (this.isDropped) return new Promise<T>(() => undefined);
    return new Promise<T>((resolve, reject) => {
      this.between.push(() => work().then(resolve, reject));
      this.begin();
    });
  }

  private begin(): void {
    if (this.isBusy) return;
    this.isBusy = true;
    void turnOfLoop().then(() => this.flush());
  }

  /** Nothing is waited for any more; what could not be stored is told so. */
  end(): void {
    this.isEnded = true;
  }

  /** Nothing is stored any more, as when the process is killed. */
  drop(): void {
    this.isDropped = true;
    this.waiting = [];
    this.between = [];
  }

  private async flush(): Promise<void> {
    while (this.waiting.length > 0 || this.between.length > 0) {
      await this.between.shift()?.();
      const batch = this.waiting;
      this.waiting = [];
      if (batch.length > 0) await this.commit(batch);
      if (this.waiting.length > 0) await turnOfLoop();
    }
    this.isBusy = false;
  }

  private async commit(batch: readonly Waiting[]): Promise<void> {
    for (let isHeld = false; ; isHeld = true) {
      const ended = await this.attempt(batch);
      if (ended !== 'full') {
        if (isHeld) this.seams.onFull(null);
        for (const end of ended) end();
        return;
      }
      this.seams.onFull(diskFull);
      if (this.isEnded) {
        for (const { reject } of batch) reject(new DiskFull());
        return;
      }
      await this.seams.pause(patience);
    }
  }

  /** What to tell those who wait, once it is stored; or that there was no room for it. */
  private async attempt(batch: readonly Waiting[]): Promise<(() => void)[] | 'full'> {
    try {
      return await this.together(batch, work);
    } catch (error) {
      if (isDiskFull(error)) return 'full';
      if (batch.length === 1) return tellAll(batch, error);
    }
    // One of them failed, which is rare: nothing is stored of any, and each is done apart from the others.
    try {
      return await this.together(batch, apart);
    } catch (error) {
      return isDiskFull(error) ? 'full' : tellAll(batch, error);
    }
  }

  private async together(batch: readonly Waiting[], piece: typeof work): Promise<(() => void)[]> {
    return this.db.connection().execute(async (connection) => {
      // SQLite ends a transaction by itself when the disk is full; a library that then rolls back fails at that.
      await connection.executeQuery(beginNow);
      try {
        const ends: (() => void)[] = [];
        for (const one of batch) ends.push(await piece(connection as Trx, one));
        await connection.executeQuery(commit);
        return ends;
      } catch (error) {
        await connection.executeQuery(rollBack).catch(() => undefined);
        throw error;
      }
    });
  }
}

/**
 * Lets the network have its turn before the disk: what has come in shares the next flush, and requests
 * that are about to leave, which also wait for the end of the loop's turn, leave before it.
 */
async function turnOfLoop(): Promise<void> {
  await setImmediate();
  await setImmediate();
}

const beginNow = CompiledQuery.raw('BEGIN IMMEDIATE');
const commit = CompiledQuery.raw('COMMIT');
const rollBack = CompiledQuery.raw('ROLLBACK');

/** Does a piece of work; gives how to tell it. */
async function work(trx: Trx, one: Waiting): Promise<() => void> {
  const value = await one.work(trx);
  return () => one.resolve(value);
}

/** The same in a savepoint of its own. */
async function apart(trx: Trx, one: Waiting): Promise<() => void> {
  await sql`SAVEPOINT piece`.execute(trx);
  let end: () => void;
  try {
    end = await work(trx, one);
  } catch (error) {
    if (isDiskFull(error)) throw error;
    await sql`ROLLBACK TO piece`.execute(trx);
    end = () => one.reject(error);
  }
  await sql`RELEASE piece`.execute(trx);
  return end;
}

const tellAll = (batch: readonly Waiting[], error: unknown): (() => void)[] =>
  batch.map(
    ({ reject }) =>
      () =>
        reject(error),
  );

const diskFull =
  'The disk is full. Nothing is lost and nothing goes on until there is room again; it then goes on by itself.';

/** There is no room on the disk. */
export class DiskFull extends Error {
  override readonly name = 'DiskFull';
  constructor(options?: ErrorOptions) {
    super(diskFull, options);
  }
}

/** True for what SQLite and the system say when there is no room. */
export function isDiskFull(error: unknown): boolean {
  const { code, message } = error as { code?: string; message?: string };
  return code === 'SQLITE_FULL' || code === 'ENOSPC' || message === 'database or disk is full';
}

import { dirname, join } from 'node:path';
import { fileURLToPath } from 'node:url';
import { Worker } from 'node:worker_threads';
import type SQLite from 'better-sqlite3';
import type { Logger } from 'pino';
import type { GroupCommit } from './group-commit.ts';

/** When the log is looked at. */
export interface LogLimits {
  /** Milliseconds between two looks. */
  readonly every: number;
  /** Pages in the log at which commits hold still for a moment, so that it begins anew: a long one is slow to read. */
  readonly long: number;
}

/** 32 MB. */
const usualLimits: LogLimits = { every: 250, long: 8000 };
/** Pages in the log at which whoever writes helps: what the thread has taken over by then needn't be again. */
const helpsAt = 32_000;
/** The same without a thread, as SQLite has it. */
const usually = 1000;

interface Parts {
  readonly file: string;
  readonly sqlite: SQLite.Database;
  readonly commits: GroupCommit;
  readonly log: Logger;
}

interface Waiting {
  readonly resolve: (changed: number) => void;
  readonly reject: (error: Error) => void;
}

type Said =
  | { readonly isLong: true }
  | { readonly isLong?: undefined; readonly call: number; readonly changed?: number; readonly error?: string };

/**
 * A thread that takes the log of the data file over into the file. By itself SQLite does that within a commit, which
 * then takes up to a tenth of a second, in which the server answers nobody. The thread also carries out what takes as
 * long and can't be done in smaller pieces; only commits wait for that.
 *
 * @see https://www.sqlite.org/wal.html#ckpt
 */
export class Checkpoints {
  private worker: Worker | undefined;
  private readonly waiting = new Map<number, Waiting>();
  private calls = 0;

  constructor(
    private readonly parts: Parts,
    private readonly limits = usualLimits,
  ) {}

  start(): void {
    const { file, sqlite, log } = this.parts;
    const program = join(dirname(fileURLToPath(import.meta.url)), 'checkpoint-worker.mjs');
    const worker = new Worker(program, { workerData: { file, ...this.limits } });
    this.worker = worker;
    worker.unref();
    sqlite.pragma(`wal_autocheckpoint = ${helpsAt}`);
    worker.on('message', (said: Said) => this.hear(said));
    worker.once('error', (error) => {
      log.error({ said: error.message }, 'the log of the data file is taken over within commits');
      this.worker = undefined;
      if (sqlite.open) sqlite.pragma(`wal_autocheckpoint = ${usually}`);
    });
    worker.once('exit', () => {
      for (const { reject } of this.waiting.values()) reject(new Error('The thread of the data file has ended.'));
      this.waiting.clear();
    });
  }

  /**
   * Carries out a statement that changes the data file while commits hold still: in the thread, or here where there is
   * none. It is one that loses nothing where it isn't done.
   *
   * @returns how many rows it changed
   */
  carryOut(statement: string): Promise<number> {
    const { commits, sqlite } = this.parts;
    return commits.whileStill(async () => {
      if (this.worker) return this.ask({ statement });
      const changes = () => Number(sqlite.prepare('SELECT total_changes() AS n').pluck().get());
      const before = changes();
      sqlite.exec(statement);
      return changes() - before;
    });
  }

  private hear(said: Said): void {
    if (said.isLong) {
      // Where the thread ends meanwhile the log is taken over within commits.
      this.parts.commits.whileStill(() => this.ask({})).catch(() => undefined);
      return;
    }
    const waiting = this.waiting.get(said.call);
    this.waiting.delete(said.call);
    if (said.error === undefined) waiting?.resolve(said.changed ?? 0);
    else waiting?.reject(new Error(said.error));
  }

  private ask(what: { readonly statement?: string }): Promise<number> {
    const { worker } = this;
    if (!worker) return Promise.reject(new Error('The thread of the data file has ended.'));
    this.calls += 1;
    const call = this.calls;
    return new Promise((resolve, reject) => {
      this.waiting.set(call, { resolve, reject });
      worker.postMessage({ call, ...what });
    });
  }

  /** Resolves when the thread has let go of the file. */
  async stop(): Promise<void> {
    const { worker } = this;
    this.worker = undefined;
    if (!worker) return;
    const ended = new Promise((resolve) => worker.once('exit', resolve));
    worker.ref();
    worker.postMessage({ isEnd: true });
    await ended;
  }
}

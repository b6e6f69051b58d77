import { dirname, join } from 'node:path';
import { fileURLToPath } from 'node:url';
import { Worker } from 'node:worker_threads';
import type SQLite from 'better-sqlite3';
import type { Logger } from 'pino';

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

/**
 * A thread that takes the log of the data file over into the file. By itself SQLite does that within a commit, which
 * then takes up to a tenth of a second, in which the server answers nobody.
 *
 * @see https://www.sqlite.org/wal.html#ckpt
 */
export class Checkpoints {
  private worker: Worker | undefined;
  private held: { readonly ended: Promise<void>; readonly end: () => void } | undefined;

  constructor(
    private readonly parts: { readonly file: string; readonly sqlite: SQLite.Database; readonly log: Logger },
    private readonly limits = usualLimits,
  ) {}

  /** Resolves when whoever is about to write may; undefined where that is so now. */
  mayWrite(): Promise<void> | undefined {
    return this.held?.ended;
  }

  private goOn(): void {
    this.held?.end();
    this.held = undefined;
  }

  start(): void {
    const { file, sqlite, log } = this.parts;
    const program = join(dirname(fileURLToPath(import.meta.url)), 'checkpoint-worker.mjs');
    const worker = new Worker(program, { workerData: { file, ...this.limits } });
    this.worker = worker;
    worker.unref();
    sqlite.pragma(`wal_autocheckpoint = ${helpsAt}`);
    worker.on('message', (said: 'hold' | 'go on') => {
      this.goOn();
      if (said === 'go on') return;
      let end = (): void => undefined;
      const ended = new Promise<void>((resolve) => {
        end = resolve;
      });
      this.held = { ended, end };
      worker.postMessage('holding');
    });
    worker.once('exit', () => this.goOn());
    worker.once('error', (error) => {
      log.error({ said: error.message }, 'the log of the data file is taken over within commits');
      this.worker = undefined;
      if (sqlite.open) sqlite.pragma(`wal_autocheckpoint = ${usually}`);
    });
  }

  /** Resolves when the thread has let go of the file. */
  async stop(): Promise<void> {
    const { worker } = this;
    this.worker = undefined;
    if (!worker) return;
    const ended = new Promise((resolve) => worker.once('exit', resolve));
    worker.ref();
    worker.postMessage('end');
    await ended;
  }
}

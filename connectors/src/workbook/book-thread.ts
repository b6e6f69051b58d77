import { existsSync } from 'node:fs';
import { dirname, join } from 'node:path';
import { fileURLToPath } from 'node:url';
import { Worker } from 'node:worker_threads';
import type { BookAsk } from './book-worker.ts';
import type { CsvPlaces } from './csv-rows.ts';
import { type BookContent, type BookEdit, type SheetRow, UnreadableWorkbook } from './sheet.ts';

/** Megabytes that reading one workbook may take. A file that needs more ends its thread, and nothing else. */
const mostMemory = 2048;

/** Milliseconds that one workbook may take. */
const mostTime = 10 * 60_000;

/** Milliseconds without work after which the thread is let go, with the memory that it holds. */
const idleTime = 60_000;

interface Told {
  readonly kind: 'rows' | 'done' | 'failed';
  readonly at?: number;
  readonly rows?: readonly SheetRow[];
  readonly value?: unknown;
  readonly message?: string;
  readonly isUnreadable?: boolean;
}

/** How much a thread may take; for tests less. */
export interface ThreadLimits {
  readonly memory: number;
  readonly time: number;
}

/** Where the thread's program is: beside the built server, or the shim that starts its sources. */
function programOf(): string | undefined {
  const here = dirname(fileURLToPath(import.meta.url));
  return [join(here, 'workbook-worker.mjs'), join(here, '..', 'workbook-worker.mjs'), join(here, 'book-shim.mjs')].find(
    (file) => existsSync(file),
  );
}

/** A thread of its own for heavy workbooks, one after the other: the server answers meanwhile, and outlives it. */
export class BookThread {
  private worker: Worker | undefined;
  private last: Promise<unknown> = Promise.resolve();
  private idle: NodeJS.Timeout | undefined;

  constructor(private readonly limits: ThreadLimits = { memory: mostMemory, time: mostTime }) {}

  /** @throws UnreadableWorkbook */
  async read(name: string, bytes: Uint8Array): Promise<BookContent> {
    const { value, rows } = await this.ask({ kind: 'read', name, bytes });
    const content = value as BookContent;
    return { ...content, sheets: content.sheets.map((sheet, at) => ({ ...sheet, rows: rows.get(at) ?? [] })) };
  }

  /** Where the rows of a CSV file stand. @throws UnreadableWorkbook */
  async places(name: string, bytes: Uint8Array): Promise<CsvPlaces> {
    return (await this.ask({ kind: 'places', name, bytes })).value as CsvPlaces;
  }

  /** @throws UnreadableWorkbook */
  async edit(name: string, bytes: Uint8Array, edits: readonly BookEdit[]): Promise<Uint8Array> {
    return (await this.ask({ kind: 'edit', name, bytes, edits })).value as Uint8Array;
  }

  /** Ends the thread. */
  async stop(): Promise<void> {
    clearTimeout(this.idle);
    await this.worker?.terminate();
    this.worker = undefined;
  }

  /** One after the other, so that a file which ends the thread ends no other's work. */
  private ask(ask: BookAsk): Promise<{ value: unknown; rows: Map<number, SheetRow[]> }> {
    const work = this.last.then(() => this.askNow(ask));
    this.last = work.catch(() => undefined);
    return work;
  }

  private askNow(ask: BookAsk): Promise<{ value: unknown; rows: Map<number, SheetRow[]> }> {
    const worker = this.start();
    clearTimeout(this.idle);
    worker.ref();
    return new Promise((resolve, reject) => {
      const rows = new Map<number, SheetRow[]>();
      const patience = setTimeout(
        () => end('It takes too long to be read. Split it into smaller files.'),
        this.limits.time,
      );
      const leave = (): void => {
        clearTimeout(patience);
        worker.off('message', heard);
        worker.off('error', failed);
        worker.off('exit', ended);
        worker.unref();
        this.idle = setTimeout(() => void this.stop(), idleTime);
        this.idle.unref();
      };
      const end = (sentence: string, cause?: unknown): void => {
        leave();
        // Nothing of it is used again.
        if (this.worker === worker) this.worker = undefined;
        void worker.terminate();
        reject(new UnreadableWorkbook(sentence, { cause }));
      };
      const heard = (told: Told): void => {
        if (told.kind === 'rows') {
          const known = rows.get(told.at ?? 0) ?? [];
          for (const row of told.rows ?? []) known.push(row);
          rows.set(told.at ?? 0, known);
          // Whoever else waits has their turn before the next rows come.
          setImmediate(() => worker.postMessage({ kind: 'more' }));
          return;
        }
        leave();
        if (told.kind === 'done') resolve({ value: told.value, rows });
        else reject(told.isUnreadable ? new UnreadableWorkbook(told.message) : new Error(told.message));
      };
      const failed = (error: NodeJS.ErrnoException): void =>
        end(
          error.code === 'ERR_WORKER_OUT_OF_MEMORY'
            ? `It takes more than ${this.limits.memory.toLocaleString('en')} MB of memory to be read. Split it into smaller files.`
            : 'Reading it ended unexpectedly. Save it again in a spreadsheet program, or split it.',
          error,
        );
      const ended = (): void =>
        end('Reading it ended unexpectedly. Save it again in a spreadsheet program, or split it.');
      worker.on('message', heard);
      worker.on('error', failed);
      worker.on('exit', ended);
      worker.postMessage(ask);
    });
  }

  private start(): Worker {
    if (this.worker) return this.worker;
    const program = programOf();
    if (!program) throw new Error('The program of the workbook thread is missing. Build again.');
    this.worker = new Worker(program, { resourceLimits: { maxOldGenerationSizeMb: this.limits.memory } });
    return this.worker;
  }
}

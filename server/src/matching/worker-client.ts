import { createHash, randomUUID } from 'node:crypto';
import { existsSync, readFileSync } from 'node:fs';
import { dirname, join } from 'node:path';
import { fileURLToPath } from 'node:url';
import { Worker } from 'node:worker_threads';
import type { SearchProgress } from '@golden/core';
import type { IndexHost } from './index-host.ts';

/** A host as it is called from another thread: the same methods, each answered later. */
export type RemoteHost = {
  readonly [Name in Exclude<keyof IndexHost, 'duplicates'>]: (
    ...args: Parameters<IndexHost[Name]>
  ) => Promise<Awaited<ReturnType<IndexHost[Name]>>>;
};

/** The work was stopped by a person. */
export class Stopped extends Error {
  override readonly name = 'Stopped';
  constructor() {
    super('Stopped.');
  }
}

/** The thread ended while it was at work; the next call starts another one. */
export class WorkerLost extends Error {
  override readonly name = 'WorkerLost';
  constructor(options?: ErrorOptions) {
    super('The matching ended unexpectedly. It is started again.', options);
  }
}

interface Waiting {
  readonly resolve: (value: never) => void;
  readonly reject: (error: Error) => void;
  readonly heard?: ((progress: SearchProgress) => void) | undefined;
}

/** Where the worker's program is: beside the built server, or the shim that starts its sources. */
function workerFile(): string {
  const here = dirname(fileURLToPath(import.meta.url));
  const built = join(here, 'matching-worker.mjs');
  return existsSync(built) ? built : join(here, 'worker-shim.mjs');
}

/** A process that runs its sources knows no release: what it stores is its own alone. */
const ofThisProcess = randomUUID();
let edition: string | undefined;

/** Tells a release of the worker's program, on the Unicode tables of this Node, from any other. */
function editionOf(file: string): string {
  const { node, icu, unicode } = process.versions;
  edition ??= file.endsWith('-shim.mjs')
    ? ofThisProcess
    : createHash('sha256').update(readFileSync(file)).update(`${node} ${icu} ${unicode}`).digest('base64url');
  return edition;
}

/** A thread of its own for matching: comparing many records never keeps the server from answering. */
export class MatchingWorker {
  private worker: Worker | undefined;
  private readonly waiting = new Map<number, Waiting>();
  private calls = 0;
  private isEnded = false;
  private readonly losses: (() => void)[] = [];

  /** The host's methods; the thread is started by the first call. */
  readonly host: RemoteHost = new Proxy({} as RemoteHost, {
    get:
      (_target, method: string) =>
      (...args: unknown[]) =>
        this.call(method, args),
  });

  call<T>(method: string, args: readonly unknown[], heard?: (progress: SearchProgress) => void): Promise<T> {
    if (this.isEnded) return Promise.reject(new Stopped());
    const worker = this.start();
    this.calls += 1;
    const call = this.calls;
    return new Promise<T>((resolve, reject) => {
      this.waiting.set(call, { resolve: resolve as (value: never) => void, reject, heard });
      worker.ref();
      worker.postMessage({ call, method, args, isHeard: heard !== undefined });
    });
  }

  /** Ends the thread; what was under way is answered with `Stopped`. */
  async stop(): Promise<void> {
    const { worker } = this;
    this.isEnded = true;
    this.worker = undefined;
    this.rejectAll(new Stopped());
    await worker?.terminate();
  }

  private start(): Worker {
    if (this.worker) return this.worker;
    const file = workerFile();
    const worker = new Worker(file, { workerData: { edition: editionOf(file) } });
    // An idle thread doesn't keep the process alive.
    worker.unref();
    worker.on('message', (told: { call: number; value?: never; error?: string; progress?: SearchProgress }) => {
      const waiting = this.waiting.get(told.call);
      if (!waiting) return;
      if (told.progress) {
        waiting.heard?.(told.progress);
        return;
      }
      this.waiting.delete(told.call);
      if (this.waiting.size === 0) worker.unref();
      if (told.error === undefined) waiting.resolve(told.value as never);
      else waiting.reject(new Error(told.error));
    });
    // An error is followed by its end; an end may come without one.
    let cause: unknown;
    worker.on('error', (error) => {
      cause = error;
    });
    worker.on('exit', () => this.lose(worker, cause));
    this.worker = worker;
    return worker;
  }

  private lose(worker: Worker, cause: unknown): void {
    if (this.worker !== worker) return;
    this.worker = undefined;
    // What the thread held in memory is gone: whoever filled it has to begin anew.
    for (const heard of this.losses) heard();
    this.rejectAll(new WorkerLost({ cause }));
  }

  /** Calls back whenever a thread was lost with all that it held. */
  onLost(heard: () => void): void {
    this.losses.push(heard);
  }

  /** Ends the thread at once, as a fault would; for tests. */
  async crash(): Promise<void> {
    await this.worker?.terminate();
  }

  private rejectAll(error: Error): void {
    for (const one of this.waiting.values()) one.reject(error);
    this.waiting.clear();
  }
}

import { parentPort } from 'node:worker_threads';
import { IndexHost } from './index-host.ts';

// The matching worker: does one call after another, and tells how far a long one is.

const host = new IndexHost();

interface Call {
  readonly call: number;
  readonly method: string;
  readonly args: readonly unknown[];
}

parentPort?.on('message', ({ call, method, args }: Call) => {
  try {
    const heard = (progress: unknown): void => parentPort?.postMessage({ call, progress });
    const work = (host as unknown as Record<string, (...args: unknown[]) => unknown>)[method];
    if (!work) throw new Error(`The matching worker has no “${method}”.`);
    parentPort?.postMessage({ call, value: work.call(host, ...args, heard) });
  } catch (error) {
    parentPort?.postMessage({ call, error: error instanceof Error ? error.message : String(error) });
  }
});

import { parentPort, workerData } from 'node:worker_threads';
import { ReconcileHost } from '../reconcile/reconcile-host.ts';
import { IndexHost } from './index-host.ts';

// The matching worker: does one call after another, and tells how far a long one is.

/** Whose methods are called; those of another than matching itself are called by its name: `reconcile.begin`. */
const hosts: Readonly<Record<string, object>> = {
  matching: new IndexHost((workerData as { readonly edition: string }).edition),
  reconcile: new ReconcileHost(),
};

interface Call {
  readonly call: number;
  readonly method: string;
  readonly args: readonly unknown[];
  /** Whether somebody hears how far it is: only then is anything given on to the method besides its arguments. */
  readonly isHeard: boolean;
}

parentPort?.on('message', ({ call, method, args, isHeard }: Call) => {
  try {
    const heard = (progress: unknown): void => parentPort?.postMessage({ call, progress });
    const [name, own] = method.includes('.') ? (method.split('.') as [string, string]) : ['matching', method];
    const host = hosts[name];
    const work = (host as Record<string, (...args: unknown[]) => unknown> | undefined)?.[own];
    if (!work) throw new Error(`The matching worker has no “${method}”.`);
    parentPort?.postMessage({ call, value: work.call(host, ...args, ...(isHeard ? [heard] : [])) });
  } catch (error) {
    parentPort?.postMessage({ call, error: error instanceof Error ? error.message : String(error) });
  }
});

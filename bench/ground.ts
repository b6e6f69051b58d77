import { join } from 'node:path';
import { monitorEventLoopDelay, performance } from 'node:perf_hooks';
import type { Filling, Place, Start } from '@golden/core';
import { makeServices, type Services } from '@golden/server';
import { ledger, listen } from '@golden/standins';

// What several measurements stand on: a product on a folder of its own, a list in that folder, and the practice Ledger
// in the same process.

export interface Ground {
  /** Opened anew by a measurement of the start. */
  services: Services;
  readonly books: ReturnType<typeof ledger>['store'];
  /** Connections to the folder and to the Ledger. */
  readonly from: string;
  readonly to: string;
  open(): Promise<Services>;
  place(connection: string, path: string[]): Promise<Place>;
}

export async function groundIn(folder: string): Promise<Ground> {
  const app = ledger(':memory:');
  const at = await listen(app.app, 0);
  const open = () => makeServices({ dataFile: join(folder, 'golden.sqlite'), masterKey: 'bench' });
  const services = await open();
  const from = await services.connections.add({ app: 'folder', name: 'Folder', settings: { folder }, key: '' });
  const tokens = app.signIn.issue({ user: 'Mira Holm', client: 'golden-relay', scope: 'ledger.read ledger.write' });
  const key = { access: tokens.access_token, refresh: tokens.refresh_token, expiresAt: Date.now() + 3_600_000 };
  const settings = { address: `${at.url}/api` };
  const to = await services.connections.add({ app: 'ledger', name: 'Ledger', settings, key: JSON.stringify(key) });
  const ground: Ground = {
    services,
    books: app.store,
    from: from.id,
    to: to.id,
    open,
    async place(connection, path) {
      const described = await (await ground.services.connections.connector(connection)).describe(path);
      return { connection, path, labels: path, described };
    },
  };
  return ground;
}

/** A start by each row of the list `new.csv` that has a number of its own. */
export const newRows = async ({ place, from }: Ground): Promise<Start> => ({
  source: await place(from, ['new.csv', 'new']),
  on: 'added',
  identity: '/No',
  trigger: { kind: 'every', minutes: 60 },
  fromWhen: { kind: 'all' },
});

export const customers = ['retail', 'customers'];

export const filledFrom = (step: string, path: string): Filling => ({ kind: 'field', ref: { step, path }, tidies: [] });

/** Work that was watched: what it gave, its seconds, and for how many milliseconds at most nobody was answered. */
export interface Watched<T> {
  readonly result: T;
  readonly seconds: number;
  readonly longestMs: number;
}

export async function watched<T>(work: () => Promise<T>): Promise<Watched<T>> {
  const delay = monitorEventLoopDelay({ resolution: 1 });
  const started = performance.now();
  delay.enable();
  const result = await work();
  const seconds = (performance.now() - started) / 1000;
  // What is held up at the end shows in the next turns of the loop.
  await new Promise((resolve) => setTimeout(resolve, 20));
  delay.disable();
  return { result, seconds, longestMs: delay.max / 1e6 };
}

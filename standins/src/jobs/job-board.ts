import type { HttpBindings } from '@hono/node-server';
import { Hono } from 'hono';
import type { AppKey } from '../kit/bearer.ts';
import { controlApp } from '../kit/control.ts';
import { calm, type PracticeState, troubleMaker } from '../kit/trouble.ts';
import { jobsApi } from './api.ts';
import { mailInServer } from './mail-in.ts';
import { jobsScreens } from './screens.ts';
import { JobStore } from './store.ts';

/** The keys that the Job board has from the start. */
export const jobKeys: readonly AppKey[] = [
  { key: 'jobs-practice-8K2W-readwrite', name: 'Relay', mayWrite: true },
  { key: 'jobs-practice-3T6H-readonly', name: 'Reading only', mayWrite: false },
];

/** The practice app Job board, with its server for mails. */
export interface JobBoard {
  readonly app: Hono<{ Bindings: HttpBindings }>;
  readonly store: JobStore;
  readonly state: PracticeState;
  /** Takes mails at a port of this machine; 0 takes a free one. Gives where, as host:port. */
  listenForMails(port: number): Promise<string>;
  close(): Promise<void>;
}

/** The practice app Job board on its own data file. */
export function jobBoard(file: string): JobBoard {
  const store = new JobStore(file);
  const state = calm('job-board-1');
  const app = new Hono<{ Bindings: HttpBindings }>();
  app.use('/api/*', troubleMaker(state));
  app.route('/api', jobsApi(store, jobKeys, state));
  app.route('/practice', controlApp(state));
  app.route('/', jobsScreens(store, jobKeys, state));
  const mails = mailInServer(store, state);
  mails.on('error', () => undefined);
  let isListening = false;
  return {
    app,
    store,
    state,
    listenForMails: async (wanted) => {
      const port = await new Promise<number>((resolve, reject) => {
        mails.once('error', reject);
        const server = mails.listen(wanted, '127.0.0.1', () => resolve((server.address() as { port: number }).port));
      });
      isListening = true;
      return `127.0.0.1:${port}`;
    },
    close: async () => {
      if (isListening) await new Promise<void>((resolve) => mails.close(() => resolve()));
      store.close();
    },
  };
}

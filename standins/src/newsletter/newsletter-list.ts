import type { HttpBindings } from '@hono/node-server';
import { Hono } from 'hono';
import type { AppKey } from '../kit/bearer.ts';
import { controlApp } from '../kit/control.ts';
import { calm, type PracticeState, troubleMaker } from '../kit/trouble.ts';
import { newsletterApi } from './api.ts';
import { newsletterScreens } from './screens.ts';
import { NewsletterStore } from './store.ts';

/** The keys that the Newsletter list has from the start. */
export const newsletterKeys: readonly AppKey[] = [
  { key: 'letters-practice-4D7N-readwrite', name: 'Relay', mayWrite: true },
  { key: 'letters-practice-1C9X-readonly', name: 'Reading only', mayWrite: false },
];

/** The practice app Newsletter list on its own data file. */
export function newsletterList(file: string): {
  readonly app: Hono<{ Bindings: HttpBindings }>;
  readonly store: NewsletterStore;
  readonly state: PracticeState;
} {
  const store = new NewsletterStore(file);
  const state = calm('saltmarsh-letters');
  const app = new Hono<{ Bindings: HttpBindings }>();
  app.use('/api/*', troubleMaker(state));
  app.route('/api', newsletterApi(store, newsletterKeys, state));
  app.route('/practice', controlApp(state));
  app.route('/', newsletterScreens(store, newsletterKeys, state));
  return { app, store, state };
}

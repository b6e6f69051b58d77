import type { HttpBindings } from '@hono/node-server';
import { Hono } from 'hono';
import type { AppKey } from '../kit/bearer.ts';
import { controlApp } from '../kit/control.ts';
import { calm, type PracticeState, troubleMaker } from '../kit/trouble.ts';
import { pocketApi } from './api.ts';
import { pocketScreens } from './screens.ts';
import { PocketStore } from './store.ts';

/** The keys that Pocket messages has from the start. */
export const pocketKeys: readonly AppKey[] = [
  { key: 'pocket-practice-6W3T-readwrite', name: 'Relay', mayWrite: true },
  { key: 'pocket-practice-8H2M-readonly', name: 'Reading only', mayWrite: false },
];

/** The practice app Pocket messages on its own data file. */
export function pocketMessages(file: string): {
  readonly app: Hono<{ Bindings: HttpBindings }>;
  readonly store: PocketStore;
  readonly state: PracticeState;
} {
  const store = new PocketStore(file);
  const state = calm('saltmarsh-texts');
  const app = new Hono<{ Bindings: HttpBindings }>();
  app.use('/api/*', troubleMaker(state));
  app.route('/api', pocketApi(store, pocketKeys, state));
  app.route('/practice', controlApp(state));
  app.route('/', pocketScreens(store, pocketKeys, state));
  return { app, store, state };
}

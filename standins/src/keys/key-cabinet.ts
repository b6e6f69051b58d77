import type { HttpBindings } from '@hono/node-server';
import { Hono } from 'hono';
import type { AppKey } from '../kit/bearer.ts';
import { controlApp } from '../kit/control.ts';
import { calm, type PracticeState, troubleMaker } from '../kit/trouble.ts';
import { keyCabinetApi } from './api.ts';
import { keyCabinetScreens } from './screens.ts';
import { KeyStore } from './store.ts';

/** The keys that the Key cabinet has from the start. */
export const cabinetKeys: readonly AppKey[] = [
  { key: 'cabinet-practice-7R2M-readwrite', name: 'Relay', mayWrite: true },
  { key: 'cabinet-practice-5T8K-readonly', name: 'Reading only', mayWrite: false },
];

/** The practice app Key cabinet on its own data file. */
export function keyCabinet(file: string): {
  readonly app: Hono<{ Bindings: HttpBindings }>;
  readonly store: KeyStore;
  readonly state: PracticeState;
} {
  const store = new KeyStore(file);
  const state = calm('saltmarsh-keys');
  const app = new Hono<{ Bindings: HttpBindings }>();
  app.use('/api/*', troubleMaker(state));
  app.route('/api', keyCabinetApi(store, cabinetKeys, state));
  app.route('/practice', controlApp(state));
  app.route('/', keyCabinetScreens(store, cabinetKeys, state));
  return { app, store, state };
}

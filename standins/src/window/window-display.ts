import type { HttpBindings } from '@hono/node-server';
import { Hono } from 'hono';
import type { AppKey } from '../kit/bearer.ts';
import { controlApp } from '../kit/control.ts';
import { calm, type PracticeState, troubleMaker } from '../kit/trouble.ts';
import { windowApi } from './api.ts';
import { windowScreens } from './screens.ts';
import { WindowStore } from './store.ts';

/** The keys that the Window display has from the start. */
export const windowKeys: readonly AppKey[] = [
  { key: 'window-practice-2B6W-readwrite', name: 'Relay', mayWrite: true },
  { key: 'window-practice-8Q3Z-readonly', name: 'Reading only', mayWrite: false },
];

/** The practice app Window display on its own data file. */
export function windowDisplay(file: string): {
  readonly app: Hono<{ Bindings: HttpBindings }>;
  readonly store: WindowStore;
  readonly state: PracticeState;
} {
  const store = new WindowStore(file);
  const state = calm('saltmarsh-window');
  const app = new Hono<{ Bindings: HttpBindings }>();
  app.use('/api/*', troubleMaker(state));
  app.route('/api', windowApi(store, windowKeys, state));
  app.route('/practice', controlApp(state));
  app.route('/', windowScreens(store, windowKeys, state));
  return { app, store, state };
}

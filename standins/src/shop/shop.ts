import type { HttpBindings } from '@hono/node-server';
import { Hono } from 'hono';
import { controlApp } from '../kit/control.ts';
import { calm, type PracticeState, troubleMaker } from '../kit/trouble.ts';
import { shopApi } from './api.ts';
import type { ShopKey } from './keys.ts';
import { shopScreens } from './screens.ts';
import { ShopStore } from './store.ts';

/** The keys that the shop has from the start. */
export const shopKeys: readonly ShopKey[] = [
  { key: 'shop-practice-4T7Q-readwrite', name: 'Office', mayWrite: true },
  { key: 'shop-practice-9K2M-readonly', name: 'Copying only', mayWrite: false },
];

/** The practice app Shop counter on its own data file. */
export function shopCounter(file: string): {
  readonly app: Hono<{ Bindings: HttpBindings }>;
  readonly store: ShopStore;
  readonly state: PracticeState;
} {
  const store = new ShopStore(file);
  const state = calm('kiln-supply-1');
  const app = new Hono<{ Bindings: HttpBindings }>();
  app.use('/api/*', troubleMaker(state));
  app.route('/api', shopApi(store, shopKeys, state));
  app.route('/practice', controlApp(state));
  app.route('/', shopScreens(store, shopKeys, state));
  return { app, store, state };
}

import type { HttpBindings } from '@hono/node-server';
import { Hono } from 'hono';
import { controlApp } from '../kit/control.ts';
import { calm, type PracticeState, troubleMaker } from '../kit/trouble.ts';
import { type CardKey, cardApi } from './api.ts';
import { cardScreens } from './screens.ts';
import { CardStore } from './store.ts';

/** The keys that the Card index has from the start. */
export const cardKeys: readonly CardKey[] = [
  { key: 'cards-practice-6H2W-readwrite', name: 'Office', mayWrite: true },
  { key: 'cards-practice-1B8N-readonly', name: 'Looking only', mayWrite: false },
];

/** The practice app Card index on its own data file. */
export function cardIndex(file: string): {
  readonly app: Hono<{ Bindings: HttpBindings }>;
  readonly store: CardStore;
  readonly state: PracticeState;
} {
  const store = new CardStore(file);
  const state = calm('card-index-1');
  const app = new Hono<{ Bindings: HttpBindings }>();
  app.use('/api/*', troubleMaker(state));
  app.route('/api', cardApi(store, cardKeys, state));
  app.route('/practice', controlApp(state));
  app.route('/', cardScreens(store, cardKeys, state));
  return { app, store, state };
}

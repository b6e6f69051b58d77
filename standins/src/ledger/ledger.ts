import type { HttpBindings } from '@hono/node-server';
import { Hono } from 'hono';
import { controlApp } from '../kit/control.ts';
import { SignIn, signInApp } from '../kit/sign-in.ts';
import { calm, type PracticeState, troubleMaker } from '../kit/trouble.ts';
import { ledgerApi } from './api.ts';
import { ledgerScreens, ledgerSkin } from './screens.ts';
import { LedgerStore } from './store.ts';

/** The practice app Ledger on its own data file. */
export function ledger(file: string): {
  readonly app: Hono<{ Bindings: HttpBindings }>;
  readonly store: LedgerStore;
  readonly signIn: SignIn;
  readonly state: PracticeState;
} {
  const store = new LedgerStore(file);
  const signIn = new SignIn(store.db);
  const state = calm('ledger-1');
  const app = new Hono<{ Bindings: HttpBindings }>();
  app.use('/api/*', troubleMaker(state));
  app.route('/api', ledgerApi(store, signIn, state));
  app.route('/practice', controlApp(state));
  const asks = (scopes: readonly string[]): string =>
    `${scopes.includes('ledger.write') ? 'read and write' : 'read'} customers, items, invoices and payments of both companies`;
  app.route(
    '/',
    signInApp(signIn, { skin: ledgerSkin, scopes: ['ledger.read', 'ledger.write'], people: () => ['Mira Holm'], asks }),
  );
  app.route('/', ledgerScreens(store, state));
  return { app, store, signIn, state };
}

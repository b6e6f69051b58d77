import type { HttpBindings } from '@hono/node-server';
import { Hono } from 'hono';
import type { AppKey } from '../kit/bearer.ts';
import { controlApp } from '../kit/control.ts';
import { calm, type PracticeState, troubleMaker } from '../kit/trouble.ts';
import { enquiryApi } from './api.ts';
import { enquiryScreens } from './screens.ts';
import { EnquiryStore } from './store.ts';

/** The keys that the Enquiry box has from the start. */
export const enquiryKeys: readonly AppKey[] = [
  { key: 'box-practice-3F9D-readwrite', name: 'Website', mayWrite: true },
  { key: 'box-practice-7L5C-readonly', name: 'Reading only', mayWrite: false },
];

/** The practice app Enquiry box on its own data file. */
export function enquiryBox(file: string): {
  readonly app: Hono<{ Bindings: HttpBindings }>;
  readonly store: EnquiryStore;
  readonly state: PracticeState;
} {
  const store = new EnquiryStore(file);
  const state = calm('enquiry-box-1');
  const app = new Hono<{ Bindings: HttpBindings }>();
  app.use('/api/*', troubleMaker(state));
  app.route('/api', enquiryApi(store, enquiryKeys, state));
  app.route('/practice', controlApp(state));
  app.route('/', enquiryScreens(store, enquiryKeys, state));
  return { app, store, state };
}

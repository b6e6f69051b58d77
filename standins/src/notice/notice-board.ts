import type { HttpBindings } from '@hono/node-server';
import { Hono } from 'hono';
import type { AppKey } from '../kit/bearer.ts';
import { controlApp } from '../kit/control.ts';
import { calm, type PracticeState, troubleMaker } from '../kit/trouble.ts';
import { noticeApi } from './api.ts';
import { noticeScreens } from './screens.ts';
import { NoticeStore } from './store.ts';

/** The keys that the Notice board has from the start. */
export const noticeKeys: readonly AppKey[] = [
  { key: 'board-practice-2X8R-readwrite', name: 'Relay', mayWrite: true },
  { key: 'board-practice-5P1V-readonly', name: 'Reading only', mayWrite: false },
];

/** The practice app Notice board on its own data file. */
export function noticeBoard(file: string): {
  readonly app: Hono<{ Bindings: HttpBindings }>;
  readonly store: NoticeStore;
  readonly state: PracticeState;
} {
  const store = new NoticeStore(file);
  const state = calm('notice-board-1');
  const app = new Hono<{ Bindings: HttpBindings }>();
  app.use('/api/*', troubleMaker(state));
  app.route('/api', noticeApi(store, noticeKeys, state));
  app.route('/practice', controlApp(state));
  app.route('/', noticeScreens(store, noticeKeys, state));
  return { app, store, state };
}

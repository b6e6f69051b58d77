import type { HttpBindings } from '@hono/node-server';
import { Hono } from 'hono';
import { controlApp } from '../kit/control.ts';
import { calm, type PracticeState, troubleMaker } from '../kit/trouble.ts';
import type { ShelfAccount } from './accounts-and-types.ts';
import { shelfApi } from './api.ts';
import { ShelfLocks } from './dav.ts';
import { ShelfFiles } from './files.ts';
import { shelfScreens } from './screens.ts';

/** The accounts that the shelf has from the start. */
export const shelfAccounts: readonly ShelfAccount[] = [
  { token: 'shelf-practice-6W3D-edit', name: 'front desk', mayEdit: true },
  { token: 'shelf-practice-8B5N-view', name: 'visitor', mayEdit: false },
];

/** The practice app Workbook shelf on its own data folder. */
export function workbookShelf(dataFolder: string): {
  readonly app: Hono<{ Bindings: HttpBindings }>;
  readonly files: ShelfFiles;
  readonly state: PracticeState;
  readonly locks: ShelfLocks;
} {
  const files = new ShelfFiles(dataFolder);
  const state = calm('shelf-1');
  const app = new Hono<{ Bindings: HttpBindings }>();
  app.use('/api/*', troubleMaker(state));
  const locks = new ShelfLocks();
  app.route('/api', shelfApi(files, shelfAccounts, state, locks));
  app.route('/practice', controlApp(state));
  app.route('/', shelfScreens(files, shelfAccounts, state));
  return { app, files, state, locks };
}

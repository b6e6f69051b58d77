import type { ApiOf } from './endpoint.ts';
import type { Routes } from './routes.ts';

/** The interface as the web sees it: types only, no server code. */
export type Api = ApiOf<Routes>;
export type { ChangeEvent } from '../events.ts';

import type { HttpBindings } from '@hono/node-server';
import { RESPONSE_ALREADY_SENT } from '@hono/node-server/utils/response';
import type { MiddlewareHandler } from 'hono';

/** The ways a practice app can be told to misbehave. */
export const troubleKinds = [
  'refuse_rights',
  'rate_limit',
  'slow',
  'break_off',
  'answer_twice',
  'html',
  'down',
] as const;
export type TroubleKind = (typeof troubleKinds)[number];

/** What each trouble does, for the screens. */
export const troubleWords: Record<TroubleKind, string> = {
  refuse_rights: 'Refuse writing: no right',
  rate_limit: 'Limit the rate (429, try again in a second)',
  slow: 'Be slow (a second and a half)',
  break_off: 'Do the write, then break off before answering',
  answer_twice: 'Give records twice in lists',
  html: 'Answer with a web page instead of data',
  down: 'Break off at once, doing nothing',
};

/** How often a trouble still happens; `Infinity` until it is switched off. */
export type Troubles = Map<TroubleKind, number>;

/** What a practice app counts and suffers, shared by its interface and its control page. */
export interface PracticeState {
  readonly troubles: Troubles;
  /** Requests that changed something in the app. */
  writes: number;
  requests: number;
}

/** A state without trouble. */
export function calm(): PracticeState {
  return { troubles: new Map(), writes: 0, requests: 0 };
}

/** True when the trouble is on; counts it down by one. */
export function suffers(state: PracticeState, kind: TroubleKind): boolean {
  const left = state.troubles.get(kind) ?? 0;
  if (left <= 0) return false;
  if (left === 1) state.troubles.delete(kind);
  else state.troubles.set(kind, left - 1);
  return true;
}

const pause = (milliseconds: number): Promise<void> => new Promise((resolve) => setTimeout(resolve, milliseconds));
const isWrite = (method: string): boolean => method !== 'GET' && method !== 'HEAD';

/** Makes the app's interface misbehave as told, and counts what was written. */
export function troubleMaker(state: PracticeState): MiddlewareHandler<{ Bindings: HttpBindings }> {
  return async (c, next) => {
    state.requests += 1;
    const writes = isWrite(c.req.method);
    if (suffers(state, 'down')) {
      c.env.outgoing.destroy();
      return RESPONSE_ALREADY_SENT;
    }
    if (suffers(state, 'slow')) await pause(1500);
    if (suffers(state, 'rate_limit')) {
      return c.json({ type: 'about:blank', title: 'Too many requests', status: 429 }, 429, { 'retry-after': '1' });
    }
    if (suffers(state, 'html')) return c.html('<!doctype html><title>Maintenance</title><h1>Back soon</h1>', 200);
    if (writes && suffers(state, 'refuse_rights')) {
      return c.json(
        { type: 'about:blank', title: 'No right', status: 403, detail: 'This key may read, not write.' },
        403,
      );
    }
    await next();
    if (!writes) return;
    if (c.res.ok) state.writes += 1;
    if (suffers(state, 'break_off')) {
      c.env.outgoing.destroy();
      return RESPONSE_ALREADY_SENT;
    }
    return;
  };
}

import type { HttpBindings } from '@hono/node-server';
import { RESPONSE_ALREADY_SENT } from '@hono/node-server/utils/response';
import type { Context, MiddlewareHandler } from 'hono';

/** The ways a practice app can be told to misbehave. */
export const troubleKinds = [
  'refuse_rights',
  'sign_out',
  'rate_limit',
  'slow',
  'break_off',
  'break_off_late',
  'break_off_midway',
  'fault',
  'fault_after',
  'answer_twice',
  'html',
  'html_after',
  'redirect',
  'conflict',
  'down',
] as const;
export type TroubleKind = (typeof troubleKinds)[number];

/** What each trouble does, for the screens. */
export const troubleWords: Record<TroubleKind, string> = {
  refuse_rights: 'Refuse writing: no right',
  sign_out: 'Refuse the key (401)',
  rate_limit: 'Limit the rate (429, try again in a second)',
  slow: 'Be slow (a second and a half)',
  break_off: 'Do the write, then break off before answering',
  break_off_late: 'Break off, and do the write five seconds later',
  break_off_midway: 'Do the write, then break off in the middle of the answer',
  fault: 'Fail with a fault (500), doing nothing',
  fault_after: 'Do the write, then fail with a fault (500)',
  answer_twice: 'Give records twice in lists',
  html: 'Answer with a web page instead of data',
  html_after: 'Do the write, then answer with a web page',
  redirect: 'Send on to another address (302)',
  conflict: 'Refuse a write as a conflict (409)',
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
  /** The id of the account whose records are in here: told to whoever is signed in. */
  account: string;
  /** What goes wrong with the next request, besides what was switched on; for tests that draw it. */
  mischief?: () => TroubleKind | undefined;
  /** How a slow app lets time pass. */
  pause: (milliseconds: number) => Promise<void>;
}

/** A state without trouble. */
export function calm(account: string): PracticeState {
  return { troubles: new Map(), writes: 0, requests: 0, account, pause };
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
/** Methods that change nothing in an app; a lock of a file is none of its content. */
const reading = ['GET', 'HEAD', 'OPTIONS', 'PROPFIND', 'LOCK', 'UNLOCK'];
const isWrite = (method: string): boolean => !reading.includes(method);

/** Makes the app's interface misbehave as told, and counts what was written. */
export function troubleMaker(state: PracticeState): MiddlewareHandler<{ Bindings: HttpBindings }> {
  return async (c, next) => {
    state.requests += 1;
    const drawn = state.mischief?.();
    if (drawn) state.troubles.set(drawn, 1);
    const writes = isWrite(c.req.method);
    if (suffers(state, 'down')) {
      c.env.outgoing.destroy();
      return RESPONSE_ALREADY_SENT;
    }
    if (suffers(state, 'slow')) await state.pause(1500);
    const refused = refusal(c, state, writes);
    if (refused) return refused;
    if (writes && suffers(state, 'break_off_late')) {
      // What was sent is kept before the connection goes.
      await c.req.arrayBuffer();
      c.env.outgoing.destroy();
      await state.pause(lateBy);
      await next();
      if (c.res.ok) state.writes += 1;
      return RESPONSE_ALREADY_SENT;
    }
    await next();
    if (!writes) return;
    if (c.res.ok) state.writes += 1;
    spoil(c, state);
    return;
  };
}

/** Milliseconds after which a write that was broken off is done all the same. */
const lateBy = 5000;

type Call = Context<{ Bindings: HttpBindings }>;

const webPage = '<!doctype html><title>Maintenance</title><h1>Back soon</h1>';
const told = (status: number, title: string, detail: string) => ({ type: 'about:blank', title, status, detail });

/** An answer in place of the work: nothing is done. */
function refusal(c: Call, state: PracticeState, writes: boolean): Response | undefined {
  if (suffers(state, 'rate_limit'))
    return c.json(told(429, 'Too many requests', 'Slow down.'), 429, { 'retry-after': '1' });
  if (suffers(state, 'sign_out')) return c.json(told(401, 'Not signed in', 'The key isn’t known.'), 401);
  if (suffers(state, 'fault')) return c.json(told(500, 'Fault', 'Something broke.'), 500);
  if (suffers(state, 'redirect')) return c.redirect('http://127.0.0.1:9/elsewhere', 302);
  if (suffers(state, 'html')) return c.html(webPage, 200);
  if (writes && suffers(state, 'conflict')) return c.json(told(409, 'Conflict', 'It is there already.'), 409);
  if (writes && suffers(state, 'refuse_rights'))
    return c.json(told(403, 'No right', 'This key may read, not write.'), 403);
  return undefined;
}

/** Puts what goes wrong in place of the answer, after the work was done. */
function spoil(c: Call, state: PracticeState): void {
  const spoiled = spoiledAnswer(c, state);
  if (!spoiled) return;
  // Without this the headers of both answers would be mixed.
  c.res = undefined;
  c.res = spoiled;
}

function spoiledAnswer(c: Call, state: PracticeState): Response | undefined {
  if (suffers(state, 'break_off')) {
    c.env.outgoing.destroy();
    return RESPONSE_ALREADY_SENT;
  }
  if (suffers(state, 'break_off_midway')) {
    c.env.outgoing.writeHead(c.res.status, { 'content-type': 'application/json', 'content-length': '4000' });
    c.env.outgoing.write('{"id":', () => c.env.outgoing.destroy());
    return RESPONSE_ALREADY_SENT;
  }
  if (suffers(state, 'fault_after'))
    return new Response(JSON.stringify(told(500, 'Fault', 'Something broke.')), {
      status: 500,
      headers: { 'content-type': 'application/problem+json' },
    });
  if (suffers(state, 'html_after')) return new Response(webPage, { headers: { 'content-type': 'text/html' } });
  return undefined;
}

import type { HttpBindings } from '@hono/node-server';
import type { MiddlewareHandler } from 'hono';
import { problem } from './problem.ts';

/** A key of an app and what it may do. */
export interface AppKey {
  readonly key: string;
  readonly name: string;
  readonly mayWrite: boolean;
}

/** The key of a request, known to what answers it. */
export interface KeyEnv {
  Bindings: HttpBindings;
  Variables: { key: AppKey };
}

/**
 * Lets in whoever sends one of the keys as a bearer token (RFC 6750). To be told of what one may see needs no
 * right to write.
 */
export const bearerKeys = (keys: readonly AppKey[], app: string): MiddlewareHandler<KeyEnv> => {
  return async (c, next) => {
    if (c.req.path.endsWith('/openapi.json')) return next();
    const key = keys.find((one) => c.req.header('authorization') === `Bearer ${one.key}`);
    if (!key) return problem(c, 401, 'Not signed in', `The Authorization header holds no key of this ${app}.`);
    const isTold = /\/webhooks(\/\d+)?$/.test(c.req.path);
    if (c.req.method !== 'GET' && !key.mayWrite && !isTold)
      return problem(c, 403, 'No right', `The key “${key.name}” may read, not write.`);
    c.set('key', key);
    return next();
  };
};

import type { Context } from 'hono';
import type { ContentfulStatusCode } from 'hono/utils/http-status';

/** An error as RFC 9457 problem details. */
export function problem(c: Context, status: ContentfulStatusCode, title: string, detail: string, more: object = {}) {
  return c.json({ type: 'about:blank', title, status, detail, ...more }, status, {
    'content-type': 'application/problem+json',
  });
}

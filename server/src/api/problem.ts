import type { Context } from 'hono';
import type { ContentfulStatusCode } from 'hono/utils/http-status';

/** Problem details (RFC 9457) with a stable type and a sentence a person can act on. */
export function problem(
  c: Context,
  status: ContentfulStatusCode,
  type: string,
  detail: string,
  more: object = {},
): Response {
  return c.json(
    { type: `https://golden-relay.example/problems/${type}`, title: type, status, detail, ...more },
    status,
    { 'content-type': 'application/problem+json' },
  );
}

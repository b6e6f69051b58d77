import type { Api } from '@golden/server/api';
import { type ChangingRoute, changedBy, type QueryName } from './changed-by.ts';

/** An answer that says no, in a sentence a person can act on (RFC 9457). */
export class ApiProblem extends Error {
  override readonly name = 'ApiProblem';
  constructor(
    readonly status: number,
    readonly kind: string,
    detail: string,
    readonly more: Readonly<Record<string, unknown>>,
  ) {
    super(detail);
  }
}

type Asked<Name extends keyof Api> = (keyof Api[Name]['params'] extends never
  ? unknown
  : { params: Api[Name]['params'] }) &
  (Api[Name]['body'] extends undefined ? unknown : { body: Api[Name]['body'] }) & {
    query?: Partial<NonNullable<Api[Name]['query']>>;
  };

let onChanged: (name: QueryName) => void = () => undefined;

/** Who is told what a call may have changed, by the names under which it is read. */
export function tellChanges(listener: (name: QueryName) => void): void {
  onChanged = listener;
}

/**
 * Calls one route by its name, such as `GET /api/runs/:id`; types come from the server's declaration.
 * Whatever a changing route may have changed is read anew, also when it answered no: part of it may be done.
 */
export async function call<Name extends keyof Api & string>(
  name: Name,
  asked: Asked<Name>,
): Promise<Api[Name]['response']> {
  const given = asked as { params?: Record<string, string>; query?: Record<string, unknown>; body?: unknown };
  const [method = 'GET', pattern = ''] = name.split(' ');
  const path = pattern.replace(/:(\w+)/g, (_all, param: string) => encodeURIComponent(given.params?.[param] ?? ''));
  const query = new URLSearchParams();
  for (const [key, value] of Object.entries(given.query ?? {})) {
    for (const one of [value].flat()) if (one !== undefined) query.append(key, String(one));
  }
  const url = query.size > 0 ? `${path}?${query}` : path;
  const response = await fetch(url, {
    method,
    // The server takes changes as JSON only, which no other page can send it.
    ...(method !== 'GET' && { headers: { 'content-type': 'application/json' } }),
    ...(given.body !== undefined && { body: JSON.stringify(given.body) }),
  }).catch(() => {
    throw new ApiProblem(0, 'unreachable', 'Golden Relay’s server can’t be reached. Is it running?', {});
  });
  const body = await response.json().catch(() => ({}));
  if (method !== 'GET') for (const changed of changedBy[name as ChangingRoute]) onChanged(changed);
  if (!response.ok) {
    const kind =
      String(body.type ?? '')
        .split('/')
        .pop() ?? '';
    throw new ApiProblem(response.status, kind, body.detail ?? 'The server did not answer as expected.', body);
  }
  return body as Api[Name]['response'];
}

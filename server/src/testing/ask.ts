import { makeApi } from '../api/app.ts';
import type { Services } from '../services.ts';

/** One question to the server's own interface, as a page of this machine asks it. @throws Error with what it says is wrong */
export async function askApi<T>(services: Services, method: string, path: string, body?: unknown): Promise<T> {
  const answer = await makeApi(services).request(`http://127.0.0.1${path}`, {
    method,
    headers: { host: '127.0.0.1', 'content-type': 'application/json' },
    ...(body !== undefined && { body: JSON.stringify(body) }),
  });
  const said = (await answer.json()) as T & { detail?: string };
  if (!answer.ok) throw new Error(said.detail);
  return said;
}
